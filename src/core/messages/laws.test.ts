import fc from 'fast-check';
import { Parser } from 'htmlparser2';
import { describe, expect, it } from 'vitest';
import { blocksOf, messageSchema, notSentBecause, type Block, type Message } from './message';
import { personalise, placeholderProblem, withoutFallback, type Personal } from './personalise';
import { safeUrl } from '../text';
import { cartItems, escapeHtml, renderMessage } from './render';
import { NO_REACH, type Reach } from '../rules';

const links = {
  unsubscribeUrl: 'https://v.example/leave/1',
  preferencesUrl: 'https://v.example/prefs/1',
  pixelUrl: 'https://v.example/seen/1',
  track: (url: string) => `https://v.example/go/${encodeURIComponent(url)}`,
};

/** What people, shops and strangers put into names, notes and addresses. */
const hostile = fc.oneof(
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
const url = fc.oneof(
  fc.constantFrom(
    'https://shop.example/a?b=c&d="e"',
    'http://shop.example/',
    'javascript:alert(1)',
    'data:text/html,x',
    'mailto:a@example.com',
    '//x.example',
    'not an address',
    '',
  ),
  hostile,
);
const item = fc.record(
  {
    name: hostile,
    sku: hostile,
    quantity: fc.oneof(fc.integer({ min: -1, max: 9 }), hostile),
    price: fc.oneof(fc.double({ noNaN: true, min: 0, max: 1e6 }), hostile),
    url,
    image: url,
  },
  { requiredKeys: [] },
);
const personal: fc.Arbitrary<Personal> = fc.record({
  person: fc.record({ firstName: hostile, note: hostile }, { requiredKeys: [] }),
  event: fc.record(
    {
      currency: fc.oneof(fc.constant('EUR'), fc.constant('JPY'), hostile),
      items: fc.oneof(fc.array(item, { maxLength: 3 }), hostile, fc.constant(null)),
      checkoutUrl: url,
    },
    { requiredKeys: [] },
  ) as fc.Arbitrary<Personal['event']>,
  store: fc.record({ name: hostile, address: hostile }),
});
const words = fc.oneof(
  hostile.filter((text) => placeholderProblem(text) === null),
  fc.constantFrom(
    'Hello {{ person.firstName | fallback: "there" }}',
    '{{ person.note }}',
    '{{ event.checkoutUrl | with: "code", "A&B" }}',
    '{{ store.name }}',
  ),
);
/** Addresses as somebody writes them into a letter: good ones, filled in, and bad ones. */
const address = fc.oneof(
  words,
  fc.constantFrom('{{ event.checkoutUrl }}', 'https://shop.example/p.png', 'javascript:alert(1)', '//shop.example/p.png', ''),
);
const block: fc.Arbitrary<Block> = fc
  .oneof(
    fc.record({ kind: fc.constant('text' as const), text: words }),
    fc.record({ kind: fc.constant('offer' as const), text: words }),
    fc.record({ kind: fc.constant('cart' as const) }),
    fc.record({ kind: fc.constant('divider' as const) }),
    fc.record({ kind: fc.constant('heading' as const), text: words }),
    fc.record({ kind: fc.constant('picture' as const), url: address, alt: words, link: address }, { requiredKeys: ['kind', 'url', 'alt'] }),
    fc.record({ kind: fc.constant('button' as const), label: words, url: fc.oneof(words, fc.constant('{{ event.checkoutUrl }}')) }),
  )
  .map((one) => ({ ...one, id: 'b' }) as Block);
const message: fc.Arbitrary<Message> = fc
  .record({
    kind: fc.constantFrom('marketing' as const, 'service' as const),
    subject: words.map((text) => text.replace(/[\r\n]/g, ' ')),
    preview: words,
    blocks: fc.array(block, { maxLength: 5 }),
  })
  .map((one) => ({ schema: 'viatic.message/1' as const, channel: 'email' as const, ...one }));

/** Elements and attributes as a reader that is not ours finds them (htmlparser2, the WHATWG's rules as mail programs follow them). */
function read(html: string): { tags: Set<string>; attributes: Set<string>; links: string[]; text: string; open: number } {
  const found = { tags: new Set<string>(), attributes: new Set<string>(), links: [] as string[], text: '', open: 0 };
  const parser = new Parser(
    {
      onopentag(name, attributes) {
        found.tags.add(name);
        for (const [attribute, value] of Object.entries(attributes)) {
          found.attributes.add(attribute);
          if (attribute === 'href' || attribute === 'src') found.links.push(value);
        }
      },
      ontext: (text) => {
        found.text += text;
      },
      oncomment: () => {
        found.open += 1;
      },
    },
    { decodeEntities: true },
  );
  parser.end(html);
  return found;
}
const OURS = new Set([
  'html',
  'head',
  'meta',
  'title',
  'body',
  'div',
  'table',
  'tr',
  'td',
  'p',
  'h2',
  'hr',
  'br',
  'a',
  'img',
  'span',
  'strong',
  'style',
  'tbody',
]);

describe('any message for anybody', () => {
  it('holds no element, attribute or address but ours, whatever is in it', () => {
    fc.assert(
      fc.property(message, personal, (one, about) => {
        expect(messageSchema.safeParse(one).success).toBe(true);
        const { html } = renderMessage(one, about, links);
        const seen = read(html);
        for (const tag of seen.tags) expect(OURS.has(tag), tag).toBe(true);
        for (const attribute of seen.attributes) expect(attribute).not.toMatch(/^on/);
        for (const link of seen.links) expect(link).toMatch(/^https?:\/\//);
        expect(seen.open).toBe(0);
      }),
      { numRuns: 400 },
    );
  });

  it('says the same in text as in HTML, on one line of subject', () => {
    fc.assert(
      fc.property(message, personal, (one, about) => {
        const { subject, html, text } = renderMessage(one, about, links);
        expect(subject).not.toMatch(/[\r\n]/);
        const seen = read(html).text.replace(/\s+/g, '');
        for (const { kind, ...rest } of blocksOf(one)) {
          if (kind !== 'text' && kind !== 'offer' && kind !== 'heading') continue;
          const written = personalise((rest as { text: string }).text, about).trim();
          // a heading is one line
          const filled = kind === 'heading' ? written.replace(/[\r\n]+/g, ' ') : written;
          expect(text).toContain(filled);
          expect(seen).toContain(filled.replace(/\s+/g, ''));
        }
        expect(text.includes(links.unsubscribeUrl)).toBe(one.kind === 'marketing');
        expect(html.includes(links.unsubscribeUrl)).toBe(one.kind === 'marketing');
      }),
      { numRuns: 300 },
    );
  });

  it('what is filled in is never read as a placeholder again', () => {
    fc.assert(
      fc.property(hostile, (note) => {
        expect(personalise('[{{ person.note }}]', { person: { note }, event: {}, store: { name: '', address: '' } })).toBe(`[${note}]`);
      }),
    );
  });

  it('every link that leads to the shop is counted, and nothing else is linked', () => {
    fc.assert(
      fc.property(message, personal, (one, about) => {
        const buttons = blocksOf(one)
          .flatMap((each) => (each.kind === 'button' ? [safeUrl(personalise(each.url, about).trim())] : []))
          .filter((address): address is string => address !== null);
        const items = blocksOf(one).some((each) => each.kind === 'cart') ? cartItems(about.event) : [];
        const safe = (written: string) => safeUrl(personalise(written, about).trim());
        // a picture without an address of its own is left out, with where it leads
        const pictures = blocksOf(one).flatMap((each) => (each.kind === 'picture' && safe(each.url) ? [each] : []));
        const sources = pictures.map((each) => safe(each.url)!);
        const shop = [
          ...buttons,
          ...pictures.flatMap(({ link = '' }) => safe(link) ?? []),
          ...items.flatMap(({ url: address }) => address ?? []),
        ];
        const tracked = new Set(shop.map(links.track));
        const allowed = new Set([
          ...tracked,
          links.unsubscribeUrl,
          links.preferencesUrl,
          links.pixelUrl,
          ...items.flatMap(({ image }) => image ?? []),
          ...sources,
        ]);
        const { links: found } = read(renderMessage(one, about, links).html);
        for (const link of found) expect(allowed.has(link), link).toBe(true);
        for (const link of tracked) expect(found).toContain(link);
      }),
      { numRuns: 300 },
    );
  });
});

describe('parts', () => {
  it('escaped text is the text again for a reader of HTML', () => {
    fc.assert(
      fc.property(
        fc.string({ unit: 'grapheme' }).filter((text) => !/[\u0000\r]/.test(text)),
        (text) => {
          expect(read(`<p title="${escapeHtml(text)}">${escapeHtml(text)}</p>`).text).toBe(text);
        },
      ),
    );
  });

  it('a placeholder without a fallback is found wherever it stands, with one it is not', () => {
    fc.assert(
      fc.property(
        fc.stringMatching(/^[a-z][A-Za-z0-9]{0,8}$/),
        hostile.filter((text) => !/[{}]/.test(text)),
        (name, around) => {
          expect(withoutFallback(`${around}{{ person.${name} }}${around}`)).toEqual([`person.${name}`]);
          expect(withoutFallback(`${around}{{ person.${name} | fallback: "x" }}${around}`)).toEqual([]);
        },
      ),
    );
  });

  it('marketing goes to whoever can be reached and wants the topic, service to whoever has an address', () => {
    const reach: fc.Arbitrary<Reach> = fc.record({
      hasAddress: fc.boolean(),
      state: fc.constantFrom('given', 'withdrawn', 'unknown'),
      suppressed: fc.constantFrom(null, 'bounced'),
      pausedUntil: fc.constantFrom(null, 50, 150),
    });
    fc.assert(
      fc.property(reach, fc.boolean(), fc.boolean(), (one, isDeclined, hasTopic) => {
        const declined = isDeclined ? ['plants'] : ['other'];
        expect(notSentBecause({ kind: 'service' }, one, declined, 100) === null).toBe(one.hasAddress);
        const may =
          one.hasAddress &&
          one.state === 'given' &&
          one.suppressed === null &&
          (one.pausedUntil === null || one.pausedUntil <= 100) &&
          !(hasTopic && isDeclined);
        expect(notSentBecause({ kind: 'marketing', ...(hasTopic && { topic: 'plants' }) }, one, declined, 100) === null).toBe(may);
      }),
    );
    expect(notSentBecause({ kind: 'service' }, NO_REACH, [], 0)).toBe('no email address on file');
  });
});
