import {
  codeCheckInput,
  issueInput,
  loadInput,
  type CodeView,
  type OfferCounts,
  type OfferItem,
  type OfferReport,
  type OfferView,
} from '@/core/api';
import {
  checkCode,
  expiryOf,
  isOver,
  offerWords,
  offerKey,
  offerSchema,
  sayExpires,
  sayExpiry,
  sayGuard,
  sayGuarded,
  sayTerms,
  type Checked,
  type Offer,
} from '@/core/offers';
import { stepsOf, type FlowDocument } from '@/core/flows';
import { toMinor } from '@/core/money';
import { differenceInterval } from '@/core/stats';
import { namedBy, sayWho, testsOf, type Rule } from '@/core/rules';
import { DAY, type Instant } from '@/core/time';
import { inTransaction, type Db, type Sql } from '@/data/db';
import { documentsNow } from '@/data/flows';
import {
  codesOf,
  codesOfPerson,
  costsOf,
  findCode,
  findOffer,
  heldOutOf,
  listOffers,
  loadCodes,
  messagesWithAndWithout,
  offerFigures,
  offersFigures,
  saveOffer,
  setArchived,
  withheldOf,
  holdBounded,
  type CodeLife,
  type CodeRow,
  type OfferFigures,
  type OfferRow,
} from '@/data/offers';
import { findPerson, lockPeople, ownerOfIdentifier } from '@/data/people';
import { namedOnFile } from '@/data/rules';
import { readStore, recordAct, type StoreNow } from '@/data/store';
import { notFound, Problem, problemsOf, wholeNumber, type FieldProblem } from '../http';
import { personOf } from '../people';
import { issueTo } from '../codes';

const DAYS = 90;

/** The flows that issue codes of an offer, by their newest documents. */
export const issuesOf = (document: FlowDocument, key: string): boolean =>
  stepsOf(document).some((step) => step.kind === 'code' && step.offer === key);

const countsOf = (figures: OfferFigures | undefined, currency: string): OfferCounts => ({
  issued: figures?.issued ?? 0,
  open: figures?.open ?? 0,
  used: figures?.used ?? 0,
  expired: figures?.expired ?? 0,
  stored: figures?.stored ?? 0,
  passedOn: figures?.passed_on ?? 0,
  discount: { currency, minor: figures?.discount ?? 0 },
  revenue: { currency, minor: figures?.net ?? 0 },
});

/** Whether no more codes are issued of an offer, and why. */
function endOf(offer: Offer, figures: OfferFigures | undefined, now: Instant, zone: string): OfferItem['isOver'] {
  if (isOver(offer, now, zone)) return 'over';
  const { most, currency } = offer;
  const isSpent =
    (most?.codes !== undefined && (figures?.issued ?? 0) >= most.codes) ||
    (most?.discount !== undefined && (figures?.discount ?? 0) >= toMinor(most.discount, currency)) ||
    ('loaded' in offer.code && (figures?.stored ?? 0) === 0);
  return isSpent ? 'spent' : null;
}

async function itemsOf(db: Sql, rows: readonly OfferRow[], store: StoreNow): Promise<OfferItem[]> {
  const figures = new Map((await offersFigures(db, store.now, rows.length === 1 ? rows[0]!.key : null)).map((one) => [one.offer, one]));
  const flows = await documentsNow(db);
  return rows.map(({ key, document, archived_at }) => ({
    key,
    name: document.name,
    terms: sayTerms(document),
    expiry: sayExpiry(document),
    guard: sayGuard(document.guard),
    isArchived: archived_at !== null,
    isOver: endOf(document, figures.get(key), store.now, store.zone),
    flows: flows
      .filter((flow) => issuesOf(flow.document, key))
      .map((flow) => ({ key: flow.key, name: flow.name, isOn: flow.state === 'on' })),
    ...countsOf(figures.get(key), document.currency),
  }));
}

