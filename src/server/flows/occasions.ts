import { FLOW_DUE, isTimed, nextOccasion, occasionName, whoIsDue } from '@/core/flows';
import { inTransaction, isInTheWay, isOutage, type Db, type Sql } from '@/data/db';
import {
  claimOccasion,
  moveOccasion,
  newsOf,
  noteNews,
  noteTold,
  postponeOccasion,
  readVersion,
  toldNews,
  type OccasionRow,
} from '@/data/flows';
import { askForFeed, findFeed, type FeedEntry } from '@/data/letters';
import { peopleFor } from '@/data/people';
import { readStore } from '@/data/store';
import { DAY, type Instant } from '@/core/time';
import { log } from '../base';
import { recordSame } from '../ingest';

/** How many people one transaction tells, all in one statement: it holds them for as long as that takes, some tenths of a second. */
const BATCH = 5_000;

/**
 * Tells people whose time has come of the occasion that is due first, some thousands in one statement: an event of theirs, once
 * each, from which the run loop starts. Killed anywhere, it goes on where it was. Whether they are due is looked at as of the
 * occasion where time decides, and by what is on file now. Answers whether an occasion was due.
 */
export async function comeRound(db: Db): Promise<boolean> {
  try {
    return await inTransaction(db, tellNext);
  } catch (error) {
    if (isOutage(error) || isInTheWay(error)) throw error;
    // one that cannot be looked at keeps no other waiting: it is let pass
    return inTransaction(db, async (trx) => {
      const { now, zone } = await readStore(trx);
      const due = await claimOccasion(trx, now);
      if (!due) return false;
      log.error({ flow: due.key, trigger: due.trigger, error: (error as Error).message }, 'an occasion cannot be told and is let pass');
      const trigger = (await readVersion(trx, due.flow_id, due.version)).triggers.find(({ id }) => id === due.trigger);
      await moveOccasion(trx, due, trigger && isTimed(trigger) ? nextAfter(trigger, due, due.zone || zone) : null);
      return true;
    });
  }
}

async function tellNext(trx: Sql): Promise<boolean> {
  const { now, zone: storeZone, world } = await readStore(trx);
  const due = await claimOccasion(trx, now);
  if (!due) return false;
  const zone = due.zone || storeZone;
  const document = await readVersion(trx, due.flow_id, due.version);
  const trigger = document.triggers.find(({ id }) => id === due.trigger);
  if (!trigger || !isTimed(trigger)) {
    await moveOccasion(trx, due, null);
    return true;
  }
  const at = Number(due.at_ms);
  const occasion = occasionName(at, trigger, zone);
  if (trigger.kind === 'schedule' && trigger.news) {
    const isNews = await hasNews(trx, due, trigger.news, occasion, now);
    if (isNews === 'not-known') return true;
    if (!isNews) {
      await moveOccasion(trx, due, nextAfter(trigger, due, zone));
      return true;
    }
  }
  const clocks = trigger.clocks === 'person' ? (due.zone ? { is: due.zone } : { isNone: due.zones }) : undefined;
  const ids = await peopleFor(trx, whoIsDue(trigger), { now: at, zone, world, clocks }, due.told_to, BATCH);
  if (!ids.length) {
    await moveOccasion(trx, due, nextAfter(trigger, due, zone));
    return true;
  }
  await recordSame(trx, ids, {
    type: FLOW_DUE,
    name: `${FLOW_DUE}/${due.key}/${trigger.id}/${occasion}/`,
    properties: { to: due.key, trigger: trigger.id, occasion },
    time: at,
  });
  await noteTold(trx, due, ids.at(-1)!);
  return true;
}

type Timed = Parameters<typeof nextOccasion>[0];

/** When a trigger comes round after an occasion of it; what came round during a pause is let pass. */
const nextAfter = (trigger: Timed, due: Pick<OccasionRow, 'at_ms' | 'passes_to'>, zone: string): Instant | null =>
  nextOccasion(trigger, Math.max(Number(due.at_ms), due.passes_to?.getTime() ?? 0), zone);

/** For how long an occasion waits for a feed that cannot be read; then what was read of it last counts. */
const FEED_PATIENCE_MS = 10 * 60_000;
const FEED_AGAIN_MS = 5_000;
/** How far back the first occasion looks: what was published before that is no news. */
const FIRST_NEWS_MS = 30 * DAY;

/**
 * Whether a feed has so much at an occasion that was not told of before; looked at once, and noted. It is read anew before that: until
 * then it is not known, and the occasion waits.
 */
async function hasNews(
  trx: Sql,
  due: OccasionRow,
  { feed: key, atLeast }: { readonly feed: string; readonly atLeast: number },
  occasion: string,
  now: Instant,
): Promise<boolean | 'not-known'> {
  const known = await newsOf(trx, due.flow_id, occasion);
  if (known) return known.is_told;
  const at = Number(due.at_ms);
  const feed = await findFeed(trx, key);
  if (feed && (feed.read_at?.getTime() ?? 0) < at && now < at + FEED_PATIENCE_MS) {
    await askForFeed(trx, key);
    await postponeOccasion(trx, due, now + FEED_AGAIN_MS);
    return 'not-known';
  }
  const told = await toldNews(trx, due.flow_id);
  const isNew = (entry: FeedEntry): boolean =>
    told ? !told.has(entry.id) : entry.at === null || Date.parse(entry.at) > at - FIRST_NEWS_MS;
  const entries = (feed?.entries ?? []).filter(isNew);
  const isTold = entries.length >= atLeast;
  await noteNews(trx, { flowId: due.flow_id, occasion, at, feed: key, entries, isTold });
  if (!isTold) log.info({ flow: due.key, feed: key, entries: entries.length }, 'too little is new: nobody is told');
  return isTold;
}
