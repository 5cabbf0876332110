import { asksOfRules, factsOfRules } from '@/core/flows';
import { inOrderOfNeed, turnsWithTime } from '@/core/segments';
import { verdict, wakesOn as signalsFor, type Facts, type Rule, type Verdict, type Viewpoint } from '@/core/rules';
import { MINUTE, sooner, type Instant } from '@/core/time';
import { inTransaction, isInTheWay, isOutage, type Db, type Sql } from '@/data/db';
import { loadFacts, nameCause } from '@/data/rules';
import {
  claimLooks,
  dropLooks,
  holdSegments,
  joinSegments,
  leaveSegments,
  lookedAt,
  looksDue,
  readSegments,
  setLookAside,
  shareSegments,
  transactionNow,
  type LookRow,
  type Move,
} from '@/data/segments';
import { readStore, type StoreNow } from '@/data/store';
import { log } from '../base';
import { recordFor, type OwnEvent } from '../ingest';
import { buildNow } from './build';

/** How many people one transaction looks at. */
const BATCH = 500;
/** From so many on, looking at everybody set by set is faster than one by one. */
const MANY = 20_000;

/** How long somebody is left alone whose look has broken. */
const ASIDE = 5 * MINUTE;

/** A segment as people are looked at for it. */
interface Kept {
  readonly id: number;
  readonly key: string;
  readonly rule: Rule;
  readonly wakesOn: ReadonlySet<string>;
  readonly turns: boolean;
}

/**
 * Looks at people of whom something has become known, or for whom a moment has come: whether they are in each segment that
 * could have changed. Where storing breaks, person after person is looked at alone, and who it is about is set aside. Who joins or leaves
 * is stored with its moment and cause, and is an event. Answers with how many were looked at; 0 when nobody was due, or all were in other
 * hands.
 */
export async function lookAtPeople(db: Db, limit = BATCH): Promise<number> {
  const { now } = await readStore(db);
  if ((await looksDue(db, now, MANY + 1)) > MANY) return lookAtEverybody(db);
  let claimed: readonly LookRow[] = [];
  try {
    return await inTransaction(db, (trx) => lookAtDue(trx, limit, (due) => (claimed = due)));
  } catch (error) {
    if (isOutage(error) || isInTheWay(error) || !claimed.length) throw error;
    if (claimed.length > 1) {
      let looked = 0;
      for (let left = claimed.length; left > 0; left--) looked += await lookAtPeople(db, 1);
      return looked;
    }
    const personId = claimed[0]!.person_id;
    log.error({ person: personId, error: (error as Error).stack }, 'somebody cannot be looked at for segments and is set aside');
    await setLookAside(db, personId, now + ASIDE);
    return 1;
  }
}

async function lookAtDue(trx: Sql, limit: number, onClaimed: (due: readonly LookRow[]) => void): Promise<number> {
  await shareSegments(trx);
  const { now, zone, world } = await readStore(trx);
  const due = await claimLooks(trx, now, limit);
  onClaimed(due);
  if (!due.length) return 0;
  const kept = await keptSegments(trx);
  const asked = new Map(due.map((look) => [look.person_id, { look, segments: toLookAt(look, kept, now) }]));
  const rules = (segments: readonly Kept[]) => segments.map(({ rule }) => rule);
  const asks = new Map<string, ReturnType<typeof asksOfRules>>();
  const facts = await loadFacts(
    trx,
    new Map(
      [...asked].map(([personId, { segments }]) => {
        const id = segments.map(({ key }) => key).join();
        let events = asks.get(id);
        if (!events) asks.set(id, (events = asksOfRules(rules(segments), now, zone)));
        return [personId, { events }];
      }),
    ),
    { ...factsOfRules(rules(kept)), segments: true },
  );
  const joining: Move[] = [];
  const leaving: Move[] = [];
  const events: OwnEvent[] = [];
  const looks: { personId: string; until: Instant | null }[] = [];
  const keys = new Map(kept.map(({ id, key }) => [id, key]));
  for (const [personId, { look, segments }] of asked) {
    const known = facts.get(personId);
    if (!known) {
      looks.push({ personId, until: null });
      continue;
    }
    const { moves, until } = lookAtOne(known, look, segments, { now, zone, world });
    looks.push({ personId, until });
    for (const { segmentId, cause, joins } of moves) {
      (joins ? joining : leaving).push({ segmentId, personId, cause });
      const key = keys.get(segmentId)!;
      events.push({
        personId,
        type: joins ? 'segment.joined' : 'segment.left',
        eventId: `segment/${segmentId}/${personId}/${now}/${joins ? 'joined' : 'left'}`,
        properties: { segment: key },
        at: now,
      });
    }
  }
  // first what was looked at is done with, then come the notes of what follows from it
  await lookedAt(trx, looks);
  await nameCause(trx, 'segments');
  await joinSegments(trx, joining, now);
  await leaveSegments(trx, leaving, now);
  await recordFor(trx, events);
  return due.length;
}

