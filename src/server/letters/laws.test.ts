import fc from 'fast-check';
import { Parser } from 'htmlparser2';
import { simpleParser } from 'mailparser';
import nodemailer from 'nodemailer';
import { parse } from 'parse5';
import { describe, expect, it } from 'vitest';
import { cartItems, compileLetter, fillLetter, type Letter } from '@/core/letters';
import {
  directionOf,
  everyBlock,
  messageSchema,
  personalise,
  placeholderProblem,
  plainBrand,
  type Block,
  type Email,
  type Leaf,
  type Personal,
} from '@/core/messages';
import { escapeHtml, safeUrl } from '@/core/text';
import { hostile } from '@/core/messages/testing/hostile';
import { press } from './press';
import { LINKS as links } from './testing';

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
const leaf: fc.Arbitrary<Leaf> = fc
  .oneof(
    fc.record({ kind: fc.constant('text' as const), text: words }),
    fc.record({ kind: fc.constant('offer' as const), text: words }),
    fc.record({ kind: fc.constant('cart' as const), layout: fc.constantFrom('table' as const, 'cards' as const, 'large' as const) }),
    fc.record({ kind: fc.constantFrom('divider' as const, 'order' as const, 'social' as const) }),
    fc.record({ kind: fc.constant('heading' as const), text: words }),
    fc.record({ kind: fc.constant('picture' as const), url: address, alt: words, link: address }, { requiredKeys: ['kind', 'url', 'alt'] }),
    fc.record({ kind: fc.constant('button' as const), label: words, url: fc.oneof(words, fc.constant('{{ event.checkoutUrl }}')) }),
    fc.record(
      { kind: fc.constant('note' as const), text: words, name: words, picture: address },
      { requiredKeys: ['kind', 'text', 'name'] },
    ),
    fc.record(
      { kind: fc.constant('download' as const), file: fc.constantFrom('', 'guide-of-tanks'), label: words, days: fc.constantFrom(1, 30) },
      { requiredKeys: ['kind', 'file', 'label'] },
    ),
    fc.record({ kind: fc.constant('rating' as const), question: words, scale: fc.constantFrom('five' as const, 'two' as const) }),
    fc.record({
      kind: fc.constant('html' as const),
      html: fc.oneof(words, fc.constant('<b onclick="x">{{ person.note }}</b><a href="{{ event.checkoutUrl }}">go</a>')),
    }),
    fc.record({ kind: fc.constant('products' as const), from: fc.constant({ by: 'newest' as const }), most: fc.constant(3) }),
    fc.record({ kind: fc.constant('feed' as const), feed: fc.constant('blog'), most: fc.constant(3) }),
  )
  .map((one) => ({ ...one, id: 'b' }) as Leaf);
const blocks: fc.Arbitrary<Block[]> = fc
  .array(
    fc.oneof(
      { weight: 4, arbitrary: leaf as fc.Arbitrary<Block> },
      {
        weight: 1,
        arbitrary: fc
          .tuple(fc.array(leaf, { maxLength: 2 }), fc.array(leaf, { maxLength: 2 }))
          .map(([a, b]): Block => ({ id: 'c', kind: 'columns', columns: [a, b].map((one, n) => ({ id: `c-${n}`, blocks: one })) })),
      },
    ),
    { maxLength: 5 },
  )
  .map((list) => {
    let n = 0;
    const named = <B extends Block>(block: B): B => ({ ...block, id: `b${(n += 1)}` });
    return list.map((block) =>
      block.kind === 'columns'
        ? { ...named(block), columns: block.columns.map((one) => ({ ...one, blocks: one.blocks.map(named) })) }
        : named(block),
    );
  });
const email: fc.Arbitrary<Email> = fc
  .record({
    kind: fc.constantFrom('marketing' as const, 'service' as const),
    subject: words.map((text) => text.replace(/[\r\n]/g, ' ')),
    preview: words,
    language: fc.constantFrom('en', 'nl', 'ar'),
    blocks,
  })
  .map((one) => ({ schema: 'viatic.message/1' as const, channel: 'email' as const, ...one }));
