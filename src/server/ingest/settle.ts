import type { Instant } from '@/core/time';
import { mayNotStartBecause, startsOn } from '@/core/flows';
import { LEDGER_EVENTS, ledgerOf } from '@/core/orders';
import { CREDIT_MODELS } from '@/core/revenue';
import type { Happening } from '@/core/rules';
import type { Sql } from '@/data/db';
import { loadEvents } from '@/data/facts';
import { readVersion } from '@/data/flows';
import type { PublishedFlow } from '@/data/store';
import { clearOrders, replaceCredits, saveOrders, saveStanding, type OrderCredits } from '@/data/revenue';
import { armRuns, earlierRuns } from '@/data/runs';
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

/** Arms the flows that events start. Whether they come about is decided when the moment is there. */
export async function armFlows(trx: Sql, scope: string, events: readonly { personId: string; event: Happening }[], published: readonly PublishedFlow[], zone: string, now: Instant): Promise<void> {
  const types = new Set(events.map(({ event }) => event.type));
  const flows = published.filter((flow) => types.has(flow.triggerEvent));
  if (!flows.length) return;
  const starts: { personId: string; flowId: number; version: number; key: string; wakeAt: Instant; armedAt: Instant }[] = [];
  const documents = new Map<number, Awaited<ReturnType<typeof readVersion>>>();
  for (const flow of flows) {
    const document = await readVersion(trx, scope, flow.id, flow.version);
    documents.set(flow.id, document);
    const latest = new Map<string, (typeof starts)[number]>();
    for (const { personId, event } of events) {
      const start = startsOn(document, event, zone);
      if (!start || start.at < now - LATEST_START_MS) continue;
      const id = `${personId}/${start.key}`;
      const known = latest.get(id);
      if (!known || start.at < known.wakeAt) latest.set(id, { personId, flowId: flow.id, version: flow.version, key: start.key, wakeAt: start.at, armedAt: event.time });
    }
    starts.push(...latest.values());
  }
  if (!starts.length) return;
  const earlier = await earlierRuns(trx, starts.map(({ personId, flowId, key }) => ({ personId, flowId, key: documents.get(flowId)!.reentry === 'once' ? null : key })));
  await armRuns(trx, starts.filter((start) => !mayNotStartBecause(documents.get(start.flowId)!.reentry, earlier.get(`${start.personId}/${start.flowId}`) ?? [], start.key)));
}
