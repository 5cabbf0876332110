import type { Instant } from '@/core/time';
import { beginsOn, canNeverStart, isPerPerson, planOf, type Reentry } from '@/core/flows';
import { LEDGER_EVENTS, ledgerOf } from '@/core/orders';
import type { Happening } from '@/core/rules';
import type { Sql } from '@/data/db';
import { loadEvents } from '@/data/rules';
import { armRuns, readVersion, type Arming, type Beginning, type EarlierRuns } from '@/data/flows';
import type { PublishedFlow, StoreNow } from '@/data/store';
import { clearOrders, refreshCarts, replaceCredits, saveOrders, saveStanding, type OrderCredits } from '@/data/revenue';
import { placesOfSends } from '@/data/messages';
import { countOffers, settleCodes } from '@/data/offers';

/** How a store counts its revenue. */
type Counting = Pick<StoreNow, 'currency' | 'revenue'>;

/** Computes the orders and credits of people anew from their events: the same whatever order the events came in. */
export async function settleLedger(trx: Sql, personIds: readonly string[], store: Counting): Promise<void> {
  if (!personIds.length) return;
  const events = await loadEvents(trx, personIds, LEDGER_EVENTS);
  const places = await placesOfSends(trx, personIds);
  const rows: OrderCredits[] = [...events].flatMap(([personId, own]) =>
    ledgerOf(own, store.currency, (sendId) => places.has(sendId), store.revenue).map(({ order, money, bookings, credits }) => ({
      personId,
      order,
      money,
      bookings,
      credits: credits.map((credit) => ({ ...credit, ...places.get(credit.sendId)! })),
    })),
  );
  await saveOrders(trx, rows);
  await saveStanding(trx, personIds, store.currency);
  await countOffers(trx, await settleCodes(trx, personIds));
  await replaceCredits(trx, rows);
}

/** The same for people from whom events may have gone to somebody else: what no event tells of any more goes, too. */
export async function settleAnew(trx: Sql, personIds: readonly string[], store: Counting): Promise<void> {
  await clearOrders(trx, personIds);
  await refreshCarts(trx, personIds);
  await settleLedger(trx, personIds, store);
}

/** Flows that events may begin: what would be armed, and whose earlier runs decide on it. */
export interface Starts {
  readonly armed: readonly Arming[];
  readonly beginnings: readonly Beginning[];
  readonly reentryOf: ReadonlyMap<number, Reentry>;
}

/** Finds out which flows events may begin. Whether they come about is decided when the moment is there. */
export async function startsOf(
  trx: Sql,
  events: readonly { personId: string; event: Happening }[],
  published: readonly PublishedFlow[],
  zone: string,
  now: Instant,
): Promise<Starts> {
  const types = new Set(events.map(({ event }) => event.type));
  const armed: Arming[] = [];
  const reentryOf = new Map<number, Reentry>();
  for (const flow of published) {
    if (!flow.triggerEvents.some((type) => types.has(type))) continue;
    const document = await readVersion(trx, flow.id, flow.version);
    reentryOf.set(flow.id, document.reentry);
    const { wakesArmed: wakesOn } = planOf(document);
    const earliest = new Map<string, Arming>();
    for (const { personId, event } of events) {
      if (!flow.triggerEvents.includes(event.type)) continue;
      for (const { trigger, key, at } of beginsOn({ document, key: flow.key, zone }, event, now)) {
        const id = `${personId}/${trigger}/${key}`;
        const known = earliest.get(id);
        if (!known || at < known.wakeAt)
          earliest.set(id, { personId, flowId: flow.id, version: flow.version, trigger, key, wakeAt: at, armedAt: event.time, wakesOn });
      }
    }
    armed.push(...earliest.values());
  }
  return {
    armed,
    beginnings: armed.map(({ personId, flowId, key }) => ({ personId, flowId, key: isPerPerson(reentryOf.get(flowId)!) ? null : key })),
    reentryOf,
  };
}

/** Arms what may start (again): all but those who never can. Re-entry itself is decided when the trigger has come about. */
export async function armStarts(trx: Sql, { armed, reentryOf }: Starts, earlier: EarlierRuns): Promise<void> {
  await armRuns(
    trx,
    armed.filter(
      (start) => !canNeverStart(reentryOf.get(start.flowId)!, earlier.get(`${start.personId}/${start.flowId}`) ?? [], start.key),
    ),
  );
}
