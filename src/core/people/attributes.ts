import type { Value } from '../rules';
import { isName } from '../text';
import { parseInstant } from '../time';

/** What an attribute holds. */
export const ATTRIBUTE_TYPES = ['text', 'number', 'money', 'yesno', 'date', 'moment', 'place', 'texts'] as const;
export type AttributeType = (typeof ATTRIBUTE_TYPES)[number];

export const ATTRIBUTE_TYPE_WORDS: { readonly [type in AttributeType]: string } = {
  text: 'text',
  number: 'number',
  money: 'money',
  yesno: 'yes or no',
  date: 'date',
  moment: 'date and time',
  place: 'place',
  texts: 'list of texts',
};

const YES = new Set(['yes', 'y', 'true', '1', 'on', 'ja', 'oui', 'si', 'sí']);
const NO = new Set(['no', 'n', 'false', '0', 'off', 'nee', 'nein', 'non']);

/** A calendar date as ISO 8601, `2026-11-24`, from the ways it is commonly written; null when it is none. */
export function readDate(text: string, dayFirst = true): string | null {
  const iso = /^(\d{4})-(\d{1,2})-(\d{1,2})(?:[T ].*)?$/.exec(text.trim());
  const other = iso ? null : /^(\d{1,2})[./-](\d{1,2})[./-](\d{4})$/.exec(text.trim());
  if (!iso && !other) return null;
  const year = Number(iso ? iso[1] : other![3]);
  const [first, second] = iso ? [Number(iso[2]), Number(iso[3])] : [Number(other![1]), Number(other![2])];
  const [month, day] = iso ? [first, second] : dayFirst ? [second, first] : [first, second];
  const date = new Date(Date.UTC(year, month - 1, day));
  if (date.getUTCFullYear() !== year || date.getUTCMonth() !== month - 1 || date.getUTCDate() !== day) return null;
  return `${String(year).padStart(4, '0')}-${String(month).padStart(2, '0')}-${String(day).padStart(2, '0')}`;
}

