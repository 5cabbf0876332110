import { Liquid } from 'liquidjs';
import { compileLetter, fillLetter } from '../src/core/letters';
import { plainBrand, type Email, type Links, type Personal } from '../src/core/messages';
import { press } from '../src/server/letters/press';

/**
 * How many letters a second are filled in on one core after they were laid out; floor: the same HTML as one template filled in by
 * the template library alone.
 */
const PEOPLE = 10_000;
const email: Email = {
  schema: 'viatic.message/1',
  channel: 'email',
  kind: 'marketing',
  subject: 'Still here, {{ person.firstName | fallback: "you" }}',
  preview: 'Just as you left it',
  conditions: [{ id: 'c1', name: 'Some', rule: { all: [] } }],
  blocks: [
    { id: 'b1', kind: 'heading', text: 'For {{ person.firstName | fallback: "you" }}' },
    {
      id: 'b2',
      kind: 'text',
      text: 'Hello {{ person.firstName | fallback: "there" }},\n\n**these** are [in your cart]({{ event.checkoutUrl }}):\n\n- one\n- two',
    },
    { id: 'b3', kind: 'cart' },
    { id: 'b4', kind: 'text', text: 'Only for some', only: 'c1' },
    { id: 'b5', kind: 'offer', text: '{{ offer.terms }} with {{ offer.code }}' },
    { id: 'b6', kind: 'button', label: 'Back', url: '{{ event.checkoutUrl | with: "code", offer.code }}' },
    { id: 'b7', kind: 'note', text: 'Write to me.', name: 'Marla' },
  ],
};
const links: Links = {
  unsubscribeUrl: 'https://v.example/leave',
  preferencesUrl: 'https://v.example/prefs',
  pixelUrl: 'https://v.example/seen',
  track: (url) => `https://v.example/go?to=${encodeURIComponent(url)}`,
};
const personal = (n: number): Personal => ({
  person: { firstName: n % 3 ? `Name ${n}` : '' },
  event: {
    currency: 'EUR',
    checkoutUrl: `https://shop.example/cart/${n}`,
    items: [1, 2, 3].map((k) => ({
      sku: `S${k}`,
      name: `Thing ${k}`,
      quantity: k,
      price: 12.5 * k,
      url: 'https://shop.example/p',
      image: 'https://shop.example/p.png',
    })),
  },
  store: { name: 'Quillfin', address: 'Sluiskade 14' },
  offer: { code: `QF-${n}`, expires: 'Sunday', terms: '10 % off' },
  ...(n % 2 && { holds: { c1: true as const } }),
});
const people = Array.from({ length: PEOPLE }, (_, n) => personal(n));

const began = performance.now();
const letter = await compileLetter(email, plainBrand('Quillfin'), press);
const laidOutMs = performance.now() - began;

const perSecond = (work: () => void): number => {
  work();
  const from = performance.now();
  work();
  return Math.round(PEOPLE / ((performance.now() - from) / 1000));
};
let bytes = 0;
const ours = perSecond(() => {
  for (const one of people) bytes += fillLetter(letter, one, links).html.length;
});

// the floor: one template of the same HTML, with the same placeholders, filled in by the library, escaped by it, and nothing else
const library = new Liquid({ outputEscape: 'escape' });
const marked: Personal = {
  ...personal(1),
  person: { firstName: 'FIRSTNAME' },
  event: { ...personal(1).event, checkoutUrl: 'https://shop.example/CHECKOUT' },
  offer: { code: 'CODE', expires: 'Sunday', terms: 'TERMS' },
};
const source = fillLetter(letter, marked, { ...links, track: (url) => url })
  .html.replaceAll('FIRSTNAME', '{{ person.firstName }}')
  .replaceAll('https://shop.example/CHECKOUT', '{{ event.checkoutUrl }}')
  .replaceAll('CODE', '{{ offer.code }}')
  .replaceAll('TERMS', '{{ offer.terms }}');
const template = library.parse(source);
const floor = perSecond(() => {
  for (const one of people) bytes += String(library.renderSync(template, one)).length;
});
console.log(
  `letters: laid out once in ${laidOutMs.toFixed(0)} ms, ${Math.round(source.length / 1024)} kB; ${PEOPLE} people, HTML and text, items in a table, links wrapped`,
);
console.log(`  ours       ${ours} a second`);
console.log(`  floor      ${floor} a second: the HTML alone as one template, by the template library`);
console.log(`  ratio      ${(ours / floor).toFixed(2)} (aim: 2,000 a second; ${bytes} letters of HTML in all)`);
