import * as z from 'zod';
import { normaliseEmail } from '@/core/people';
import { DAY } from '@/core/time';
import type { Db } from '@/data/db';
import { noteClaim } from '@/data/people';
import { findSource, noteSourceUse, saveRejections, type SourceRow } from '@/data/sources';
import { readStore } from '@/data/store';
import { Problem, problemsOf, unstorable, type FieldProblem } from '../http';
import { ingest, type IngestAnswer } from '../ingest';
import { NotProven, readArrival, readToken, type Proven } from './proof';

/** What a page may send: nothing that a stranger could harm with. Orders, consent and the like come from servers. */
const PAGE_TYPES = /^(page|product|search|cart|checkout|form|app)\.[a-z0-9_]+$/;
const collectSchema = z.strictObject({
  device: z.string().regex(/^[A-Za-z0-9_-]{16,64}$/),
  events: z
    .array(
      z.looseObject({
        id: z.string().min(8).max(100),
        type: z.string().regex(PAGE_TYPES, 'is not what a page may send'),
        time: z.string().max(40).optional(),
        data: z.record(z.string(), z.unknown()).optional(),
      }),
    )
    .max(50),
  /** who somebody says to be */
  person: z.looseObject({ email: z.string().max(320).optional(), externalId: z.string().max(255).optional() }).optional(),
  /** what shows it: a token that the shop's server has signed, or our own seal from a click in a mail */
  token: z.string().max(4000).optional(),
  arrived: z.string().max(2000).optional(),
});

/** The site that a page's request comes from when it is one of the source's, or null. */
export async function siteOf(db: Db, key: string, origin: string | null): Promise<{ row: SourceRow; origin: string } | null> {
  const row = await findSource(db, key);
  if (!row || row.kind !== 'snippet' || row.revoked_at || !origin) return null;
  return row.settings.sites?.includes(origin) ? { row, origin } : null;
}

/**
 * Takes in what the page snippet has gathered. The key in its address is no secret, so it may only tell of browsing, and
 * links in it must lead to the site itself. Who somebody is at a page is a claim: with proof it joins the device's
 * browsing to that person; without, the visitor is shown to say so, when nobody else has that address, and nothing more.
 */
export async function collect(db: Db, row: SourceRow, raw: string): Promise<IngestAnswer & { says?: string }> {
  const store = await readStore(db);
  const refuse = async (status: number, title: string, detail: string, problems: readonly FieldProblem[]): Promise<never> => {
    await saveRejections(db, row.id, store.now, [{ type: null, problems, raw: raw.slice(0, 16_384) }], 1);
    throw new Problem(status, title, detail, problems);
  };
  let body: unknown;
  try {
    body = JSON.parse(raw);
  } catch {
    throw new Problem(400, 'Malformed JSON', 'The body is not JSON.');
  }
  const bad = unstorable(body, '');
  if (bad) throw new Problem(422, 'Cannot be stored', 'What the page sent was not taken.', [bad]);
  const parsed = collectSchema.safeParse(body);
  if (!parsed.success) return refuse(422, 'Not from a page', 'What the page sent was not taken.', problemsOf(parsed.error));
  const { device, events, person, token, arrived } = parsed.data;
  if (!events.length) return { accepted: 0, duplicates: 0, rejected: [] };
  await noteSourceUse(db, row.id);
  const { proven, says } = await provenBy(db, row, { token, arrived });
  // a page's clock is anybody's: what it says of the last day is taken, else the event happened now
  const timeOf = (time: string | undefined) => {
    const at = time ? Date.parse(time) : NaN;
    const shifted = at + (store.now - Date.now());
    return Number.isFinite(at) && shifted > store.now - DAY && shifted <= store.now + 60_000
      ? new Date(Math.min(shifted, store.now)).toISOString()
      : new Date(store.now).toISOString();
  };
  const answer = await ingest(
    db,
    events.map((event) => {
      const { person: _, ...data } = ownLinks(event.data ?? {}, row.settings.sites ?? []);
      return {
        id: event.id,
        source: `page/${row.key}`,
        type: event.type,
        time: timeOf(event.time),
        ...(proven?.subject && { subject: proven.subject }),
        data: { ...data, person: { device, ...(proven?.email && { email: proven.email }) } },
      };
    }),
    { sourceId: row.id, isPage: true },
  );
  const claimed = !proven && person?.email ? normaliseEmail(person.email) : null;
  if (claimed) await noteClaim(db, device, claimed);
  return says ? { ...answer, says } : answer;
}

/** What shows who is at a page, if anything does; a token that does not is said, and counts for nothing. */
async function provenBy(
  db: Db,
  row: SourceRow,
  { token, arrived }: { token?: string; arrived?: string },
): Promise<{ proven: Proven | null; says?: string }> {
  try {
    const proven = token ? await readToken(row, token) : null;
    return { proven: proven ?? (arrived ? await readArrival(db, arrived) : null) };
  } catch (error) {
    if (!(error instanceof NotProven)) throw error;
    return { proven: null, says: `Who is at this page counts as not known: ${error.message}.` };
  }
}

/** Takes out of data every address that does not lead to one of the sites: a stranger must not put links into our messages. */
function ownLinks(data: Record<string, unknown>, sites: readonly string[]): Record<string, unknown> {
  const clean = (value: unknown, depth: number): unknown => {
    if (typeof value === 'string') return withoutForeignLinks(value, sites);
    if (value === null || typeof value !== 'object' || depth > 20) return value;
    if (Array.isArray(value)) return value.map((one) => clean(one, depth + 1));
    return Object.fromEntries(Object.entries(value).map(([key, one]) => [key, clean(one, depth + 1)]));
  };
  return clean(data, 0) as Record<string, unknown>;
}

/** A text without what a browser or a mail program would make a link of that leads elsewhere; within a text, just that. */
function withoutForeignLinks(text: string, sites: readonly string[]): string {
  // as a browser reads an address: without tabs, line breaks and what stands before it (WHATWG URL §4.4)
  const bare = text.replace(/[\t\n\r]/g, '').replace(/^[\u0000-\u0020]+/, '');
  const url = URL.canParse(bare) ? new URL(bare) : null;
  if (url && /^(https?|ftp|file|data|blob|javascript|vbscript):$/.test(url.protocol)) return sites.includes(url.origin) ? text : '';
  let isForeign = false;
  const kept = bare.replace(/(?:[a-z][a-z0-9+.-]*:)?\/\/\S+|\bwww\.\S+/gi, (link) => {
    if (URL.canParse(link) && sites.includes(new URL(link).origin)) return link;
    isForeign = true;
    return '';
  });
  return isForeign ? kept.trim() : text;
}
