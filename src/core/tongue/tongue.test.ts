import { describe, expect, it } from 'vitest';
import { SAID_IN, tongueOf } from '.';

const english = tongueOf('en');

describe.each([...SAID_IN])('what we say in %s', (language) => {
  const tongue = tongueOf(language);

  it('is everything that is said in English, with what it tells of', () => {
    for (const part of ['letter', 'page'] as const) {
      expect(Object.keys(tongue[part])).toEqual(Object.keys(english[part]));
      for (const [name, said] of Object.entries(tongue[part]) as [string, string | ((of: never) => string)][]) {
        const words = typeof said === 'string' ? said : said('Quillfin 12' as never);
        expect(words.trim(), name).toBeTruthy();
        if (typeof said !== 'string') expect(words, name).toContain('Quillfin 12');
        // nothing of the one who wrote it is left in it
        expect(words, name).not.toMatch(/undefined|\$\{|\s{2}/);
      }
    }
  });

  it('has its plurals', () => {
    expect(tongue.letter.forDays(2)).toContain('2');
    // one is no plural
    expect(tongue.letter.forDays(1)).not.toBe(tongue.letter.forDays(2).replace('2', '1'));
    expect(tongue.letter.more(12)).toContain('12');
  });

  it('is in that language and not in another', () => {
    if (language === 'en') return;
    const same = Object.entries(tongue.page).filter(([name, said]) => said === english.page[name as keyof typeof english.page]);
    expect(same.map(([name]) => name).filter((name) => name !== 'send')).toEqual([]);
  });
});

it('a language that we do not know, or that is none, is English', () => {
  for (const language of ['cy', '', 'constructor', '__proto__']) expect(tongueOf(language)).toBe(english);
});
