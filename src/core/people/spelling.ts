import { distance } from 'fastest-levenshtein';
import { readDate } from './attributes';
import { countryCode, sayCountry } from '../places';
import { normalisePhone } from './phone';

/** Values that mean the same but are spelled differently, with the spelling to keep. */
export interface SpellingGroup {
  readonly keep: string;
  readonly because: string;
  readonly variants: readonly { readonly value: string; readonly count: number }[];
}

const folded = (text: string): string =>
  text
    .normalize('NFD')
    .replace(/\p{M}/gu, '')
    .toLowerCase()
    .replace(/[\s._-]+/g, ' ')
    .trim();

/**
 * Finds values that mean the same: countries by name or code, dates and phone numbers by their standard form, and
 * anything else that differs by letter case, accents or spaces alone. The most frequent spelling is kept where there
 * is no standard form.
 */
export function spellingGroups(
  values: readonly { readonly value: string; readonly count: number }[],
  hint: 'country' | 'phone' | 'date' | null,
  country: string | null,
): SpellingGroup[] {
  const groups = new Map<string, { keep: string | null; because: string; variants: { value: string; count: number }[] }>();
  for (const one of values) {
    const standard =
      hint === 'country'
        ? countryCode(one.value)
        : hint === 'phone'
          ? normalisePhone(one.value, country)
          : hint === 'date'
            ? readDate(one.value)
            : null;
    const key = standard ? `standard:${standard}` : `folded:${folded(one.value)}`;
    const because =
      standard === null
        ? 'the same but for capitals, accents or spaces'
        : hint === 'country'
          ? `all mean ${sayCountry(standard)} (ISO 3166)`
          : hint === 'phone'
            ? 'the same number (E.164)'
            : 'the same day (ISO 8601)';
    const group = groups.get(key) ?? { keep: standard, because, variants: [] };
    group.variants.push(one);
    groups.set(key, group);
  }
  return [...groups.values()]
    .filter((group) => group.variants.length > 1 || (group.keep !== null && group.variants[0]!.value !== group.keep))
    .map((group) => {
      const variants = [...group.variants].sort((a, b) => b.count - a.count || (a.value < b.value ? -1 : 1));
      return { keep: group.keep ?? variants[0]!.value, because: group.because, variants };
    })
    .sort((a, b) => b.variants.reduce((sum, v) => sum + v.count, 0) - a.variants.reduce((sum, v) => sum + v.count, 0));
}

/**
 * Values that occur and are nearly what was asked for, nearest first: the same country, the same but for capitals, accents
 * and spaces, then what begins alike, then what is a slip or two of the keys away (Levenshtein).
 */
export function nearValues<T extends { readonly value: string }>(
  asked: string,
  values: readonly T[],
  hint: 'country' | null,
  most = 4,
): T[] {
  const code = hint === 'country' ? countryCode(asked) : null;
  const plain = folded(asked);
  const far = ({ value }: T): number => {
    const one = folded(value);
    if ((code !== null && countryCode(value) === code) || one === plain) return 0;
    if (one === '' || plain === '') return Infinity;
    if (one.startsWith(plain) || plain.startsWith(one)) return 1;
    const slips = distance(one, plain);
    return slips <= (plain.length < 8 ? 1 : 2) && plain.length > 3 ? 1 + slips : Infinity;
  };
  return values
    .filter((one) => far(one) < Infinity)
    .sort((a, b) => far(a) - far(b))
    .slice(0, most);
}
