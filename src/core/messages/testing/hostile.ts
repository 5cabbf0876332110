import fc from 'fast-check';

/** What people, shops and strangers put into names, notes and addresses. */
export const hostile = fc.oneof(
  fc.constantFrom(
    '<script>alert(1)</script>',
    '"><img src=x onerror=alert(1)>',
    "' onmouseover='x",
    '</td></tr></table>',
    '{{ 7 | times: 7 }}',
    '{% include "x" %}',
    'javascript:alert(1)',
    '&lt;b&gt;',
    '<!--',
    ']]>',
    'Zoë 🐠',
    '\r\nBcc: all@example.com',
    '',
    ' ',
  ),
  fc.string({ unit: fc.constantFrom('<', '>', '"', "'", '&', '{', '}', '%', '\n', 'a', ' ', '/', '='), maxLength: 20 }),
);