/** The segments that are kept, each after those that its rule asks for. */
async function keptSegments(sql: Sql): Promise<Kept[]> {
  const rows = (await readSegments(sql)).flatMap(({ id, key, rule }) =>
    rule ? [{ id, key, rule, wakesOn: new Set(signalsFor([rule])), turns: turnsWithTime(rule) }] : [],
  );
  return inOrderOfNeed(rows);
}

/** Those that could have changed for a person: all that wait for what has become known, and, when a moment has come, all that turn with time. */
function toLookAt({ signals, until_ms: until }: LookRow, kept: readonly Kept[], now: Instant): readonly Kept[] {
  if (signals.includes('*')) return kept;
  const isTime = until !== null && Number(until) <= now;
  return kept.filter(({ wakesOn, turns }) => (isTime && turns) || signals.some((signal) => wakesOn.has(signal)));
}

/** Looks at one person: who joins and leaves what, and until when at least nothing changes by time alone. */
function lookAtOne(
  facts: Facts,
  { signals, until_ms: before, is_erased: isErased }: LookRow,
  segments: readonly Kept[],
  view: Pick<StoreNow, 'now' | 'zone' | 'world'>,
): { moves: { segmentId: number; cause: string; joins: boolean }[]; until: Instant | null } {
  const inside = new Set(facts.segments);
  const moves: { segmentId: number; cause: string; joins: boolean }[] = [];
  // what was looked at only in part stands by what was known of the rest
  let until = before !== null && Number(before) > view.now && !signals.includes('*') ? Number(before) : null;
  for (const { id, key, rule, wakesOn } of segments) {
    const answer = isErased ? { holds: false, until: null } : askedOf(key, rule, { ...facts, segments: [...inside] }, view);
    if (!answer) continue;
    until = sooner(until, answer.until);
    if (answer.holds === inside.has(key)) continue;
    if (answer.holds) inside.add(key);
    else inside.delete(key);
    moves.push({
      segmentId: id,
      joins: answer.holds,
      cause: signals.find((one) => wakesOn.has(one)) ?? (signals.includes('*') ? '*' : 'time'),
    });
  }
  return { moves, until };
}

/** The verdict of one segment; where looking breaks it is logged, the person stays as they are, and the other segments go on. */
function askedOf(key: string, rule: Rule, facts: Facts, view: Viewpoint): Verdict | null {
  try {
    return verdict(rule, facts, view);
  } catch (error) {
    log.error({ segment: key, person: facts.personId, error: (error as Error).stack }, 'a segment cannot be looked at');
    return null;
  }
}

/** After an import, say: everybody is looked at once for each segment, set by set. */
async function lookAtEverybody(db: Db): Promise<number> {
  return inTransaction(db, async (trx) => {
    await holdSegments(trx);
    const { now } = await readStore(trx);
    if ((await looksDue(trx, now, MANY + 1)) <= MANY) return 1;
    const before = await transactionNow(trx);
    const rows = (await readSegments(trx)).flatMap((row) => (row.rule ? [{ ...row, rule: row.rule }] : []));
    for (const row of inOrderOfNeed(rows))
      await buildNow(
        trx,
        { ...row, document: { ...row.document, rule: row.rule }, revision: row.built_revision! },
        { wakesOn: row.wakes_on, cause: '*' },
      );
    await dropLooks(trx, now, before);
    return MANY;
  });
}
