import { z } from 'zod';
import type { DirectoryView, PersonView, TimelineView } from '@/core/api';
import type { Instant } from '@/core/time';
import { planOf, sayStep } from '@/core/flows';
import { laterConsent } from '@/core/people';
import { CONSENT_CHANGED, ruleSchema, sayRule, unreachableBecause, type Rule } from '@/core/rules';
import { inTransaction, type Db } from '@/data/db';
import { countPeople, listPeople, SORTS, type Sort } from '@/data/directory';
import { loadFacts } from '@/data/facts';
import { readVersion } from '@/data/flows';
import { findPerson, lockPeople, readConsents, saveConsents, suppress, type PersonRow } from '@/data/people';
import { NotForLists, ruleToSql, type Compiled } from '@/data/rules';
import { wakeRuns } from '@/data/runs';
import { readStore } from '@/data/store';
import { openRuns, personTotals, timeline } from '@/data/timeline';
import { notFound, Problem, problemsOf } from './http/problem';
import { unstorable } from './http/read';
import { ingest } from './ingest/ingest';

/** Finds a person by external id, or by our own number written as `~123` for those who have none. */
export async function person(db: Db, id: string): Promise<PersonRow> {
  const found = await findPerson(db, id.startsWith('~') ? { id: id.slice(1) } : { externalId: id });
  if (!found) throw notFound(`person "${id.slice(0, 80)}"`);
  return found;
}

/** The name under which a person is addressed in the API and in links. */
export function publicId(row: { id: string; external_id: string | null }): string {
  return row.external_id !== null && !row.external_id.startsWith('~') ? row.external_id : `~${row.id}`;
}

/** All about one person: who they are, consent, orders, the flows they are in and what happens next. */
export async function personView(db: Db, scope: string, id: string): Promise<PersonView> {
  const row = await person(db, id);
  const [facts, totals, runs, consents] = await Promise.all([loadFacts(db, [row.id], []), personTotals(db, row.id), openRuns(db, row.id), readConsents(db, [row.id])]);
  const reach = facts.get(row.id)!.reach.email;
  const consent = consents.get(row.id);
  const flows = await Promise.all(runs.map(async (run) => {
    const plan = planOf(await readVersion(db, scope, run.flow_id, run.version));
    const step = run.step ? plan.steps.get(run.step) : undefined;
    const after = run.step ? plan.after.get(run.step) : undefined;
    const next = step?.kind === 'wait' && after ? plan.steps.get(after) : undefined;
    return {
      flow: run.flow_key, name: run.flow_name, version: run.version, key: run.key, phase: run.phase,
      enteredAt: run.entered_at?.toISOString() ?? null, nextAt: run.wake_at?.toISOString() ?? null,
      at: step ? sayStep(step) : run.phase === 'watching' ? 'Through; waits for the goal' : run.phase === 'armed' ? 'Not entered yet: the silence still lasts' : null,
      next: next ? sayStep(next) : null,
    };
  }));
  return {
    id: publicId(row), externalId: row.external_id, email: row.email, attributes: row.attributes,
    consent: { email: { state: consent?.state ?? 'unknown', at: consent ? new Date(consent.at).toISOString() : null, suppressed: reach.suppressed, reachable: unreachableBecause(reach) === null, because: unreachableBecause(reach) } },
    orders: { count: totals.orders, firstAt: totals.first_at?.toISOString() ?? null, lastAt: totals.last_at?.toISOString() ?? null, totals: totals.by_currency ?? [] },
    flows, createdAt: row.created_at.toISOString(), seenAt: row.seen_at.toISOString(),
  };
}

const KINDS = ['event', 'trace', 'send', 'consent'];
const CURSOR = /^(\d{1,15})_(\d{1,9})_(\d{1,18})$/;

/** One person's time line, newest first, a page at a time. */
export async function personTimeline(db: Db, id: string, url: URL): Promise<TimelineView> {
  const row = await person(db, id);
  const limit = Math.min(200, Math.max(1, Number(url.searchParams.get('limit')) || 50));
  const cursor = url.searchParams.get('before');
  const parts = cursor ? CURSOR.exec(cursor) : null;
  if (cursor && !parts) throw new Problem(400, 'Not a cursor', 'The cursor is not one of ours.', [{ field: 'before', wrong: 'is not a cursor', right: 'the value of "next" in the answer before' }]);
  const kinds = url.searchParams.get('kinds')?.split(',').filter((kind) => KINDS.includes(kind)) ?? null;
  const rows = await timeline(db, row.id, {
    limit: limit + 1, kinds: kinds?.length ? kinds : null, words: url.searchParams.get('q')?.trim() || null,
    before: parts ? { at: Number(parts[1]), rank: Number(parts[2]), id: parts[3]! } : null,
  });
  const page = rows.slice(0, limit);
  const last = page.at(-1);
  return {
    person: publicId(row),
    items: page.map((r) => ({
      at: new Date(Number(r.at_ms)).toISOString(), kind: r.kind, type: r.type, says: r.title,
      ...(r.flow_key && { flow: { key: r.flow_key, name: r.flow_name! } }), ...(r.step_id && { step: r.step_id }), ...(r.run_id && { run: r.run_id }),
      ...(r.because && { because: r.because }), ...(r.detail && { detail: r.detail }),
    })),
    next: rows.length > limit && last ? `${last.at_ms}_${last.rank}_${last.id}` : null,
  };
}