export async function offers(db: Db): Promise<{ offers: OfferItem[] }> {
  return { offers: await itemsOf(db, await listOffers(db), await readStore(db)) };
}

async function offer(db: Sql, key: string): Promise<OfferRow> {
  const row = await findOffer(db, key);
  if (!row) throw notFound(`offer "${key.slice(0, 60)}"`);
  return row;
}

export async function offerView(db: Db, key: string): Promise<OfferView> {
  const row = await offer(db, key);
  const store = await readStore(db);
  const [item] = await itemsOf(db, [row], store);
  const { who } = row.document;
  return {
    ...item!,
    document: row.document,
    who: who ? sayWho(who, { currency: store.currency, names: await namedOnFile(db) }) : null,
    createdAt: row.created_at.toISOString(),
    createdBy: row.created_by,
  };
}

/** What a rule of an offer asks for that is not on file. */
async function missingIn(db: Sql, rule: Rule | null | undefined, field: string): Promise<FieldProblem[]> {
  if (!rule) return [];
  const onFile = await namedOnFile(db);
  return testsOf(rule).flatMap((test) => {
    const named = namedBy(test);
    return named && !onFile[named.kind].has(named.key)
      ? [{ field, wrong: `asks for a ${named.kind} that is not on file: ${named.key}`, right: `the key of a ${named.kind}` }]
      : [];
  });
}

/** Stores an offer under its key, new or not. What has been issued already keeps its own end; the rest follows the new terms. */
export async function putOffer(db: Db, key: string, body: unknown, by: string): Promise<OfferView> {
  if (!offerKey.safeParse(key).success)
    throw new Problem(400, 'Not a key', "An offer's key is made of a-z, 0-9 and -, at most 60 characters.", [
      { field: 'key', wrong: 'is not a key', right: 'for example cart-10' },
    ]);
  const parsed = offerSchema.safeParse(body);
  if (!parsed.success)
    throw new Problem(
      422,
      'Not an offer',
      'The document is not an offer of the form viatic.offer/1; nothing was stored.',
      problemsOf(parsed.error),
    );
  const { data } = parsed;
  await inTransaction(db, async (trx) => {
    const problems = [...(await missingIn(trx, data.who, 'who')), ...(await missingIn(trx, data.guard.never, 'guard.never'))];
    if (problems.length) throw new Problem(422, 'Not an offer', 'Its rules ask for what is not there; nothing was stored.', problems);
    const was = await findOffer(trx, key);
    const figures = was && (await offersFigures(trx, (await readStore(trx)).now, key))[0];
    if (was && figures?.issued && was.document.currency !== data.currency)
      throw new Problem(409, 'Codes are out', `${figures.issued} codes of it count in ${was.document.currency}; nothing was changed.`, [
        { field: 'currency', wrong: 'cannot change while codes are out', right: 'make another offer for the other currency' },
      ]);
    const { now } = await readStore(trx);
    await saveOffer(trx, key, data, by, now);
    await recordAct(trx, now, by, was ? 'offer.changed' : 'offer.made', { key });
  });
  return offerView(db, key);
}

/** Archives an offer: no more codes of it are issued; those that are out go on counting. Refused while flows that are on issue them. */
export async function archiveOffer(db: Db, key: string, by: string): Promise<void> {
  await inTransaction(db, async (trx) => {
    await offer(trx, key);
    const uses = (await documentsNow(trx)).filter((flow) => flow.state === 'on' && issuesOf(flow.document, key));
    if (uses.length)
      throw new Problem(
        409,
        'Still in use',
        `Codes of it are issued in ${uses.map(({ name }) => `“${name}”`).join(', ')}. Take the step out there first; nothing was changed.`,
      );
    const { now } = await readStore(trx);
    await setArchived(trx, key, now);
    await recordAct(trx, now, by, 'offer.archived', { key });
  });
}

export async function restoreOffer(db: Db, key: string, by: string): Promise<OfferView> {
  await inTransaction(db, async (trx) => {
    await offer(trx, key);
    await setArchived(trx, key, null);
    await recordAct(trx, (await readStore(trx)).now, by, 'offer.restored', { key });
  });
  return offerView(db, key);
}

