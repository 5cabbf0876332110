import type { HistoryView, MembersView, MovesView, OverlapView, ReadyMade, SegmentItem, SegmentView, UseView, Worth } from '@/core/api';
import { testUses } from '@/core/flows';
import { namedBy, sayRule, sayWho, segmentKey, testsOf, wakesOn, type Rule, type Test } from '@/core/rules';
import { circleOf, isOnlyForFlows, readyMade, segmentSchema, type SegmentDocument } from '@/core/segments';
import { toMajor } from '@/core/money';
import { DAY, type Instant } from '@/core/time';
import { inTransaction, type Db, type Sql } from '@/data/db';
import { documentsNow } from '@/data/flows';
import { addToList, findList, listAttributeRows } from '@/data/people';
import { namedOnFile } from '@/data/rules';
import {
  archiveSegment,
  findSegment,
  holdSegments,
  membersOf,
  memberIds,
  movesOf,
  movesSince,
  noteWork,
  overlapsOf,
  readSegments,
  reachableIn,
  saveSegment,
  segmentDays,
  sizesOf,
  topTenth,
  touchSegment,
  worthOf,
  type SegmentRow,
} from '@/data/segments';
import { readStore, recordAct } from '@/data/store';
import { addJobs, createWork, findWork } from '@/data/work';
import { notFound, periodOf, Problem, problemsOf, wholeNumber, type FieldProblem } from '../http';
import { sayCause } from './causes';
import { makeList } from './lists';
import { nameOf, publicId } from './who';

async function segment(sql: Sql, key: string): Promise<SegmentRow> {
  const row = await findSegment(sql, key);
  if (!row || row.archived_at) throw notFound(`segment "${key.slice(0, 60)}"`);
  return row;
}

async function itemsOf(db: Db, rows: readonly SegmentRow[]): Promise<SegmentItem[]> {
  const store = await readStore(db);
  const ids = rows.map(({ id }) => id);
  const [sizes, moves, names] = await Promise.all([sizesOf(db, ids), movesSince(db, ids, store.now - 30 * DAY), namedOnFile(db)]);
  const wording = { currency: store.currency, names };
  return rows.map((row) => ({
    key: row.key,
    name: row.document.name,
    about: row.document.about,
    says: sayRule(row.document.rule, wording),
    who: sayWho(row.document.rule, wording),
    tags: row.document.tags,
    owner: row.document.owner,
    size: row.built_at ? (sizes.get(row.id) ?? 0) : null,
    joined: moves.get(row.id)?.joined ?? 0,
    left: moves.get(row.id)?.left ?? 0,
    isBuilding: row.built_revision !== row.revision,
    changedAt: row.changed_at.toISOString(),
  }));
}

export async function segments(db: Db): Promise<{ segments: SegmentItem[] }> {
  return { segments: await itemsOf(db, await readSegments(db)) };
}

/** Everywhere that asks whether somebody is in a segment: flows and other segments. */
const usesOf = (sql: Sql, key: string): Promise<UseView[]> => usesOfTest(sql, (test) => test.test === 'segment' && test.segment === key);

/** Flows and segments whose rules have a test of some kind. */
export async function usesOfTest(sql: Sql, asks: (test: Test) => boolean): Promise<UseView[]> {
  const [flows, others] = [await documentsNow(sql), await readSegments(sql)];
  return [
    ...flows.flatMap((flow) =>
      testUses(flow.document, asks).map((where): UseView => ({ kind: 'flow', key: flow.key, name: flow.name, where })),
    ),
    ...others
      .filter((other) => testsOf(other.document.rule).some(asks))
      .map((other): UseView => ({ kind: 'segment', key: other.key, name: other.document.name, where: 'rule' })),
  ];
}

/** One segment with who can be reached of its people, what they are worth, and where it is used. */
export async function segmentView(db: Db, key: string): Promise<SegmentView> {
  const row = await segment(db, key);
  const store = await readStore(db);
  const [[item], reachable, worth, uses] = await Promise.all([
    itemsOf(db, [row]),
    reachableIn(db, row.id, store.now),
    worthOf(db, row.id),
    usesOf(db, key),
  ]);
  const money = ({ minor, ...rest }: (typeof worth)['people']): Worth => ({ ...rest, value: { currency: store.currency, minor } });
  return {
    ...item!,
    document: row.document,
    builtAt: row.built_at?.toISOString() ?? null,
    keptBy:
      row.rule && row.built_revision !== row.revision ? sayWho(row.rule, { currency: store.currency, names: await namedOnFile(db) }) : null,
    reachable,
    worth: { people: money(worth.people), everybody: money(worth.everybody) },
    uses,
    workId: row.work_id,
    createdAt: row.created_at.toISOString(),
    createdBy: row.created_by,
  };
}

