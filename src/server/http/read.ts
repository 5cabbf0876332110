import { Problem } from './problem';

/** The largest body that is read, in bytes. */
export const LARGEST_BODY = 5 * 1024 * 1024;
/** The largest rule that is read by itself, in bytes: 500 tests of some length. */
export const LARGEST_RULE = 512 * 1024;
const DEEPEST = 24;

/** Reads a body and stops at the limit, whatever the length header says. */
export async function readBytes(request: Request, limit: number): Promise<Buffer> {
  const tooLarge = new Problem(413, 'Too large', `The body is larger than ${limit} bytes; send it in several requests.`);
  if (Number(request.headers.get('content-length') ?? 0) > limit) throw tooLarge;
  if (!request.body) return Buffer.alloc(0);
  const chunks: Uint8Array[] = [];
  let size = 0;
  const reader = request.body.getReader();
  for (;;) {
    const { done, value } = await reader.read();
    if (done) break;
    size += value.byteLength;
    if (size > limit) {
      await reader.cancel();
      throw tooLarge;
    }
    chunks.push(value);
  }
  return Buffer.concat(chunks);
}

/** Reads a body as text, which is UTF-8. */
async function readText(request: Request, limit: number): Promise<string> {
  const bytes = await readBytes(request, limit);
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch {
    throw new Problem(400, 'Not UTF-8', 'The body is not valid UTF-8.');
  }
}

/** Reads a body as JSON, whatever it holds. Malformed JSON is answered with the place of the mistake. */
export async function readAnyJson(request: Request, limit = LARGEST_BODY): Promise<unknown> {
  const text = await readText(request, limit);
  try {
    return JSON.parse(text);
  } catch (error) {
    throw new Problem(
      400,
      'Malformed JSON',
      text.trim() === '' ? 'The body is empty; send JSON.' : `The body is not JSON: ${(error as Error).message.slice(0, 200)}`,
    );
  }
}

/** Reads a body as JSON that can be kept: what no text on file can hold is refused here, with its place, for all routes. */
export async function readJson(request: Request, limit = LARGEST_BODY): Promise<unknown> {
  const value = await readAnyJson(request, limit);
  const bad = unstorable(value, '');
  if (bad) throw new Problem(422, 'Cannot be stored', 'Nothing was changed.', [{ ...bad, field: bad.field || 'body' }]);
  return value;
}

/** Reads a body as it was sent, for checking its signature. */
export function readRaw(request: Request, limit = LARGEST_BODY): Promise<string> {
  return readText(request, limit);
}

/** How long a value may at most be as JSON: a bound that costs nothing beside looking through it. */
export interface Tally {
  characters: number;
}

interface Flaw {
  readonly at: string;
  readonly wrong: string;
  readonly right: string;
}

/**
 * Finds what JSON can carry but the database cannot keep: the character U+0000, halves of a surrogate pair, numbers
 * beyond the range of a double, nesting without end. Answers with the field and what is wrong, or null; where a tally
 * is given, it is added to.
 */
export function unstorable(
  value: unknown,
  path: string,
  tally: Tally = { characters: 0 },
): { field: string; wrong: string; right: string } | null {
  const flaw = flawIn(value, 0, tally);
  return flaw && { field: within(path, flaw.at), wrong: flaw.wrong, right: flaw.right };
}

const within = (path: string, rest: string): string => (path && rest && !rest.startsWith('[') ? `${path}.${rest}` : path + rest);

function flawIn(value: unknown, depth: number, tally: Tally): Flaw | null {
  if (typeof value === 'string') {
    // a character takes six at most, as an escape
    tally.characters += 6 * value.length + 3;
    if (value.includes('\u0000')) return { at: '', wrong: 'holds the character U+0000', right: 'text without control characters' };
    return isWellFormed(value) ? null : { at: '', wrong: 'holds half of a surrogate pair', right: 'well-formed Unicode text' };
  }
  tally.characters += 26;
  if (typeof value === 'number')
    return Number.isFinite(value) ? null : { at: '', wrong: 'is not a finite number', right: 'a number between -1.8e308 and 1.8e308' };
  if (value === null || typeof value !== 'object') return null;
  if (depth >= DEEPEST) return { at: '', wrong: `is nested deeper than ${DEEPEST} levels`, right: 'flatter data' };
  if (Array.isArray(value)) {
    for (let i = 0; i < value.length; i++) {
      const flaw = flawIn(value[i], depth + 1, tally);
      if (flaw) return { ...flaw, at: within(`[${i}]`, flaw.at) };
    }
    return null;
  }
  for (const key of Object.keys(value)) {
    tally.characters += 6 * key.length + 4;
    if (key.includes('\u0000') || !isWellFormed(key))
      return { at: '', wrong: 'has a name that is not well-formed text', right: 'names without control characters' };
    const flaw = flawIn((value as Record<string, unknown>)[key], depth + 1, tally);
    if (flaw) return { ...flaw, at: within(key, flaw.at) };
  }
  return null;
}

const isWellFormed = (text: string): boolean => (text as string & { isWellFormed(): boolean }).isWellFormed();

/** Reads a submitted form (URL-encoded) as names and texts; null when it is none, or too large. */
export async function readFormBody(request: Request, limit = 256 * 1024): Promise<Record<string, string> | null> {
  try {
    const text = await readText(request, limit);
    return Object.fromEntries([...new URLSearchParams(text)].slice(0, 200).map(([name, value]) => [name, value.replaceAll('\u0000', '')]));
  } catch {
    return null;
  }
}
