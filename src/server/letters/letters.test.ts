import { describe, expect, it } from 'vitest';
import { cartItems } from '@/core/letters';
import type { BranchStep, SendStep } from '@/core/flows';
import { messageSchema, type Block, type Email, type Personal } from '@/core/messages';
import { safeUrl } from '@/core/text';
import { cartLeftBehind } from '@/demo/flows';
import { LINKS, rendered } from './testing';

const message = ((cartLeftBehind.steps[0] as BranchStep).arms[0]!.steps[0] as SendStep).message as Email;
const personal = (more: Partial<Personal> = {}): Personal => ({
  person: { firstName: 'Robin' },
  event: {
    currency: 'EUR',
    value: 261.9,
    checkoutUrl: 'https://shop.example/cart/9?lang=nl',
    items: [
      { name: 'Shoreline tank 112 l', quantity: 1, price: 249, url: 'https://shop.example/t', image: 'https://shop.example/t.png' },
      { name: 'Java fern', quantity: 2, price: 12.9 },
    ],
  },
  store: { name: 'Quillfin', address: 'Sluiskade 14' },
  ...more,
});
describe('an email', () => {
  it('holds the very items left behind, with pictures, quantities and prices, in both parts', async () => {
    const { html, text, subject } = await rendered(message, personal(), LINKS);
    expect(subject).toBe('Your tank is still here, Robin');
    for (const part of [html, text]) {
      expect(part).toContain('Shoreline tank 112 l');
      expect(part).toContain('€249.00');
      expect(part).toContain('CLEAR10');
      expect(part).toContain('https://v.example/leave/1');
    }
    expect(html).toContain('src="https://shop.example/t.png"');
    expect(text).toContain('- 2 × Java fern, €12.90 each');
  });

  it('every link but the unsubscribe link is tracked', async () => {
    const { html } = await rendered(message, personal(), LINKS);
    const targets = [...html.matchAll(/href="([^"]+)"/g)].map(([, url]) => url!);
    expect(targets.filter((url) => url.includes('/go/'))).toHaveLength(2);
    expect(targets.filter((url) => !url.includes('/go/'))).toEqual([LINKS.unsubscribeUrl, LINKS.preferencesUrl]);
  });

  it('shows hostile names as text and leads nowhere that is not http', async () => {
    const event = {
      currency: 'EUR',
      checkoutUrl: 'javascript:alert(1)',
      items: [{ name: '<script>alert(1)</script>"', quantity: 1, price: 1, url: 'javascript:alert(1)', image: 'data:text/html,x' }],
    };
    const { html } = await rendered(message, personal({ person: { firstName: '<img src=x onerror=alert(1)>' }, event }), LINKS);
    expect(html).not.toContain('<script>');
    expect(html).not.toContain('<img src=x');
    expect(html).not.toContain('javascript:');
    expect(html).not.toContain('data:text');
    expect(html).toContain('&lt;script&gt;');
  });

  it('a subject never gets a second line out of what is filled in', async () => {
    const { subject } = await rendered(message, personal({ person: { firstName: 'Robin\r\nBcc: all@example.com' } }), LINKS);
    expect(subject).toBe('Your tank is still here, Robin Bcc: all@example.com');
    expect(messageSchema.safeParse({ ...message, subject: 'a\nb' }).success).toBe(false);
  });

  it('a service message has no unsubscribe link', async () => {
    expect((await rendered({ ...message, kind: 'service' }, personal(), LINKS)).html).not.toContain('Unsubscribe');
  });

  it('reads only items that are items', () => {
    expect(cartItems({ items: [1, null, 'x', {}, { sku: 'A' }, { name: 'B', quantity: 3 }] }).map((item) => item.name)).toEqual(['A', 'B']);
    expect(cartItems({ items: 'x' })).toEqual([]);
    expect([safeUrl('https://a.example/x'), safeUrl('ftp://a.example'), safeUrl('//a.example'), safeUrl(5)]).toEqual([
      'https://a.example/x',
      null,
      null,
      null,
    ]);
  });
});

const about: Personal = { person: { firstName: 'Ada' }, event: {}, store: { name: 'Quillfin', address: 'Sluiskade 14' } };
const letter = (blocks: Block[], more: Partial<Email> = {}): Email => ({
  schema: 'viatic.message/1',
  channel: 'email',
  kind: 'service',
  subject: 'S',
  preview: '',
  blocks,
  ...more,
});
const one = (...blocks: Block[]) => rendered(letter(blocks), about, { ...LINKS, pixelUrl: null });