/** A number from the ways it is commonly written: `1234.5`, `1,234.50`, `1.234,50`, `1 234`; null when it is none. */
export function readNumber(text: string): number | null {
  let plain = text
    .trim()
    .replace(/[\s\u00a0\u202f'’]/g, '')
    .replace('\u2212', '-');
  if (!/^[+-]?[\d.,]+$/.test(plain) || !/\d/.test(plain)) return null;
  const comma = plain.lastIndexOf(',');
  const point = plain.lastIndexOf('.');
  if (comma > point) {
    // a comma after points, or one that does not stand before three digits, is the decimal mark
    plain = point >= 0 || !/,\d{3}$/.test(plain) ? plain.replace(/\./g, '').replace(',', '.') : plain.replace(/,/g, '');
  } else plain = plain.replace(/,/g, '');
  if ((plain.match(/\./g) ?? []).length > 1) plain = plain.replace(/\./g, '');
  const number = Number(plain);
  return Number.isFinite(number) ? number : null;
}

/** Brings a value into the type that an attribute has, or answers undefined when it does not fit. */
export function fitAttribute(type: AttributeType, value: Value): Value | undefined {
  switch (type) {
    case 'text':
      return typeof value === 'string' ? value : typeof value === 'number' || typeof value === 'boolean' ? String(value) : undefined;
    case 'number':
    case 'money':
      return typeof value === 'number' ? value : typeof value === 'string' ? (readNumber(value) ?? undefined) : undefined;
    case 'yesno': {
      if (typeof value === 'boolean') return value;
      const word = String(value).trim().toLowerCase();
      return YES.has(word) ? true : NO.has(word) ? false : undefined;
    }
    case 'date':
      return typeof value === 'string' ? (readDate(value) ?? undefined) : undefined;
    case 'moment': {
      if (typeof value !== 'string') return undefined;
      const at = parseInstant(value);
      return at === null ? undefined : new Date(at).toISOString();
    }
    case 'place': {
      if (value !== null && typeof value === 'object' && !Array.isArray(value)) {
        const { latitude, longitude } = value as { latitude?: Value; longitude?: Value };
        return typeof latitude === 'number' && typeof longitude === 'number' && Math.abs(latitude) <= 90 && Math.abs(longitude) <= 180
          ? value
          : undefined;
      }
      const parts = typeof value === 'string' ? /^(-?\d+(?:\.\d+)?)\s*[,;]\s*(-?\d+(?:\.\d+)?)$/.exec(value.trim()) : null;
      if (!parts) return undefined;
      return fitAttribute('place', { latitude: Number(parts[1]), longitude: Number(parts[2]) });
    }
    case 'texts': {
      if (Array.isArray(value)) return value.every((one) => typeof one === 'string') ? value : undefined;
      return typeof value === 'string'
        ? value
            .split(/[,;|]/)
            .map((one) => one.trim())
            .filter(Boolean)
        : undefined;
    }
  }
}

/** The type that a value looks like when nobody has declared one. */
export function guessType(value: Value): AttributeType | null {
  if (typeof value === 'boolean') return 'yesno';
  if (typeof value === 'number') return 'number';
  if (typeof value === 'string') {
    if (/^\d{4}-\d{2}-\d{2}$/.test(value) && readDate(value)) return 'date';
    if (/^\d{4}-\d{2}-\d{2}T/.test(value) && parseInstant(value) !== null) return 'moment';
    return 'text';
  }
  if (Array.isArray(value)) return value.every((one) => typeof one === 'string') ? 'texts' : null;
  return value !== null && fitAttribute('place', value) !== undefined ? 'place' : null;
}

/** How many attributes a person may have, and how many names the store takes over from what is sent: beyond, they stay in the event. */
export const MOST_ATTRIBUTES = 500;
export const MOST_NAMES = 5000;

/** Attributes that Viatic itself lives by: they are always taken in. */
export const OWN_ATTRIBUTES: ReadonlySet<string> = new Set(['email', 'phone', 'firstName', 'lastName', 'country', 'zone', 'pushToken']);

/**
 * Parts what is said of a person in what becomes an attribute and what stays with the event: names that are none, and
 * names beyond what a person or the store may have. `room` is how many names that nobody has met may still be taken.
 */
export function attributesToKeep(
  said: { readonly [name: string]: Value },
  onFile: { readonly [name: string]: Value },
  isOnRecord: (name: string) => boolean,
  room: number,
): { kept: { readonly [name: string]: Value }; left: { readonly [name: string]: Value } } {
  let kept: Record<string, Value> | null = null;
  const left: Record<string, Value> = {};
  let own = -1;
  let free = room;
  const drop = (name: string) => {
    kept ??= { ...said };
    delete kept[name];
    left[name] = said[name]!;
  };
  for (const name of Object.keys(said)) {
    if (OWN_ATTRIBUTES.has(name) || Object.hasOwn(onFile, name)) continue;
    if (!isName(name)) {
      drop(name);
      continue;
    }
    // counted only where there is something new: most events teach nothing
    if (own < 0) own = Object.keys(onFile).length;
    const isNew = !isOnRecord(name);
    if (own >= MOST_ATTRIBUTES || (isNew && free <= 0)) {
      drop(name);
      continue;
    }
    own += 1;
    if (isNew) free -= 1;
  }
  return { kept: kept ?? said, left };
}

/** What is on record about an attribute: an old name that lives on under a new one, or one that is retired. */
export interface AttributeRecord {
  readonly name: string;
  readonly type: AttributeType;
  /** whether somebody has declared the type; else it was discovered */
  readonly isDeclared: boolean;
  /** the attribute that what is said under this name goes to */
  readonly goesTo: string | null;
  readonly isRetired: boolean;
}

/**
 * What an event says of a person, as it is kept: old names under their new ones, nothing retired, declared types
 * where the value fits. A value that does not fit is kept as it was said, so that nothing is lost.
 */
export function keptAttributes(
  said: { readonly [name: string]: Value },
  records: ReadonlyMap<string, AttributeRecord>,
): { readonly [name: string]: Value } {
  if (!records.size) return said;
  let kept: Record<string, Value> | null = null;
  for (const [name, value] of Object.entries(said)) {
    const own = records.get(name);
    const target = own?.goesTo ?? name;
    const record = records.get(target);
    if (!own && !record) continue;
    const fitted = record?.isDeclared && value !== null && value !== '' ? (fitAttribute(record.type, value) ?? value) : value;
    if (target === name && fitted === value && !record?.isRetired) continue;
    kept ??= { ...said };
    delete kept[name];
    if (!record?.isRetired) kept[target] = fitted;
  }
  return kept ?? said;
}
