import { describe, expect, it } from 'vitest';
import { languageSaid, languageSchema, nameOfLanguage } from './languages';
import { personalise, placeholderProblem, withoutFallback, type Personal } from './personalise';

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

describe('languages', () => {
  // codes of ISO 639-1
  it('are found by name or code, however they are written', () => {
    expect(['Dutch', ' german ', 'NL', 'eo', 'dutchish'].map(languageSaid)).toEqual(['nl', 'de', 'nl', 'eo', null]);
    expect(['nl', 'zh', 'eo'].map(nameOfLanguage)).toEqual(['Dutch', 'Chinese', 'Esperanto']);
    expect(languageSchema.safeParse('Dutch').success).toBe(false);
  });
});
