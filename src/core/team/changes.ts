/** A row of what is written by hand, as it was and as it is: only what differs, all of it where the row came or went. */
export interface ActChange {
  /** the table it stands in, such as `offers` */
  readonly of: string;
  readonly key: unknown;
  readonly was: { readonly [name: string]: unknown } | null;
  readonly is: { readonly [name: string]: unknown } | null;
}

/** One thing that differs, in words: of what, where in it, and what it was and is; null where there was or is nothing. */
export interface ChangeLine {
  readonly of: string;
  readonly where: string;
  readonly was: string | null;
  readonly is: string | null;
}

/** How long a value may be said, in characters. */
const LONGEST = 80;

type Fields = { readonly [name: string]: unknown };
/** What a row of a table is called. */
const NOUNS: { readonly [table: string]: string } = {
  attributes: 'attribute',
  brands: 'brand',
  cards: 'description of',
  country_groups: 'group of countries',
  feeds: 'feed',
  flows: 'flow',
  forms: 'form',
  library: 'message',
  lists: 'list',
  lookup_tables: 'table',
  offers: 'offer',
  product_feeds: 'product feed',
  reports: 'report',
  segments: 'segment',
  senders: 'sender',
  settings: 'setting',
  sources: 'source',
  starters: 'starter',
  topics: 'topic',
  users: 'colleague',
  warm_ups: 'warm-up of',
};
const isFields = (value: unknown): value is Fields => typeof value === 'object' && value !== null && !Array.isArray(value);
/** What a row, a part of a document or an entry of a list is called by, to know it again wherever it stands. */
const nameOf = (value: unknown): string | null => {
  if (!isFields(value)) return null;
  const name = value.id ?? value.key;
  return typeof name === 'string' || typeof name === 'number' ? String(name) : null;
};
/** `everyMinutes` and `every_minutes` as "every minutes". */
const inWords = (name: string): string =>
  name
    .replace(/([a-z])([A-Z])/g, '$1 $2')
    .replaceAll(/[_-]/g, ' ')
    .toLowerCase();

function say(value: unknown): string | null {
  if (value === null || value === undefined || value === '') return null;
  if (typeof value === 'boolean') return value ? 'yes' : 'no';
  if (Array.isArray(value)) {
    if (!value.length) return null;
    if (value.every((one) => typeof one === 'string' || typeof one === 'number')) return clip(value.join(', '));
  }
  return clip(typeof value === 'object' ? JSON.stringify(value) : String(value));
}
const clip = (text: string): string => (text.length > LONGEST ? `${text.slice(0, LONGEST - 1)}…` : text);

/** The entries of a list under names: their own where each has one that no other has, else where they stand. */
function entriesOf(list: readonly unknown[]): Map<string, unknown> {
  const names = list.map(nameOf);
  const isNamed = names.every((name) => name !== null) && new Set(names).size === names.length;
  return new Map(list.map((one, index) => [isNamed ? names[index]! : String(index + 1), one]));
}
const isPlainList = (value: unknown): boolean => Array.isArray(value) && value.every((one) => typeof one !== 'object' || one === null);
const partsOf = (value: unknown): Map<string, unknown> | null => {
  if (isFields(value)) return new Map(Object.entries(value));
  return Array.isArray(value) && !isPlainList(value) ? entriesOf(value) : null;
};

function* differences(
  was: unknown,
  is: unknown,
  where: readonly string[],
): Generator<[where: readonly string[], was: unknown, is: unknown]> {
  const [before, after] = [partsOf(was), partsOf(is)];
  if (before && after) {
    for (const name of new Set([...before.keys(), ...after.keys()]))
      yield* differences(before.get(name), after.get(name), [...where, inWords(name)]);
  } else if (JSON.stringify(was) !== JSON.stringify(is)) yield [where, was, is];
}

/**
 * What an act has changed, line by line, at most so many: documents are gone into down to what differs. Of what came or went
 * altogether only its plain fields are said, since the rest is what it is now, or is gone.
 */
export function changeLines(changes: readonly ActChange[], most: number): { lines: ChangeLine[]; more: number } {
  const all = changes.flatMap(({ of, key, was, is }) => {
    const whose = [NOUNS[of] ?? inWords(of), say(key)].filter(Boolean).join(' ');
    const found = [...differences(was ?? {}, is ?? {}, [])];
    return found
      .filter(([, before, after]) => (was && is) || partsOf(before ?? after) === null)
      .map(([path, before, after]): ChangeLine => ({
        of: whose,
        // the document is the thing itself
        where: path.filter((name, index) => index > 0 || !(name === 'document' || name === 'value') || path.length === 1).join(', '),
        was: say(before),
        is: say(after),
      }))
      .filter((line) => line.was !== line.is);
  });
  return { lines: all.slice(0, most), more: Math.max(0, all.length - most) };
}