/** The places of tests in a rule: "rule.all.0.segment". */
function placesIn(rule: Rule, path: string): { path: string; rule: Rule }[] {
  for (const group of ['all', 'any', 'none'] as const)
    if (group in rule)
      return (rule as Record<typeof group, Rule[]>)[group].flatMap((part, index) => placesIn(part, `${path}.${group}.${index}`));
  return [{ path, rule }];
}

/** What a rule asks for that is not there, each with its place: lists, segments and the like that are unknown, and circles. */
async function missing(sql: Sql, key: string, rule: Rule): Promise<FieldProblem[]> {
  const problems: FieldProblem[] = [];
  const others = new Map((await readSegments(sql)).filter((row) => row.key !== key).map((row) => [row.key, row.document.rule]));
  const onFile = await namedOnFile(sql);
  for (const { path, rule: test } of placesIn(rule, 'rule')) {
    const named = 'test' in test ? namedBy(test) : null;
    // of itself it leads in a circle, which is said below
    if (named && !onFile[named.kind].has(named.key) && !(named.kind === 'segment' && named.key === key))
      problems.push({
        field: `${path}.${named.field}`,
        wrong: `is not a ${named.kind} on file: ${named.key}`,
        right: named.kind === 'list' ? 'the key of a list that is not archived' : `the key of a ${named.kind}`,
      });
    const circle = 'test' in test && test.test === 'segment' ? circleOf(key, test, others) : null;
    if (circle)
      problems.push({
        field: `${path}.segment`,
        wrong: `leads back to this segment: ${circle.join(' → ')}`,
        right: 'a segment that does not ask for this one',
      });
    if (isOnlyForFlows(test))
      problems.push({ field: path, wrong: 'is only known inside a flow', right: 'a test that is known of everybody' });
  }
  return problems;
}

/**
 * Stores a segment under its key, new or not. With another rule than before it is built over everybody, as long work;
 * until that is done people are in it by the rule of before.
 */
export async function putSegment(db: Db, key: string, body: unknown, by: string): Promise<SegmentView> {
  if (!segmentKey.safeParse(key).success)
    throw new Problem(400, 'Not a key', "A segment's key is made of a-z, 0-9 and -, at most 60 characters.", [
      { field: 'key', wrong: 'is not a key', right: 'for example lapsed' },
    ]);
  const parsed = segmentSchema.safeParse(body);
  if (!parsed.success)
    throw new Problem(
      422,
      'Not a segment',
      'The document is not a segment of the form viatic.segment/1; nothing was stored.',
      problemsOf(parsed.error),
    );
  await inTransaction(db, async (trx) => {
    // two that are stored at once could lead to each other
    await holdSegments(trx);
    const problems = await missing(trx, key, parsed.data.rule);
    if (problems.length) throw new Problem(422, 'Not a segment', 'Its rule asks for what is not there; nothing was stored.', problems);
    await store(trx, key, parsed.data, by);
  });
  return segmentView(db, key);
}

async function store(trx: Sql, key: string, document: SegmentDocument, by: string): Promise<void> {
  const { now } = await readStore(trx);
  const was = await findSegment(trx, key);
  const work = was?.work_id ? await findWork(trx, was.work_id) : null;
  await saveSegment(trx, { key, document, wakesOn: wakesOn([document.rule]), by, at: now });
  const is = (await findSegment(trx, key))!;
  // one that is under way builds what is stored by then; one that failed or was cancelled is begun anew
  const isUnderWay = (work?.state === 'waiting' || work?.state === 'running') && is.revision === was?.revision;
  if (is.built_revision !== is.revision && !isUnderWay) await beginBuild(trx, is, by, now);
  await recordAct(trx, now, by, was && !was.archived_at ? 'segment.changed' : 'segment.made', { key });
}

async function beginBuild(trx: Sql, { id: segmentId, key, document }: SegmentRow, by: string, now: Instant): Promise<void> {
  const id = await createWork(trx, { kind: 'segment', name: `Build “${document.name}”`, detail: { key }, by, at: new Date(now) });
  await addJobs(trx, 'work', [{ id }], 3);
  await noteWork(trx, segmentId, id);
}

/** Has segments built anew whose rules look up what is not as it was. Until that is done people are in them as before. */
export async function buildAgain(trx: Sql, asks: (test: Test) => boolean, by: string): Promise<void> {
  const { now } = await readStore(trx);
  for (const row of (await readSegments(trx)).filter(({ document }) => testsOf(document.rule).some(asks))) {
    await touchSegment(trx, row.id);
    await beginBuild(trx, row, by, now);
  }
}

/** Archives a segment: nobody is in it any more. Refused while flows or other segments ask for it. */
export async function dropSegment(db: Db, key: string, by: string): Promise<void> {
  await inTransaction(db, async (trx) => {
    await holdSegments(trx);
    const row = await segment(trx, key);
    const uses = await usesOf(trx, key);
    if (uses.length)
      throw new Problem(
        409,
        'Still in use',
        `It is asked for in ${uses.map(({ name, where }) => `“${name}” (${where})`).join(', ')}. Take it out there first; nothing was changed.`,
      );
    const { now } = await readStore(trx);
    await archiveSegment(trx, row.id, now);
    await recordAct(trx, now, by, 'segment.archived', { key });
  });
}

