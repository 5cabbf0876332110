import type { FlowView, VersionView } from '@/core/api';
import { diff, flowSchema, stepIn, type FlowDocument } from '@/core/flows';
import { inTransaction, type Db, type Sql } from '@/data/db';
import {
  createFlow,
  endAllRuns,
  findFlow,
  flowLoad,
  insideBy,
  listVersions,
  moveRuns,
  lockFlow,
  passOccasions,
  pauseOccasions,
  publishDraft,
  readVersion,
  saveDraft,
  setFlowState,
  setHeard,
  setOccasions,
  wakeInside,
} from '@/data/flows';
import { endPaused, queueDispatch } from '@/data/messages';
import { readStore, recordAct } from '@/data/store';
import { notFound, Problem, problemsOf } from '../http';
import { findingsOf } from './checked';
import type { Due } from './meanwhile';

const KEY = /^[a-z0-9][a-z0-9-]{0,59}$/;

/** Reads a flow with its draft, what publishing would change and for whom, and the preflight. */
export async function readFlow(db: Db, key: string): Promise<FlowView> {
  const flow = await findFlow(db, key);
  if (!flow) throw notFound(`flow "${key.slice(0, 60)}"`);
  const store = await readStore(db);
  const published = flow.version === null ? null : await readVersion(db, flow.id, flow.version);
  const load = await flowLoad(db, flow.id);
  return {
    key,
    name: flow.name,
    state: flow.state,
    version: flow.version,
    revision: flow.draft_revision,
    draft: flow.draft,
    published,
    changes: published ? diff(published, flow.draft, store.currency) : [],
    preflight: await findingsOf(db, key, flow.draft, store),
    ...load,
    moves: movesOf(published ? await movesTo(db, flow.id, flow.draft) : []),
  };
}

/** Checks a flow document and stores it as the draft; a key that is new makes a new flow. */
export async function writeDraft(db: Db, key: string, body: unknown, revision: number | null): Promise<FlowView> {
  if (!KEY.test(key))
    throw new Problem(400, 'Not a key', "A flow's key is made of a-z, 0-9 and -, at most 60 characters.", [
      { field: 'key', wrong: 'is not a key', right: 'for example cart-left-behind' },
    ]);
  const parsed = flowSchema.safeParse(body);
  if (!parsed.success)
    throw new Problem(
      422,
      'Not a flow',
      'The document is not a flow of the form viatic.flow/1; nothing was stored.',
      problemsOf(parsed.error),
    );
  const { now } = await readStore(db);
  await inTransaction(db, async (trx) => {
    if (!(await findFlow(trx, key))) return createFlow(trx, key, parsed.data, now);
    const saved = await saveDraft(trx, key, parsed.data, revision, now);
    if (saved === null)
      throw new Problem(
        409,
        'Changed meanwhile',
        'Somebody else has changed this draft since you opened it. Load it again; nothing of theirs was overwritten.',
      );
  });
  return readFlow(db, key);
}

const movesOf = (moves: Awaited<ReturnType<typeof movesTo>>): FlowView['moves'] => {
  const of = (is: (move: (typeof moves)[number]) => boolean) => moves.filter(is).reduce((sum, { runs }) => sum + runs, 0);
  return {
    same: of(({ was, step }) => step === was && step !== null),
    on: of(({ was, step }) => step !== null && step !== was),
    end: of(({ step }) => step === null),
  };
};

/** Where everybody who is inside a flow would go on in another document of it. */
async function movesTo(sql: Sql, flowId: number, next: FlowDocument) {
  const moves: { version: number; was: string | null; step: string | null; isSame: boolean; runs: number }[] = [];
  for (const { version, step, runs } of await insideBy(sql, flowId))
    moves.push({ version, was: step, ...stepIn(next, await readVersion(sql, flowId, version), step), runs });
  return moves;
}

/**
 * Makes the draft a version and switches the flow on; whoever is inside stays on their version, or is moved to this one. Refused when
 * the preflight stops it, and when the draft no longer has the revision that was seen.
 */
export async function publishFlow(
  db: Db,
  key: string,
  by: string,
  revision: number | null = null,
  inside: 'stay' | 'move' = 'stay',
  due: Due = 'send',
): Promise<FlowView> {
  const store = await readStore(db);
  await db.transaction(async (trx) => {
    const flow = await lockFlow(trx, key);
    if (!flow) throw notFound(`flow "${key.slice(0, 60)}"`);
    if (flow.state === 'archived') throw away(flow.name);
    if (revision !== null && flow.draft_revision !== revision)
      throw new Problem(
        409,
        'Changed meanwhile',
        'Somebody else has changed this draft since you looked at it. Load it again and see what would be published; nothing was.',
      );
    const stops = (await findingsOf(trx, key, flow.draft, store)).filter((finding) => finding.level === 'stops');
    if (stops.length) {
      throw new Problem(
        422,
        'Preflight stops it',
        `${stops.length === 1 ? 'One thing has' : `${stops.length} things have`} to be mended before publishing.`,
        stops.map((finding) => ({ field: finding.stepId ?? 'flow', wrong: finding.says, right: finding.mend })),
      );
    }
    const published = flow.version === null ? null : await readVersion(trx, flow.id, flow.version);
    if (published && JSON.stringify(published) === JSON.stringify(flow.draft)) {
      if (flow.state === 'on') return;
      await setFlowState(trx, flow.id, 'on', store.now);
      await goOn(trx, flow.id, published, store, due);
      await recordAct(trx, store.now, by, 'flow.resumed', { key, ...(due === 'drop' && { due }) });
      return;
    }
    const version = await publishDraft(trx, flow, by, store.now);
    if (flow.state === 'paused') await goOn(trx, flow.id, flow.draft, store, due);
    else await setOccasions(trx, flow.id, flow.draft, store.now, store.zone);
    await setHeard(trx, flow.id, flow.draft);
    const moved = inside === 'move' ? await moveRuns(trx, flow.id, version, await movesTo(trx, flow.id, flow.draft), store.now) : 0;
    await recordAct(trx, store.now, by, 'flow.published', { key, version, ...(moved && { moved }) });
  });
  return readFlow(db, key);
}