/** What became of an offer: its codes by day and flow, what they cost and brought, and whom its guard kept them from. */
export async function offerReport(db: Db, key: string): Promise<OfferReport> {
  const row = await offer(db, key);
  const { now, zone, revenue } = await readStore(db);
  const { currency, guard } = row.document;
  const since = now - DAYS * DAY;
  const [[figures], { days, flows }, { reasons, people }, held, costs, messages] = await Promise.all([
    offersFigures(db, now, key),
    offerFigures(db, now, key, zone),
    withheldOf(db, key, since),
    heldOutOf(db, key, since, now - HELD_DAYS * DAY, HELD_DAYS),
    costsOf(db, key, currency),
    messagesWithAndWithout(db, key, since, { currency, model: revenue.model }),
  ]);
  const money = (minor: number) => ({ currency, minor });
  const says = (why: string) => sayWithheldShort(why, guard);
  const kept = reasons
    .filter(({ why }) => !['gone', 'over', 'spent', 'hops', 'dropped', 'who', 'lot'].includes(why))
    .reduce((sum, one) => sum + one.times, 0);
  // so much does a code that has gone out cost, used or not
  const saved = figures && figures.used && figures.issued ? Math.round((kept * figures.discount) / figures.issued) : null;
  return {
    ...countsOf(figures, currency),
    days,
    byFlow: flows,
    withheld: reasons.map((one) => ({ ...one, says: says(one.why) })),
    withheldFrom: people.map(({ id, name, why, times, last_at }) => ({
      person: { id, name },
      says: says(why),
      times,
      lastAt: last_at.toISOString(),
    })),
    saved: saved === null ? null : { currency, minor: saved },
    margin: costs.orders
      ? {
          orders: costs.orders,
          unknown: costs.unknown,
          net: money(costs.net),
          cost: money(costs.cost),
          left: money(costs.net - costs.cost),
        }
      : null,
    perMessage:
      messages.with.messages || messages.without.messages
        ? {
            days: DAYS,
            with: { messages: messages.with.messages, revenue: money(messages.with.minor) },
            without: { messages: messages.without.messages, revenue: money(messages.without.minor) },
          }
        : null,
    holdout:
      row.document.holdout === undefined && !held.without.people
        ? null
        : { percent: row.document.holdout ?? 0, days: HELD_DAYS, ...held, ...whatItBrings(held) },
  };
}

/** Within how many days an order counts for those who got a code, and those who were drawn to get none. */
const HELD_DAYS = 7;

/**
 * What an offer brings: the difference of the shares who order, with its interval, and which share of those who ordered with a code
 * would have ordered anyway. Said of groups that have somebody in them.
 */
export function whatItBrings({
  with: got,
  without,
}: Awaited<ReturnType<typeof heldOutOf>>): Pick<NonNullable<OfferReport['holdout']>, 'difference' | 'anyway'> {
  if (!got.people || !without.people) return { difference: null, anyway: null };
  const [p, q] = [got.ordered / got.people, without.ordered / without.people];
  const { low: from, high: to } = differenceInterval(
    { count: got.ordered, of: got.people },
    { count: without.ordered, of: without.people },
  );
  const share = (part: number) => Math.min(1, Math.max(0, part));
  return {
    difference: { points: (p - q) * 100, from: from * 100, to: to * 100 },
    anyway: p > 0 ? { share: share(q / p), from: share((p - to) / p), to: share((p - from) / p) } : null,
  };
}

function sayWithheldShort(why: string, guard: Offer['guard']): string {
  switch (why) {
    case 'gone':
      return 'there was no such offer';
    case 'over':
      return 'the offer was over';
    case 'spent':
      return 'as many codes were out as there may be';
    case 'lot':
      return 'drawn to get none';
    case 'dropped':
      return 'it fell due while the flow was paused';
    case 'hops':
      return 'flows had begun each other too often';
    case 'who':
      return 'the offer is not for them';
    default:
      return sayGuarded(why as Parameters<typeof sayGuarded>[0], guard);
  }
}