/** Brings an archived segment back; it is built anew. */
export async function restoreSegment(db: Db, key: string, by: string): Promise<SegmentView> {
  const row = await findSegment(db, key);
  if (!row) throw notFound(`segment "${key.slice(0, 60)}"`);
  return putSegment(db, key, row.document, by);
}

export async function segmentMembers(db: Db, key: string, url: URL): Promise<MembersView> {
  const row = await segment(db, key);
  const limit = wholeNumber(url, 'limit', { least: 0, most: 1000, otherwise: 50 });
  const offset = wholeNumber(url, 'offset', { least: 0, most: 10_000_000, otherwise: 0 });
  const [sizes, members] = await Promise.all([sizesOf(db, [row.id]), membersOf(db, row.id, limit, offset)]);
  return {
    total: sizes.get(row.id) ?? 0,
    people: members.map((member) => ({
      id: publicId(member),
      externalId: member.external_id,
      name: nameOf(member.attributes),
      email: member.email,
      since: member.since.toISOString(),
      because: sayCause(member.cause),
    })),
  };
}

/** By day of the store's zone: how many were in it at the end, who joined and left. */
export async function segmentHistory(db: Db, key: string, url: URL): Promise<HistoryView> {
  const row = await segment(db, key);
  const store = await readStore(db);
  const { now, zone } = store;
  const { from, to } = periodOf(url, store);
  return { days: row.built_at ? await segmentDays(db, row.id, from, Math.min(to, now), zone) : [] };
}

export async function segmentMoves(db: Db, key: string): Promise<MovesView> {
  const row = await segment(db, key);
  return {
    moves: (await movesOf(db, row.id, 50)).map((move) => ({
      id: move.attributes === null ? null : publicId({ id: move.person_id, external_id: move.external_id }),
      name: move.attributes && nameOf(move.attributes),
      email: move.email,
      at: move.at.toISOString(),
      act: move.act,
      because: sayCause(move.cause),
    })),
  };
}

/** How many segments are held against one another at once, the first by name. */
const MOST_COMPARED = 40;

/** How many people segments have in common: those named in `keys`, or all. */
export async function segmentOverlaps(db: Db, url: URL): Promise<OverlapView> {
  const asked = url.searchParams.get('keys')?.split(',').filter(Boolean);
  const rows = (await readSegments(db)).filter((row) => row.built_at && (!asked || asked.includes(row.key))).slice(0, MOST_COMPARED);
  const ids = rows.map(({ id }) => id);
  const [sizes, pairs] = await Promise.all([sizesOf(db, ids), overlapsOf(db, ids)]);
  const keys = new Map(rows.map(({ id, key }) => [id, key]));
  return {
    segments: rows.map((row) => ({ key: row.key, name: row.document.name, size: sizes.get(row.id) ?? 0 })),
    pairs: pairs.filter(({ a, b }) => a !== b).map(({ a, b, people }) => ({ a: keys.get(a)!, b: keys.get(b)!, people })),
  };
}

/** Segments of ours, filled in for this store, and which of them are there already. */
export async function readySegments(db: Db): Promise<{ ready: ReadyMade[] }> {
  const store = await readStore(db);
  const [top, rows, attributes] = await Promise.all([topTenth(db), readSegments(db), listAttributeRows(db)]);
  const birthday = attributes.find(({ name, type }) => type === 'date' && /birth|born/i.test(name))?.name ?? null;
  const there = new Set(rows.map(({ key }) => key));
  return {
    ready: readyMade(top === null ? null : toMajor({ currency: store.currency, minor: top }), birthday).map((ready) => ({
      ...ready,
      says: sayRule(ready.rule, { currency: store.currency }),
      who: sayWho(ready.rule, { currency: store.currency }),
      isThere: there.has(ready.key),
    })),
  };
}

/** Makes a list of who is in a segment at this moment: they stay on it, whatever becomes of them. */
export async function listFromSegment(db: Db, key: string, body: unknown, by: string): Promise<{ key: string; people: number }> {
  const row = await segment(db, key);
  const list = await makeList(
    db,
    { name: (body as { name?: unknown } | null)?.name, about: `Who was in “${row.document.name}”`.slice(0, 300) },
    by,
  );
  const { now } = await readStore(db);
  const made = (await findList(db, list.key))!;
  let people = 0;
  for (let after = '0'; ;) {
    const ids = await memberIds(db, row.id, after, 5000);
    if (!ids.length) return { key: list.key, people };
    after = ids.at(-1)!;
    people += (await addToList(db, made.id, ids, `by ${by}, from the segment ${key}`, now)).length;
  }
}
