import type { Instant } from '@/core/time';
import { mayNotStartBecause, startsOn, type Reentry } from '@/core/flows';
import { LEDGER_EVENTS, ledgerOf } from '@/core/orders';
import { CREDIT_MODELS } from '@/core/revenue';
import type { Happening } from '@/core/rules';
import type { Sql } from '@/data/db';
import { loadEvents } from '@/data/facts';
import { readVersion } from '@/data/flows';
import type { PublishedFlow } from '@/data/store';
import { clearOrders, replaceCredits, saveOrders, saveStanding, type OrderCredits } from '@/data/revenue';
import { armRuns, type Arming, type Beginning, type EarlierRuns } from '@/data/runs';
import { placesOfSends } from '@/data/sends';

/** Computes the orders and credits of people anew from their events: the same whatever order the events came in. */
export async function settleLedger(trx: Sql, personIds: readonly string[], storeCurrency: string): Promise<void> {
  if (!personIds.length) return;
  const events = await loadEvents(trx, personIds, LEDGER_EVENTS);
  const places = await placesOfSends(trx, personIds);
  const rows: OrderCredits[] = [...events].flatMap(([personId, own]) =>
    ledgerOf(own, storeCurrency, (sendId) => places.has(sendId)).map(({ order, credits }) => ({
      personId, order, credits: credits.map((credit) => ({ ...credit, ...places.get(credit.sendId)! })),
    })),
  );
  await saveOrders(trx, rows);
  await saveStanding(trx, personIds, storeCurrency);
  await replaceCredits(trx, CREDIT_MODELS[0], rows);
}

/** The same for people from whom events may have gone to somebody else: what no event tells of any more goes, too. */
export async function settleAnew(trx: Sql, personIds: readonly string[], storeCurrency: string): Promise<void> {
  await clearOrders(trx, personIds);
  await settleLedger(trx, personIds, storeCurrency);
}

/** How late an event may arrive and still start a flow: history that is loaded starts nothing. */
const LATEST_START_MS = 7 * 86_400_000;

/** Flows that events may begin: what would be armed, and whose earlier runs decide on it. */
export interface Starts {
  readonly armed: readonly Arming[];
  readonly beginnings: readonly Beginning[];
  readonly reentryOf: ReadonlyMap<number, Reentry>;
}

/** Finds out which flows events may begin. Whether they come about is decided when the moment is there. */
export async function startsOf(trx: Sql, scope: string, events: readonly { personId: string; event: Happening }[], published: readonly PublishedFlow[], zone: string, now: Instant): Promise<Starts> {
  const types = new Set(events.map(({ event }) => event.type));
  const armed: Arming[] = [];
  const reentryOf = new Map<number, Reentry>();
  for (const flow of published) {
    if (!types.has(flow.triggerEvent)) continue;
    const document = await readVersion(trx, scope, flow.id, flow.version);
    reentryOf.set(flow.id, document.reentry);
    const earliest = new Map<string, Arming>();
    for (const { personId, event } of events) {
      const start = startsOn(document, event, zone);
      if (!start || start.at < now - LATEST_START_MS) continue;
      const id = `${personId}/${start.key}`;
      const known = earliest.get(id);
      if (!known || start.at < known.wakeAt) earliest.set(id, { personId, flowId: flow.id, version: flow.version, key: start.key, wakeAt: start.at, armedAt: event.time });
    }
    armed.push(...earliest.values());
  }
  return { armed, beginnings: armed.map(({ personId, flowId, key }) => ({ personId, flowId, key: reentryOf.get(flowId) === 'once' ? null : key })), reentryOf };
}

/** Arms what may start (again) after the runs that there were. */
export async function armStarts(trx: Sql, { armed, reentryOf }: Starts, earlier: EarlierRuns): Promise<void> {
  await armRuns(trx, armed.filter((start) => !mayNotStartBecause(reentryOf.get(start.flowId)!, earlier.get(`${start.personId}/${start.flowId}`) ?? [], start.key)));
}