const shown = fc.record({
  name: hostile,
  words: hostile,
  price: fc.constantFrom(null, 12.5, { currency: 'EUR', minor: 1290 }),
  was: fc.constantFrom(null, { currency: 'JPY', minor: 99 }),
  url: url.map((one) => safeUrl(one)),
  image: url.map((one) => safeUrl(one)),
});
/** A letter with some who get it: laid out once, filled in for each. */
const sent = fc.record({
  email,
  people: fc.array(personal, { minLength: 1, maxLength: 5 }),
  found: fc.record({ products: fc.array(shown, { maxLength: 3 }), feed: fc.array(shown, { maxLength: 3 }) }),
});

const brand = { ...plainBrand('Quillfin'), social: [{ name: 'Pictures', url: 'https://social.example/q' }], footer: 'Registered' };
const lay = (one: Email): Promise<Letter> => compileLetter(one, brand, press, directionOf(one.language ?? 'en'));
const fillFor = (letter: Letter, about: Personal, found: { products: never[] | object[]; feed: never[] | object[] }) =>
  fillLetter(letter, about, links, {
    products: Object.fromEntries(everyBlock(letter.email.blocks).map(({ id }) => [id, found.products as never])),
    feeds: { blog: found.feed as never },
  });
/** How many letters are laid out; more by VIATIC_RUNS. */
const RUNS = Number(process.env.VIATIC_RUNS ?? 120);

/** Elements and attributes as a reader that is not ours finds them (htmlparser2, the WHATWG's rules as mail programs follow them). */
function read(html: string): { tags: Set<string>; attributes: Set<string>; links: string[]; text: string; comments: string[] } {
  const found = { tags: new Set<string>(), attributes: new Set<string>(), links: [] as string[], text: '', comments: [] as string[] };
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
      oncomment: (data) => {
        found.comments.push(data);
      },
    },
    { decodeEntities: true },
  );
  parser.end(html);
  return found;
}
/** What the library that lays out writes, and the blocks of ours. */
const OURS = new Set(
  'html head meta title style body div table thead tbody tr td p h1 h2 h3 hr br a img span strong b em s del i u ul ol li blockquote'.split(
    ' ',
  ),
);

