import { expect, it } from 'vitest';
import { formSchema, newForm } from '../forms';
import { siteSchema } from '.';

it.each([
  ['shop.example', 'https://shop.example'],
  ['https://shop.example/', 'https://shop.example'],
  ['http://shop.example:8080/path?x#y', 'http://shop.example:8080'],
  [' https://Shop.Example ', 'https://shop.example'],
  ['https://müller.example', 'https://xn--mller-kva.example'],
])('%s is the site %s', (text, site) => expect(siteSchema.parse(text)).toBe(site));
it.each(['', 'ftp://shop.example', 'javascript:alert(1)', 'https://', 'a b', "https://x'; script-src *"])('%j is none', (text) =>
  expect(siteSchema.safeParse(text).success).toBe(false),
);

it('an address to which a form leads on is kept as a header can hold it (RFC 3986, RFC 3492)', () => {
  const form = { ...newForm('F'), after: { kind: 'redirect', url: 'https://müller.example/danke schön?x=é' } };
  expect(formSchema.parse(form).after).toEqual({ kind: 'redirect', url: 'https://xn--mller-kva.example/danke%20sch%C3%B6n?x=%C3%A9' });
});