function codeViewOf(row: CodeRow, now: Instant): CodeView {
  const state =
    row.issued_at === null ? 'stored' : row.used_at ? 'used' : row.expires_at && row.expires_at.getTime() <= now ? 'expired' : 'open';
  return {
    code: row.code,
    offer: { key: row.offer, name: row.document.name },
    terms: sayTerms(row.document),
    state,
    person: row.person === null ? null : { id: row.person, name: row.person_name ?? '' },
    flow: row.flow === null ? null : { key: row.flow, name: row.flow_name!, step: row.step_id! },
    by: row.how === 'flow' ? null : row.how,
    issuedAt: row.issued_at?.toISOString() ?? null,
    expiresAt: row.expires_at?.toISOString() ?? null,
    used: row.used_at && {
      at: row.used_at.toISOString(),
      orderId: row.order_id ?? '',
      discount: { currency: row.currency!, minor: Number(row.discount_minor) },
      byOther: row.used_by !== row.person_id,
    },
  };
}

const LIVES: readonly CodeLife[] = ['open', 'used', 'expired', 'stored'];

/** The codes of an offer, those issued last first, page by page. */
export async function offerCodes(db: Db, key: string, url: URL): Promise<{ codes: CodeView[]; next: string | null }> {
  await offer(db, key);
  const state = url.searchParams.get('state');
  if (state !== null && !LIVES.includes(state as CodeLife))
    throw new Problem(400, 'Not a state', `"${state.slice(0, 40)}" is no state of a code.`, [
      { field: 'state', wrong: 'is no state of a code', right: LIVES.join(', ') },
    ]);
  const limit = wholeNumber(url, 'limit', { least: 1, most: 1000, otherwise: 100 });
  const before = url.searchParams.get('before');
  const cursor = before === null ? null : /^(\d{1,15})_(\d{1,18})$/.exec(before);
  if (before !== null && !cursor) throw new Problem(400, 'Not a cursor', 'The cursor is not one of ours.');
  const { now } = await readStore(db);
  const rows = await codesOf(db, {
    offer: key,
    state: state as CodeLife | null,
    now,
    limit: limit + 1,
    before: cursor && { at: Number(cursor[1]), id: cursor[2]! },
  });
  const page = rows.slice(0, limit);
  return {
    codes: page.map((row) => codeViewOf(row, now)),
    next: rows.length > limit ? `${page.at(-1)!.issued_at?.getTime() ?? 0}_${page.at(-1)!.id}` : null,
  };
}

export async function codeView(db: Db, code: string): Promise<CodeView> {
  const row = await findCode(db, code);
  if (!row) throw notFound(`code "${code.slice(0, 60)}"`);
  return codeViewOf(row, (await readStore(db)).now);
}

/** Issues a code to one person by hand. The guard does not ask; the bounds of the offer do. */
export async function issueByHand(db: Db, key: string, body: unknown, by: string): Promise<CodeView> {
  const parsed = issueInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not a person', 'No code was issued.', problemsOf(parsed.error));
  const person = await personOf(db, parsed.data.person);
  const code = await inTransaction(db, async (trx) => {
    await lockPeople(trx, [person.id]);
    const row = await offer(trx, key);
    const store = await readStore(trx);
    if (row.archived_at) throw new Problem(409, 'Archived', 'The offer is archived; no code was issued.');
    if (isOver(row.document, store.now, store.zone))
      throw new Problem(409, 'Over', 'The last day of the offer is over; no code was issued.');
    if (((await holdBounded(trx, [key])).get(key) ?? 1) < 1)
      throw new Problem(409, 'None left', 'As many codes are out as the offer may have; no code was issued.');
    const [issued] = await issueTo(trx, key, row.document, [{ personId: person.id, attributes: person.attributes }], store, by);
    if (typeof issued !== 'string') throw new Problem(409, 'None left', 'There is no code left in store; load more of them.');
    await recordAct(trx, store.now, by, 'code.issued', { offer: key });
    return issued;
  });
  return codeView(db, code);
}