/**
 * Pauses or resumes a flow. While it is paused nobody enters and nobody inside goes on; waits run out meanwhile. What fell due
 * by then goes out as it is resumed, or is dropped.
 */
export async function switchFlow(db: Db, key: string, to: 'on' | 'paused', by: string, due: Due = 'send'): Promise<FlowView> {
  const { now, zone } = await readStore(db);
  await db.transaction(async (trx) => {
    const flow = await lockFlow(trx, key);
    if (!flow) throw notFound(`flow "${key.slice(0, 60)}"`);
    if (flow.version === null) throw new Problem(409, 'Not published', 'This flow has never been published; publish it to switch it on.');
    if (flow.state === 'archived') throw away(flow.name);
    if (flow.state === to) return;
    await setFlowState(trx, flow.id, to, now);
    // what comes round during a pause is let pass
    if (to === 'on') await goOn(trx, flow.id, await readVersion(trx, flow.id, flow.version), { now, zone }, due);
    else await pauseOccasions(trx, flow.id, now);
    await recordAct(trx, now, by, to === 'on' ? 'flow.resumed' : 'flow.paused', { key, ...(to === 'on' && due === 'drop' && { due }) });
  });
  return readFlow(db, key);
}

/** Has a flow go on after a pause: what comes round from now on, who is inside, and what was kept back before it went out. */
async function goOn(
  trx: Sql,
  flowId: number,
  document: FlowDocument,
  { now, zone }: { now: number; zone: string },
  due: Due,
): Promise<void> {
  await passOccasions(trx, flowId, now);
  await setOccasions(trx, flowId, document, now, zone);
  await wakeInside(trx, flowId, now, due);
  await queueDispatch(trx, await endPaused(trx, flowId, due === 'drop' ? 'it fell due while the flow was paused' : null));
}

/** Puts a flow away: nobody enters, whoever is inside leaves, and it stands in no list. Its versions and figures stay. */
export async function archiveFlow(db: Db, key: string, by: string): Promise<FlowView> {
  await inTransaction(db, async (trx) => {
    const flow = await lockFlow(trx, key);
    if (!flow) throw notFound(`flow "${key.slice(0, 60)}"`);
    if (flow.state === 'archived') return;
    const { now, zone } = await readStore(trx);
    await setFlowState(trx, flow.id, 'archived', now);
    await setOccasions(trx, flow.id, null, now, zone);
    const inside = await endAllRuns(trx, flow.id, { by: `${by}, who archived the flow` }, now);
    await endPaused(trx, flow.id, 'the flow was archived before it went out');
    await recordAct(trx, now, by, 'flow.archived', { key, ...(inside && { left: inside }) });
  });
  return readFlow(db, key);
}

/** Brings a flow back that was put away: paused, or as the draft it was. Who had left does not come back. */
export async function restoreFlow(db: Db, key: string, by: string): Promise<FlowView> {
  await inTransaction(db, async (trx) => {
    const flow = await lockFlow(trx, key);
    if (!flow) throw notFound(`flow "${key.slice(0, 60)}"`);
    if (flow.state !== 'archived') return;
    const { now } = await readStore(trx);
    await setFlowState(trx, flow.id, flow.version === null ? 'draft' : 'paused', now);
    await recordAct(trx, now, by, 'flow.restored', { key });
  });
  return readFlow(db, key);
}

const away = (name: string) => new Problem(409, 'Archived', `“${name}” is archived; restore it first.`);

/** The versions of a flow, the newest first: when and by whom each was published, what it changed, and how many are still on it. */
export async function versionsOf(db: Db, key: string): Promise<{ versions: VersionView[] }> {
  const flow = await findFlow(db, key);
  if (!flow) throw notFound(`flow "${key.slice(0, 60)}"`);
  const { currency } = await readStore(db);
  const inside = new Map<number, number>();
  for (const { version, runs } of await insideBy(db, flow.id)) inside.set(version, (inside.get(version) ?? 0) + runs);
  const versions: VersionView[] = [];
  for (const { version, at, by } of await listVersions(db, flow.id)) {
    const document = await readVersion(db, flow.id, version);
    const before = version > 1 ? await readVersion(db, flow.id, version - 1) : null;
    versions.push({
      version,
      at: at.toISOString(),
      by,
      changes: before ? diff(before, document, currency) : [],
      inside: inside.get(version) ?? 0,
    });
  }
  return { versions };
}

/** One version of a flow as a document; not found where there is none of that number. */
export async function versionOf(db: Db, key: string, version: string): Promise<FlowDocument> {
  const flow = await findFlow(db, key);
  if (!flow) throw notFound(`flow "${key.slice(0, 60)}"`);
  const number = /^[1-9]\d{0,8}$/.test(version) ? Number(version) : 0;
  if (number < 1 || number > (flow.version ?? 0)) throw notFound(`version ${version.slice(0, 20)} of this flow`);
  return readVersion(db, flow.id, number);
}

/** Makes a version the draft again; it is published as any draft is. With a revision, only when the draft still has it. */
export const restoreVersion = async (db: Db, key: string, version: string, revision: number | null): Promise<FlowView> =>
  writeDraft(db, key, await versionOf(db, key, version), revision);
