import { Problem } from './problem';

/** A whole number from an address, within bounds; beyond them it is the nearest bound, and what is no whole number is refused with its name. */
export function wholeNumber(
  url: URL,
  name: string,
  { least, most, otherwise }: { least: number; most: number; otherwise: number },
): number {
  const text = url.searchParams.get(name);
  if (text === null || text === '') return otherwise;
  if (!/^[+-]?\d{1,15}$/.test(text))
    throw new Problem(400, 'Not a number', `${name} must be a whole number.`, [
      { field: name, wrong: 'is not a whole number', right: `a whole number from ${least} to ${most}` },
    ]);
  return Math.min(most, Math.max(least, Number(text)));
}

/** A cursor of ours from an address, or null. */
export function cursorOf(url: URL): string | null {
  const before = url.searchParams.get('before');
  if (before && !/^\d{1,18}$/.test(before))
    throw new Problem(400, 'Not a cursor', 'The cursor is not one of ours.', [
      { field: 'before', wrong: 'is not a cursor', right: 'the value of "next" in the answer before' },
    ]);
  return before || null;
}

/** The revision that the sender saw, from If-Match, or null where none is named. */
export function revisionSeen(request: Request): number | null {
  const match = request.headers.get('if-match');
  if (match === null) return null;
  const revision = /^"?(\d{1,9})"?$/.exec(match)?.[1];
  if (!revision) throw new Problem(400, 'Not a revision', 'If-Match must be the revision of the draft, as in the ETag of GET.');
  return Number(revision);
}

/** One of some ways, the first where nothing is said. */
export function oneOf<T extends string>(url: URL, field: string, ways: readonly [T, ...T[]]): T {
  const said = url.searchParams.get(field) ?? ways[0];
  const way = ways.find((one) => one === said);
  if (!way)
    throw new Problem(400, 'Not a choice', 'Nothing was done.', [{ field, wrong: `is none of ${ways.length}`, right: ways.join(' or ') }]);
  return way;
}
