import { codeTold, effectName, type Effect, type Run } from '@/core/flows';
import { CODE_EXPIRED, CODE_ISSUED, CODE_USED, expiryOf, prefixFor, type Offer } from '@/core/offers';
import type { Facts } from '@/core/rules';
import { toMajor } from '@/core/money';
import type { Instant } from '@/core/time';
import { inTransaction, type Db, type Sql } from '@/data/db';
import { issueCodes, takeEndedCodes, type CodeToTell, type NewCode } from '@/data/offers';
import { lockPeople } from '@/data/people';
import { readStore, type StoreNow } from '@/data/store';
import { recordFor, type OwnEvent } from '../ingest';
import { noteIssued, type Issued } from './hook';

/** A code that a run issues, to be stored with the run's state. */
export interface CodeToIssue {
  readonly run: Run;
  readonly flowId: number;
  readonly effect: Extract<Effect, { kind: 'code' }>;
  readonly at: Instant;
}

/** Stores the codes that runs issue, and answers with what is told of each: an event of the person that bears its letters. */
export async function storeCodes(
  trx: Sql,
  codes: readonly CodeToIssue[],
  store: StoreNow,
  facts: ReadonlyMap<string, Facts>,
): Promise<OwnEvent[]> {
  if (!codes.length) return [];
  const wanted = codes.map(({ run, flowId, effect, at }): NewCode => {
    const document = store.offers.get(effect.offer)!;
    return {
      personId: run.personId,
      offer: effect.offer,
      document,
      prefix: prefixFor(document, facts.get(run.personId)?.attributes ?? {}, store),
      at,
      expiresAt: effect.expiresAt,
      how: 'flow',
      of: { runId: run.id, flowId, stepId: effect.stepId, visit: effect.visit },
    };
  });
  const issued = await issueCodes(trx, wanted);
  await noteIssued(trx, toTell(wanted, issued));
  return codes.map(({ run, effect, at }, index): OwnEvent => {
    const code = issued[index];
    // how many were left in store was held before
    if (typeof code !== 'string') throw new Error(`no code of ${effect.offer} was left in store`);
    return {
      personId: run.personId,
      type: CODE_ISSUED,
      properties: { ...codeTold(effect, effect.stepId), code },
      eventId: effectName(run.id, effect),
      at,
    };
  });
}

/** What the shop is told of codes that were issued; those that the shop has made itself it knows. */
const toTell = (wanted: readonly NewCode[], issued: readonly (string | null)[]): Issued[] =>
  wanted.flatMap(({ personId, offer, document, at, expiresAt }, index) => {
    const code = issued[index];
    return typeof code === 'string' && !('loaded' in document.code) ? [{ code, offer, document, personId, at, expiresAt }] : [];
  });

/** Issues codes by hand, or for something that is no flow: one for each person, whatever the guard says. Answers with their letters. */
export async function issueTo(
  trx: Sql,
  key: string,
  document: Offer,
  people: readonly { readonly personId: string; readonly attributes: Facts['attributes'] }[],
  store: StoreNow,
  by: string,
): Promise<(string | null)[]> {
  const { now, zone } = store;
  const expiresAt = expiryOf(document, now, zone);
  const wanted = people.map(({ personId, attributes }): NewCode => ({
    personId,
    offer: key,
    document,
    prefix: prefixFor(document, attributes, store),
    at: now,
    expiresAt,
    how: by,
    of: null,
  }));
  const issued = await issueCodes(trx, wanted);
  await noteIssued(trx, toTell(wanted, issued));
  await recordFor(
    trx,
    people.flatMap(({ personId }, index): OwnEvent[] => {
      const code = issued[index];
      if (typeof code !== 'string') return [];
      const properties = { offer: key, code, by, ...(expiresAt !== null && { expires: new Date(expiresAt).toISOString() }) };
      return [{ personId, type: CODE_ISSUED, properties, eventId: `${CODE_ISSUED}/${code}`, at: now }];
    }),
  );
  return issued;
}

const BATCH = 500;

/**
 * Tells of codes whose life has come to its end, each as an event of whom it belongs to: it was used, or its time is over. Answers
 * with how many were told.
 */
export async function tellCodes(db: Db): Promise<number> {
  return inTransaction(db, async (trx) => {
    const { now } = await readStore(trx);
    const ended = await takeEndedCodes(trx, now, BATCH);
    if (!ended.length) return 0;
    const there = await lockPeople(trx, [...new Set(ended.map((one) => one.person_id))]);
    await recordFor(
      trx,
      ended.filter((one) => there.has(one.person_id)).map((one) => endTold(one)),
    );
    return ended.length;
  });
}

function endTold(one: CodeToTell): OwnEvent {
  const about = { offer: one.offer, code: one.code, ...(one.flow !== null && { flow: one.flow }) };
  if (one.used_at_ms === null)
    return {
      personId: one.person_id,
      type: CODE_EXPIRED,
      properties: about,
      eventId: `${CODE_EXPIRED}/${one.spelling}`,
      at: Number(one.expires_at_ms),
    };
  const currency = one.currency ?? 'EUR';
  return {
    personId: one.person_id,
    type: CODE_USED,
    properties: {
      ...about,
      orderId: one.order_id ?? '',
      discount: toMajor({ currency, minor: Number(one.discount_minor ?? 0) }),
      currency,
      byOther: one.used_by !== one.person_id,
    },
    eventId: `${CODE_USED}/${one.spelling}/${one.order_id}`,
    at: Number(one.used_at_ms),
  };
}
