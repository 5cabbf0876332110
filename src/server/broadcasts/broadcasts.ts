import type { BroadcastItem, BroadcastPhase, BroadcastView, Figures } from '@/core/api';
import { broadcastOf } from '@/core/broadcasts';
import { sayLimited, type Limited } from '@/core/limits';
import { sayObstacle, type Obstacle } from '@/core/messages';
import { isTimed, nextOccasion, stepsOf, whoIsDue, type FlowDocument, type SendStep, type TestStep, type Trial } from '@/core/flows';
import { shareInterval } from '@/core/stats';
import { addDuration } from '@/core/time';
import { broadcastRows, hoursOf, passedBecause, sendsBy, skippedBecause, type BroadcastRow } from '@/data/broadcasts';
import type { Db } from '@/data/db';
import { creditByStep, decidedBy, newsOfFlow, trialSoFar, verdictOn, verdictsOf, type VerdictRow } from '@/data/flows';
import type { FeedEntry } from '@/data/letters';
import { countFor } from '@/data/people';
import { readStore, type StoreNow } from '@/data/store';
import { notFound } from '../http';

/** All broadcasts with what became of them, those that go out next and went out last first; or those that are put away. */
export async function listOfBroadcasts(db: Db, isAway = false): Promise<{ broadcasts: BroadcastItem[] }> {
  const store = await readStore(db);
  const rows = await broadcastRows(db, { now: store.now, model: store.revenue.model, currency: store.currency, isAway });
  const broadcasts: BroadcastItem[] = [];
  for (const row of rows) broadcasts.push(itemOf(row, row.version === null ? [] : await verdictsOf(db, row.id), store));
  return { broadcasts };
}

type Tried = TestStep & { trial: Trial };
const trialOf = (document: FlowDocument): Tried | null =>
  stepsOf(document).find((step): step is Tried => step.kind === 'test' && step.trial !== undefined) ?? null;

/** Where a broadcast stands, by what is on file of it. */
function phaseOf(row: BroadcastRow, verdicts: readonly VerdictRow[]): BroadcastPhase {
  if (row.state === 'archived') return 'archived';
  if (row.state === 'draft' || !row.document) return 'draft';
  if (row.state === 'paused') return 'stopped';
  const tried = trialOf(row.document);
  if (row.is_telling || row.armed || (row.queued && row.inside < row.queued)) return 'going';
  if (tried && !tried.won && row.inside) {
    return verdictOn(verdicts, tried) ? 'asks' : 'trying';
  }
  if (row.queued) return 'going';
  return row.next_at && !row.entered ? 'planned' : row.next_at && isRepeated(row.document) ? 'planned' : 'gone';
}

const isRepeated = ({ triggers }: FlowDocument): boolean => triggers.some((one) => one.kind === 'schedule' && one.rule !== null);

function itemOf(row: BroadcastRow, verdicts: readonly VerdictRow[], { currency, now, zone }: StoreNow): BroadcastItem {
  const document = row.document ?? row.draft;
  const phase = phaseOf(row, verdicts);
  const [trigger] = document.triggers;
  const planned = row.version === null && trigger && isTimed(trigger) ? nextOccasion(trigger, now, zone) : null;
  const at = phase === 'draft' ? planned : phase === 'planned' ? row.next_at?.getTime() : (row.first_at ?? row.next_at)?.getTime();
  return {
    key: row.key,
    name: row.name,
    phase,
    state: row.state,
    at: at ? new Date(at).toISOString() : null,
    repeats: isRepeated(document),
    entered: row.entered,
    tags: row.draft.tags ?? [],
    owner: row.draft.owner ?? '',
    isPlain: broadcastOf(row.draft, row.key) !== null,
    sent: row.sent,
    delivered: row.delivered,
    bounced: row.bounced,
    opened: row.opened,
    clicked: row.clicked,
    orders: row.orders,
    revenue: { currency, minor: Number(row.minor) },
  };
}