/**
 * Issues a code to somebody who has done something for it: one a person and offer, within its bounds. Whoever has one that is still
 * open is told of that; whoever has had one gets no other. Null where there is none for them, for whatever reason.
 */
export async function issueOnce(
  trx: Sql,
  key: string,
  personId: string,
  by: string,
): Promise<{ code: string; terms: string; expires: string } | null> {
  const attributes = (await lockPeople(trx, [personId])).get(personId)?.row.attributes;
  const row = await findOffer(trx, key);
  const store = await readStore(trx);
  if (!row || row.archived_at || !attributes || isOver(row.document, store.now, store.zone)) return null;
  const had = await codesOfPerson(trx, key, personId);
  const open = had.find((one) => one.used_at === null && (!one.expires_at || one.expires_at.getTime() > store.now));
  const said = (code: string, expiresAt: Date | null) => offerWords(code, row.document, expiresAt, store.zone);
  if (open) return said(open.code, open.expires_at);
  if (had.length || ((await holdBounded(trx, [key])).get(key) ?? 1) < 1) return null;
  const [issued] = await issueTo(trx, key, row.document, [{ personId, attributes }], store, by);
  if (typeof issued !== 'string') return null;
  const expiresAt = expiryOf(row.document, store.now, store.zone);
  return said(issued, expiresAt === null ? null : new Date(expiresAt));
}

/** Lays codes in store that the shop has made. */
export async function loadInto(db: Db, key: string, body: unknown, by: string): Promise<{ added: number; known: number }> {
  const parsed = loadInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not codes', 'No code was loaded.', problemsOf(parsed.error));
  const { codes } = parsed.data;
  return inTransaction(db, async (trx) => {
    const row = await offer(trx, key);
    if (!('loaded' in row.document.code))
      throw new Problem(409, 'Draws its own codes', 'This offer draws letters itself; change that before you load codes.', [
        { field: 'code', wrong: 'draws letters', right: '{"loaded": true} in the offer' },
      ]);
    const added = await loadCodes(trx, key, codes);
    await recordAct(trx, (await readStore(trx)).now, by, 'codes.loaded', { offer: key, added });
    return { added, known: codes.length - added };
  });
}

/** What a code comes to on a cart, for the shop that asks: whether it counts, why, and what it takes off, in minor units. */
export async function checkFor(db: Db, body: unknown): Promise<Checked & { readonly code: string; readonly offer: string | null }> {
  const parsed = codeCheckInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not a question', 'Nothing was looked up.', problemsOf(parsed.error));
  const { code, person, cart } = parsed.data;
  const row = await findCode(db, code);
  const { now, zone } = await readStore(db);
  const asking = person === undefined ? null : await whoAsks(db, person);
  const checked = checkCode(
    row && {
      offer: row.document,
      isArchived: row.is_archived,
      issuedAt: row.issued_at?.getTime() ?? null,
      expiresAt: row.expires_at?.getTime() ?? null,
      usedAt: row.used_at?.getTime() ?? null,
      isTheirs: person === undefined || row.person_id === null ? null : asking === row.person_id,
    },
    cart,
    now,
    (at) => sayExpires(at, zone),
  );
  return { code: row?.code ?? code, offer: row?.issued_at ? row.offer : null, ...checked };
}

/** Who asks with a code: by their address, or by their external id; null for somebody who is not on file. */
async function whoAsks(db: Db, person: string): Promise<string | null> {
  const byAddress = person.includes('@') ? await ownerOfIdentifier(db, { kind: 'email', value: person.trim().toLowerCase() }) : null;
  return byAddress ?? (await findPerson(db, { externalId: person }))?.id ?? null;
}
