import { describe, expect, it } from 'vitest';
import { cartLeftBehind } from '../../demo/flows';
import type { BranchStep, SendStep } from '../flows';
import { messageSchema, type Message } from './message';
import { personalise, placeholderProblem, withoutFallback, type Personal } from './personalise';
import { safeUrl } from '../text';
import { cartItems, renderMessage } from './render';

const message = ((cartLeftBehind.steps[0] as BranchStep).arms[0]!.steps[0] as SendStep).message;
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
const links = {
  unsubscribeUrl: 'https://v.example/leave/1',
  pixelUrl: 'https://v.example/seen/1',
  track: (url: string) => `https://v.example/go/${encodeURIComponent(url)}`,
};

describe('personalisation', () => {
  it('fills in what is known and falls back where it is not', () => {
    const text = 'Hello {{ person.firstName | fallback: "there" }},';
    expect(personalise(text, personal())).toBe('Hello Robin,');
    for (const firstName of ['', '  ', null]) expect(personalise(text, personal({ person: { firstName } }))).toBe('Hello there,');
  });

  it('adds a parameter to an address that has some already', () => {
    expect(personalise('{{ event.checkoutUrl | with: "code", "CLEAR10" }}', personal())).toBe(
      'https://shop.example/cart/9?lang=nl&code=CLEAR10',
    );
  });

  it('prints amounts in their currency', () => {
    expect(personalise('{{ event.value | money: event.currency }}', personal())).toBe('€261.90');
  });

  it('finds placeholders that cannot be read, and those of the person without a fallback', () => {
    expect(placeholderProblem('Hello {{ person.firstName')).toContain('cannot be read');
    expect(placeholderProblem('Hello {{ person.firstName | upcase }}')).toBeNull();
    expect(withoutFallback('{{ person.firstName }} {{person.city | fallback: "x"}} {{ event.value }}')).toEqual(['person.firstName']);
  });

  it('reaches nothing beyond the data: no prototypes, no endless loops', () => {
    expect(personalise('[{{ person.constructor.name }}{{ person.__proto__ }}]', personal())).toBe('[]');
    // a file of the server is never read, though it lies beside the program
    for (const tag of ['include', 'render', 'layout']) {
      expect(placeholderProblem(`{% ${tag} "package.json" %}`), tag).toContain('cannot be read');
      expect(() => personalise(`{% ${tag} "package.json" %}`, personal())).toThrow(/not found/);
    }
    expect(() => personalise('{% for i in (1..100000000) %}x{% endfor %}', personal())).toThrow();
  });
});

describe('an email', () => {
  it('holds the very items left behind, with pictures, quantities and prices, in both parts', () => {
    const { html, text, subject } = renderMessage(message, personal(), links);
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

  it('every link but the unsubscribe link is tracked', () => {
    const { html } = renderMessage(message, personal(), links);
    const targets = [...html.matchAll(/href="([^"]+)"/g)].map(([, url]) => url!);
    expect(targets.filter((url) => url.includes('/go/'))).toHaveLength(2);
    expect(targets.filter((url) => !url.includes('/go/'))).toEqual(['https://v.example/leave/1']);
  });

  it('shows hostile names as text and leads nowhere that is not http', () => {
    const event = {
      currency: 'EUR',
      checkoutUrl: 'javascript:alert(1)',
      items: [{ name: '<script>alert(1)</script>"', quantity: 1, price: 1, url: 'javascript:alert(1)', image: 'data:text/html,x' }],
    };
    const { html } = renderMessage(message, personal({ person: { firstName: '<img src=x onerror=alert(1)>' }, event }), links);
    expect(html).not.toContain('<script>');
    expect(html).not.toContain('<img src=x');
    expect(html).not.toContain('javascript:');
    expect(html).not.toContain('data:text');
    expect(html).toContain('&lt;script&gt;');
  });

  it('a subject never gets a second line out of what is filled in', () => {
    const { subject } = renderMessage(message, personal({ person: { firstName: 'Robin\r\nBcc: all@example.com' } }), links);
    expect(subject).toBe('Your tank is still here, Robin Bcc: all@example.com');
    expect(messageSchema.safeParse({ ...message, subject: 'a\nb' }).success).toBe(false);
  });

  it('a service message has no unsubscribe link', () => {
    expect(renderMessage({ ...message, kind: 'service' } as Message, personal(), links).html).not.toContain('Unsubscribe');
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