/** One broadcast: where it stands, what each message came to, who did not get it and why. */
export async function readBroadcast(db: Db, key: string): Promise<BroadcastView> {
  const store = await readStore(db);
  const { now, zone, currency, revenue, world } = store;
  const [row] = await broadcastRows(db, { now, model: revenue.model, currency, key: key.slice(0, 80) });
  if (!row) throw notFound(`broadcast "${key.slice(0, 60)}"`);
  const verdicts = row.version === null ? [] : await verdictsOf(db, row.id);
  const document = row.document ?? row.draft;
  const [credits, parts, skipped, passed, hours, news, trial, toCome] = await Promise.all([
    creditByStep(db, row.id, 0, now, revenue.model),
    sendsBy(db, row.id, null, 'message', 100),
    skippedBecause(db, row.id),
    passedBecause(db, row.id),
    hoursOf(db, row.id),
    newsOfFlow<FeedEntry>(db, row.id, 12),
    trialView(db, row, verdicts, store),
    row.is_telling ? toComeOf(db, row, { now, zone, world }) : 0,
  ]);
  const sends = stepsOf(document).filter((step): step is SendStep => step.kind === 'send');
  const nothing = { sent: 0, delivered: 0, bounced: 0, opened: 0, clicked: 0, left: 0 };
  return {
    ...itemOf(row, verdicts, store),
    queued: row.queued,
    inside: row.inside,
    toCome,
    trial,
    messages: sends.map(({ id, name }) => {
      const { left, part: _, ...figures } = parts.find(({ part }) => part === id) ?? { ...nothing, part: id };
      const credit = credits.find((one) => one.step_id === id && one.currency === currency);
      const money: Pick<Figures, 'orders' | 'revenue'> = {
        orders: credit?.orders ?? 0,
        revenue: { currency, minor: Number(credit?.minor ?? 0) },
      };
      return { step: id, name, ...figures, ...money, unsubscribed: left };
    }),
    leftOut: leftOutOf(skipped, passed),
    news: news.map(({ at, entries, is_told }) => ({
      at: at.toISOString(),
      entries: entries.map(({ name }) => name),
      isTold: is_told,
    })),
    hours: hours.map(({ hour, ...counts }) => ({ hour: hour.toISOString(), ...counts })),
  };
}

/** People who are meant by the occasion that has come and are still to be told of it. */
async function toComeOf(db: Db, row: BroadcastRow, at: Pick<StoreNow, 'now' | 'zone' | 'world'>): Promise<number> {
  const trigger = row.document?.triggers.find(isTimed);
  if (!trigger) return 0;
  return countFor(db, whoIsDue(trigger), at, row.told_to ?? '0');
}

async function trialView(
  db: Db,
  row: BroadcastRow,
  verdicts: readonly VerdictRow[],
  { now, zone }: StoreNow,
): Promise<BroadcastView['trial']> {
  const step = trialOf(row.document ?? row.draft);
  if (!step || !row.document) return null;
  const verdict = decidedBy(verdicts, step);
  const so = await trialSoFar(db, row.id, step, [], now);
  // once it is decided, what it was decided by
  const shares = verdict?.counts ?? so.shares;
  const arms = step.arms.map(({ id, name }) => {
    const { of, count } = shares[id] ?? { of: 0, count: 0 };
    const { low, high } = of ? shareInterval({ count, of }) : { low: 0, high: 1 };
    return { id, name, people: of, did: count, low, high };
  });
  const name = (id: string) => `“${step.arms.find((arm) => arm.id === id)?.name ?? id}”`;
  const isAsked = !step.won && verdict?.arm === null;
  return {
    waiting: step.won ? 0 : so.waiting,
    endsAt: so.lastAt === null || so.isToCome || step.won ? null : new Date(addDuration(so.lastAt, step.trial.lasts, zone)).toISOString(),
    arms,
    says: step.won
      ? verdict?.arm === step.won.arm
        ? `${name(step.won.arm)} is the winner; everyone else gets it.`
        : `No clear winner; everyone else gets ${name(step.won.arm)}.`
      : isAsked
        ? 'No clear winner. Choose the message that everyone else gets.'
        : 'No clear winner yet.',
    won: step.won ?? null,
  };
}

/** Why some did not get it: what runs passed by, and what was let go and did not go out. */
function leftOutOf(
  skipped: readonly { reason: string; people: number }[],
  passed: readonly { saw: unknown; people: number }[],
): BroadcastView['leftOut'] {
  const found = new Map<string, number>();
  const add = (why: string, people: number) => found.set(why, (found.get(why) ?? 0) + people);
  for (const { reason, people } of skipped) add(reason || 'it could not be handed over', people);
  for (const { saw, people } of passed) {
    const { obstacle, limited } = (saw ?? {}) as { obstacle?: Obstacle; limited?: Limited };
    add(obstacle ? sayObstacle(obstacle) : limited ? sayLimited(limited) : 'passed by', people);
  }
  return [...found].map(([why, people]) => ({ why, people })).sort((a, b) => b.people - a.people || a.why.localeCompare(b.why));
}