describe('the blocks of a letter', () => {
  it('a heading is one, in HTML and in text', async () => {
    const { html, text } = await one({ id: 'h', kind: 'heading', text: 'For {{ person.firstName }}' });
    expect(html).toMatch(/<h2 [^>]*>For Ada<\/h2>/);
    expect(text).toContain('For Ada\n-------');
  });

  it('a picture shows, says what it shows, and leads where it should by a counted link; without an address it is left out', async () => {
    const picture = {
      id: 'p',
      kind: 'picture',
      url: 'https://shop.example/tank.png',
      alt: 'A tank "60"',
      link: 'https://shop.example/t',
    } as const;
    const { html, text } = await one(picture);
    expect(html).toContain('src="https://shop.example/tank.png"');
    expect(html).toContain('alt="A tank &quot;60&quot;"');
    expect(html).toMatch(/<a\s+href="https:\/\/v\.example\/go\/https%3A%2F%2Fshop\.example%2Ft"[^>]*><img/);
    expect(text).toContain('[A tank "60"] https://v.example/go/');
    expect((await one({ ...picture, url: 'javascript:alert(1)' })).html).not.toContain('<img');
    const { link: _, ...plain } = picture;
    expect((await one(plain)).html).not.toContain('<a href="https://t.example');
  });

  it('it says in which language it is written: its own, the store’s usual one, or English', async () => {
    const languageOf = async (more: Partial<Email>, languages?: string[]) =>
      (
        await rendered(
          letter([{ id: 'd', kind: 'divider' }], more),
          languages ? { ...about, store: { ...about.store, languages } } : about,
          LINKS,
        )
      ).html!.match(/<html[^>]* lang="([^"]*)"/)?.[1];
    expect(await languageOf({})).toBe('en');
    expect(await languageOf({}, ['nl', 'en'])).toBe('nl');
    expect(await languageOf({ language: 'de' }, ['nl', 'en'])).toBe('de');
  });

  it('says in its language what it says by itself, and writes amounts as they are written there', async () => {
    const blocks: Block[] = [
      { id: 'k', kind: 'order' },
      { id: 't', kind: 'text', text: 'Samen {{ event.value | money: event.currency }}' },
      { id: 'r', kind: 'rating', question: 'Hoe was het?', scale: 'two' },
    ];
    const about = personal();
    const event = { ...about.event, orderId: 'Q7', carrier: 'Kanaal', trackingNumber: '12' };
    const items = Array.from({ length: 32 }, (_, n) => ({ name: `Thing ${n}`, quantity: 1, price: 1 }));
    const of = async (language: string) =>
      rendered(letter(blocks, { language, kind: 'marketing' }), { ...about, event: { ...event, items } }, LINKS);
    const [dutch, english, unknown] = [await of('nl'), await of('en'), await of('cy')];
    for (const part of [dutch.html!, dutch.text])
      for (const said of ['Bestelling Q7', 'Totaal €\u00a0261,90', 'Samen €\u00a0261,90', 'Pakket met Kanaal 12', 'en nog 2', 'Afmelden'])
        expect(part).toContain(said);
    expect(dutch.html).toContain('title="1 van 5"');
    expect(dutch.html).toContain('Niet goed');
    expect(dutch.text).toContain('€\u00a01,00');
    for (const one of [english, unknown])
      for (const said of ['Order Q7', 'Parcel with Kanaal 12', 'and 2 more', 'Unsubscribe']) expect(one.html).toContain(said);
    expect(english.html).toContain('Total €261.90');
  });

  it('its lines run as those of its language do: text, pictures, prices and columns', async () => {
    const blocks: Email['blocks'] = [
      { id: 't', kind: 'text', text: 'مرحبا\n\n- واحد\n\n> قال' },
      { id: 'p', kind: 'picture', url: 'https://shop.example/tank.png', alt: '' },
      { id: 'k', kind: 'cart' },
      { id: 'f', kind: 'text', text: 'يسار', align: 'left' },
    ];
    const of = async (language: string) => (await rendered(letter(blocks, { language }), personal(), LINKS)).html!;
    const [arabic, dutch] = [await of('ar'), await of('nl')];
    expect(arabic).toMatch(/<html[^>]* lang="ar" dir="rtl"/);
    expect(dutch).toMatch(/<html[^>]* lang="nl" dir="ltr"/);
    expect(arabic).not.toContain('direction:ltr');
    const sidesOf = (html: string) => [
      /text-align:(left|right)[^"]*"[^>]*>\s*<p[^>]*>مرحبا/.exec(html)?.[1],
      /border-(left|right):3px/.exec(html)?.[1],
      /<td align="(left|right)"[^>]*><table[^>]*><tbody><tr><td[^>]*><img[^>]*tank\.png/.exec(html)?.[1],
      /<td align="(left|right)"[^>]*white-space:nowrap/.exec(html)?.[1],
      /text-align:(left|right)[^"]*"[^>]*>\s*<p[^>]*>يسار/.exec(html)?.[1],
    ];
    expect(sidesOf(dutch)).toEqual(['left', 'left', 'left', 'right', 'left']);
    // what somebody has put to the left by hand stays there
    expect(sidesOf(arabic)).toEqual(['right', 'right', 'right', 'left', 'left']);
    const usual = await rendered(letter(blocks), { ...about, store: { ...about.store, languages: ['he'] } }, LINKS);
    expect(usual.html).toContain('dir="rtl"');
  });

  it('a dividing line stands in both', async () => {
    const { html, text } = await one({ id: 'd', kind: 'divider' });
    expect(html).toMatch(/border-top:solid 1px #DDD8CC/);
    expect(text).toMatch(/^---\n/);
  });
});