describe('any letter for anybody', () => {
  it('holds no element, attribute, comment or address but ours, whatever is in it', async () => {
    await fc.assert(
      fc.asyncProperty(sent, async ({ email: one, people, found }) => {
        expect(messageSchema.safeParse(one).success).toBe(true);
        const letter = await lay(one);
        for (const about of people) {
          const { html, subject } = fillFor(letter, about, found);
          expect(subject).not.toMatch(/[\r\n]/);
          expect(html).not.toMatch(/[\uE000-\uE003]/);
          const seen = read(html);
          for (const tag of seen.tags) expect(OURS.has(tag), tag).toBe(true);
          for (const attribute of seen.attributes) expect(attribute).not.toMatch(/^on/);
          for (const link of seen.links) expect(link).toMatch(/^https?:\/\//);
          // only those by which one mail program is told how wide columns are
          for (const comment of seen.comments) expect(comment).toMatch(/^\[if [^<>{}]*\]>|^<!\[endif\]$|^\[if !mso\]><!$/);
        }
      }),
      { numRuns: RUNS },
    );
  }, 120_000);

  it('reads without an error by the rules of HTML (WHATWG, read by parse5)', async () => {
    await fc.assert(
      fc.asyncProperty(sent, async ({ email: one, people, found }) => {
        const letter = await lay(one);
        for (const about of people) {
          const errors: string[] = [];
          parse(fillFor(letter, about, found).html, { onParseError: ({ code }) => errors.push(code) });
          // signs that HTML does not know may stand in what people are called
          expect(errors.filter((code) => !/control-character|noncharacter|surrogate|null-character/.test(code))).toEqual([]);
        }
      }),
      { numRuns: Math.ceil(RUNS / 2) },
    );
  }, 120_000);

  it('says the same in text as in HTML', async () => {
    const plain = fc.constantFrom(
      'Hello {{ person.firstName | fallback: "there" }}',
      'About {{ person.note }}.',
      '{{ store.name }} writes',
      'Plain words',
    );
    await fc.assert(
      fc.asyncProperty(
        fc.array(plain, { minLength: 1, maxLength: 4 }),
        fc.array(personal, { minLength: 1, maxLength: 5 }),
        async (texts, people) => {
          const letter = await lay({
            schema: 'viatic.message/1',
            channel: 'email',
            kind: 'marketing',
            subject: 'S',
            preview: '',
            blocks: texts.map((text, n) => ({ id: `b${n}`, kind: n % 3 === 2 ? ('heading' as const) : ('text' as const), text })),
          });
          const squeezed = (text: string) => text.replace(/\s+/g, '');
          for (const about of people) {
            const { html, text } = fillFor(letter, about, { products: [], feed: [] });
            const seen = squeezed(read(html).text);
            for (const written of texts) {
              const filled = squeezed(personalise(written, about));
              expect(squeezed(text)).toContain(filled);
              expect(seen).toContain(filled);
            }
            expect(text).toContain(links.unsubscribeUrl);
            expect(html).toContain(links.unsubscribeUrl);
          }
        },
      ),
      { numRuns: RUNS },
    );
  }, 120_000);

  it('every link that leads to the shop is counted, and nothing else is linked', async () => {
    await fc.assert(
      fc.asyncProperty(sent, async ({ email: one, people, found }) => {
        const letter = await lay(one);
        for (const about of people) {
          const { links: seen } = read(fillFor(letter, about, found).html);
          const items = cartItems(about.event);
          const pictures = everyBlock(one.blocks).flatMap((block) =>
            block.kind === 'picture' ? [block.url] : block.kind === 'note' && block.picture ? [block.picture] : [],
          );
          const plain = new Set([
            ...[...items, ...found.products, ...found.feed].flatMap(({ image }) => image ?? []),
            ...pictures.flatMap((written) => safeUrl(personalise(written, about).trim()) ?? []),
            links.unsubscribeUrl,
            links.preferencesUrl!,
            links.pixelUrl!,
          ]);
          for (const link of seen)
            expect(plain.has(link) || link.startsWith('https://v.example/go/') || link.startsWith('https://v.example/rate/'), link).toBe(
              true,
            );
          const buttons = everyBlock(one.blocks).flatMap((block) =>
            block.kind === 'button' && personalise(block.label, about).trim() ? (safeUrl(personalise(block.url, about).trim()) ?? []) : [],
          );
          for (const button of buttons) expect(seen).toContain(links.track(button));
        }
      }),
      { numRuns: RUNS },
    );
  }, 120_000);

  it('is read back from the mail as it was written (RFC 5322, RFC 2045: read by mailparser), 200 letters', async () => {
    const transport = nodemailer.createTransport({ streamTransport: true, buffer: true, newline: 'windows' });
    const [letters] = fc.sample(fc.array(sent, { minLength: 200, maxLength: 200 }), { numRuns: 1, seed: 7 });
    for (const { email: one, people, found } of letters!) {
      const mail = fillFor(await lay(one), people[0]!, found);
      const { message } = await transport.sendMail({ from: 'a@example.com', to: 'b@example.com', ...mail });
      const back = await simpleParser(message as Buffer);
      const same = (text: string) => text.replace(/\r\n?/g, '\n').trimEnd();
      expect(same(back.html as string)).toBe(same(mail.html));
      expect(same(back.text ?? '')).toBe(same(mail.text));
      expect((back.subject ?? '').replace(/\s+/g, ' ').trim()).toBe(mail.subject.replace(/\s+/g, ' ').trim());
    }
  }, 120_000);

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
});