/** Reads the filter of a list of people from an address: words, a rule as JSON, a flow. */
function filterOf(url: URL, now: Instant, zone: string) {
  const words = url.searchParams.get('q')?.trim() || null;
  const text = url.searchParams.get('rule');
  let rule: Compiled | null = null;
  let says: string | null = null;
  if (text) {
    const parsed = readRule(text);
    try {
      rule = ruleToSql(parsed, now, zone);
    } catch (error) {
      if (error instanceof NotForLists) throw new Problem(422, 'Not a rule for lists', `This rule cannot pick people from a list: ${error.message}.`);
      throw error;
    }
    says = sayRule(parsed);
  }
  return { filter: { words, rule, insideFlow: url.searchParams.get('inside') || null }, says };
}

function readRule(text: string): Rule {
  let input: unknown;
  try {
    input = JSON.parse(text);
  } catch {
    throw new Problem(400, 'Malformed JSON', 'The rule is not JSON.', [{ field: 'rule', wrong: 'is not JSON', right: 'a rule such as {"test":"consent","channel":"email","reachable":true}' }]);
  }
  const bad = unstorable(input, 'rule');
  if (bad) throw new Problem(422, 'Not a rule', 'The rule holds what cannot be stored.', [bad]);
  const parsed = ruleSchema.safeParse(input);
  if (!parsed.success) throw new Problem(422, 'Not a rule', 'This is not a rule.', problemsOf(parsed.error, 'rule'));
  return parsed.data;
}

/** People who match a search, a rule and a flow: a page of them, and how many there are. */
export async function directory(db: Db, url: URL): Promise<DirectoryView> {
  const store = await readStore(db);
  const { filter, says } = filterOf(url, store.now, store.zone);
  const sort = (url.searchParams.get('sort') ?? 'seen') as Sort;
  if (!Object.hasOwn(SORTS, sort)) throw new Problem(400, 'Not a column', 'People cannot be sorted by that.', [{ field: 'sort', wrong: 'is not a column', right: Object.keys(SORTS).join(', ') }]);
  const limit = Math.min(200, Math.max(0, Number(url.searchParams.get('limit') ?? 50) || 0));
  const offset = Math.max(0, Math.min(10_000_000, Math.floor(Number(url.searchParams.get('offset')) || 0)));
  const [total, rows] = await Promise.all([countPeople(db, filter), limit ? listPeople(db, filter, sort, store.currency, limit, offset) : []]);
  return {
    total, offset, rule: says,
    people: rows.map((row) => ({
      id: publicId(row), email: row.email, name: [row.attributes.firstName, row.attributes.lastName].filter(Boolean).join(' ') || null, country: typeof row.attributes.country === 'string' ? row.attributes.country : null,
      orders: row.orders, value: { currency: store.currency, minor: Number(row.minor) }, seenAt: row.seen_at.toISOString(), createdAt: row.created_at.toISOString(),
      unreachable: unreachableBecause({ hasAddress: row.email !== null, state: row.consent ?? 'unknown', suppressed: row.suppressed }),
    })),
  };
}

export const putPersonSchema = z.strictObject({ attributes: z.record(z.string().min(1).max(80), z.unknown()).optional(), email: z.string().optional(), firstName: z.string().optional(), lastName: z.string().optional(), phone: z.string().optional(), country: z.string().optional(), zone: z.string().optional(), consent: z.strictObject({ email: z.boolean() }).optional() });

/** Creates or updates a person, by way of an event, so that identity, merging and waking are the same as for any other. */
export async function putPerson(db: Db, scope: string, externalId: string, body: unknown): Promise<void> {
  const parsed = putPersonSchema.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not a person', 'The person was not stored.', problemsOf(parsed.error));
  const { attributes, ...known } = parsed.data;
  const answer = await ingest(db, scope, { id: crypto.randomUUID(), source: 'api/people', type: 'person.updated', subject: externalId, data: { person: { ...attributes, ...known } } });
  const problem = answer.rejected[0];
  if (problem) {
    throw new Problem(422, 'Not a person', 'The person was not stored.', problem.problems.map((p) => ({ ...p, field: p.field.replace(/^data\.person\.?/, '') || p.field })));
  }
}

/** Takes a person's consent to email away on their own word, and never writes to that address again. */
export async function unsubscribe(db: Db, personId: string, how: string): Promise<{ email: string | null; storeName: string } | null> {
  const store = await readStore(db);
  return inTransaction(db, async (trx) => {
    const row = (await lockPeople(trx, [personId])).get(personId);
    if (!row) return null;
    const known = (await readConsents(trx, [personId])).get(personId) ?? null;
    if (known?.state !== 'withdrawn') {
      const state = laterConsent(known, { state: 'withdrawn', at: Math.max(store.now, known?.at ?? 0) })!;
      await saveConsents(trx, [{ personId, state, how, wording: null }]);
    }
    if (row.email) await suppress(trx, row.email, 'unsubscribed', store.now);
    await wakeRuns(trx, [personId], [CONSENT_CHANGED], store.now);
    return { email: row.email, storeName: store.name };
  });
}

/** Puts an address out of use after a hard bounce or a complaint. */
export async function suppressPerson(db: Db, personId: string, reason: 'bounced' | 'complained'): Promise<void> {
  const store = await readStore(db);
  await inTransaction(db, async (trx) => {
    const row = (await lockPeople(trx, [personId])).get(personId);
    if (!row?.email) return;
    await suppress(trx, row.email, reason, store.now);
    await wakeRuns(trx, [personId], [CONSENT_CHANGED], store.now);
  });
}
