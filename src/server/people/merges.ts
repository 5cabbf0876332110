import type { MergeView } from '@/core/api';
import { eldest, isOfficeMailbox, joinInto, joinProfiles, stricterConsents, PLAIN_DETAIL, type Profile, type Someone } from '@/core/people';
import type { Value } from '@/core/rules';
import { DAY, type Instant } from '@/core/time';
import { nameCause, wakePeople } from '@/data/rules';
import { inTransaction, type Db } from '@/data/db';
import {
  dropInherited,
  identifiersOf,
  listMerges,
  lockMerge,
  lockPeople,
  markShared,
  moveToPerson,
  noteUndone,
  restoreConsents,
  restoreLoser,
  saveConsents,
  savePeople,
  writeRecord,
  type LockedPerson,
  type MergeListRow,
} from '@/data/people';
import { readStore, recordAct } from '@/data/store';
import { cursorOf, notFound, Problem } from '../http';
import { joinRuns, recordFor, settleAnew } from '../ingest';
import { nameOf, person, publicId } from './who';

/** For how long a merge can be undone. */
const UNDO_MS = 30 * DAY;

function viewOf(row: MergeListRow, now: Instant): MergeView {
  return {
    id: row.id,
    at: row.at.toISOString(),
    by: row.by,
    because: row.because,
    winner: { id: `~${row.winner_id}`, name: row.winner_name, email: row.winner_email },
    loser: {
      externalId: row.loser.external_id,
      email: typeof row.loser.attributes.email === 'string' ? row.loser.attributes.email : null,
      name: nameOf(row.loser.attributes),
    },
    undoneAt: row.undone_at?.toISOString() ?? null,
    undoneBy: row.undone_by,
    canUndo: row.undone_at === null && row.at.getTime() + UNDO_MS >= now,
  };
}

export async function mergesOf(db: Db, personId: string, now: Instant): Promise<MergeView[]> {
  return (await listMerges(db, personId, 50, null)).map((row) => viewOf(row, now));
}

/** All merges, newest first, a page at a time. */
export async function allMerges(db: Db, url: URL): Promise<{ merges: MergeView[]; next: string | null }> {
  const before = cursorOf(url);
  const [rows, { now }] = await Promise.all([listMerges(db, null, 51, before), readStore(db)]);
  return { merges: rows.slice(0, 50).map((row) => viewOf(row, now)), next: rows.length > 50 ? rows[49]!.id : null };
}

const someoneOf = ({ row }: LockedPerson): Someone => ({
  ref: row.id,
  isKnown: row.is_known,
  firstSeen: row.created_at.getTime(),
  externalId: row.external_id,
  externalAt: row.external_at?.getTime() ?? Infinity,
});

/** Joins two people by hand: the same rules as when events show that they are one. Answers with the one who goes on. */
export async function mergePeople(db: Db, oneId: string, otherId: string, by: string): Promise<{ id: string }> {
  const [one, other] = [await person(db, oneId), await person(db, otherId)];
  if (one.id === other.id)
    throw new Problem(422, 'The same person', 'These two are one person already.', [
      { field: 'other', wrong: 'is the same person', right: 'somebody else' },
    ]);
  return inTransaction(db, async (trx) => {
    const store = await readStore(trx);
    const locked = await lockPeople(trx, [one.id, other.id]);
    const [a, b] = [locked.get(one.id), locked.get(other.id)];
    if (!a || !b) throw new Problem(409, 'Changed meanwhile', 'One of the two has just been merged or erased. Load the page again.');
    const [first, second] = [someoneOf(a), someoneOf(b)];
    const merged = eldest(first, second);
    const winnerId = merged.ref;
    const [winner, loser] = merged === first ? [a, b] : [b, a];
    joinInto(merged, merged === first ? second : first);
    const profile = joinProfiles(
      { attributes: winner.row.attributes, stamped: winner.row.stamped },
      { attributes: loser.row.attributes, stamped: loser.row.stamped },
    );
    await nameCause(trx, `merged by ${by}`);
    await moveToPerson(trx, loser.row.id, winnerId, { at: store.now, by, because: 'merged by hand', isRecorded: true });
    await savePeople(trx, [
      {
        id: winnerId,
        isNew: false,
        externalId: merged.externalId,
        externalAt: merged.externalAt,
        isKnown: merged.isKnown,
        profile,
        firstSeen: merged.firstSeen,
        lastSeen: loser.row.seen_at.getTime(),
      },
    ]);
    await saveConsents(
      trx,
      [...stricterConsents(winner.consents, loser.consents)].map(([channel, state]) => ({
        personId: winnerId,
        channel,
        state,
        detail: { ...PLAIN_DETAIL, how: 'two people became one: the stricter consent', actor: by },
      })),
    );
    await settleAnew(trx, [winnerId], store);
    await recordFor(trx, await joinRuns(trx, winnerId, store.now));
    await wakePeople(trx, [winnerId], store.now);
    await recordAct(trx, store.now, by, 'people.merged', { winner: winnerId, loser: loser.row.id });
    return { id: publicId({ id: winnerId, external_id: merged.externalId }) };
  });
}

/**
 * Undoes a merge within 30 days: both are there again, each with what was theirs; what has happened since stays with
 * the one who went on. Addresses that had joined them are marked as shared, so that the next event does not join them again.
 */
export async function undoMerge(db: Db, mergeId: string, by: string): Promise<{ winner: string; loser: string }> {
  if (!/^\d{1,18}$/.test(mergeId)) throw notFound(`merge "${mergeId.slice(0, 20)}"`);
  return inTransaction(db, async (trx) => {
    const store = await readStore(trx);
    const merge = await lockMerge(trx, mergeId);
    if (!merge) throw notFound(`merge "${mergeId}"`);
    if (merge.undone_at) throw new Problem(409, 'Undone already', 'This merge has been undone already.');
    if (merge.at.getTime() + UNDO_MS < store.now)
      throw new Problem(422, 'Too late', 'A merge can be undone within 30 days; this one is older.');
    const locked = (await lockPeople(trx, [merge.winner_id])).get(merge.winner_id);
    if (!locked)
      throw new Problem(409, 'Merged on', 'The person who went on has been merged into another or erased since. Undo that merge first.');

    const now = locked.row;
    const merged = joinProfiles(
      { attributes: merge.winner.attributes, stamped: merge.winner.stamped },
      { attributes: merge.loser.attributes, stamped: merge.loser.stamped },
    );
    const profile = since(merge.winner, merged, now);
    await nameCause(trx, `merge undone by ${by}`);
    await restoreLoser(trx, merge);
    await dropInherited(trx, merge.winner_id, merge.moved);
    const isLosers = (externalId: string | null) =>
      externalId !== null && merge.moved.identifiers.some((one) => one.kind === 'external' && one.value === externalId);
    await writeRecord(trx, merge.winner_id, {
      externalId: isLosers(now.external_id) ? merge.winner.external_id : now.external_id,
      externalAt: isLosers(now.external_id) ? merge.winner.external_at : (now.external_at?.toISOString() ?? null),
      attributes: profile.attributes,
      stamped: profile.stamped,
      createdAt: merge.winner.created_at,
    });
    await writeRecord(trx, merge.loser_id, {
      externalId: merge.loser.external_id,
      externalAt: merge.loser.external_at,
      attributes: merge.loser.attributes,
      stamped: merge.loser.stamped,
      createdAt: merge.loser.created_at,
    });
    await restoreConsents(trx, merge.winner_id, merge.winner.consents, merge.moved.lastWord);
    // what joined them would join them again
    if (merge.by === 'events') {
      const all = [...(await identifiersOf(trx, merge.winner_id)), ...(await identifiersOf(trx, merge.loser_id))];
      const named = all.filter((one) => one.kind === 'email' && merge.because.includes(one.value) && !isOfficeMailbox(one.value));
      await markShared(
        trx,
        named.length ? named : all.filter((one) => merge.because.includes(one.value)),
        `merge ${merge.id} was undone`,
        by,
        store.now,
      );
    }
    await noteUndone(trx, merge.id, by, store.now);
    await settleAnew(trx, [merge.winner_id, merge.loser_id], store);
    await wakePeople(trx, [merge.winner_id, merge.loser_id], store.now);
    await recordAct(trx, store.now, by, 'people.unmerged', { winner: merge.winner_id, loser: merge.loser_id });
    return { winner: `~${merge.winner_id}`, loser: `~${merge.loser_id}` };
  });
}

/** A profile as it was, with what has been learned since the merge. */
function since(was: Profile, merged: Profile, now: Profile): Profile {
  const attributes: Record<string, Value> = { ...was.attributes };
  const stamped = { ...was.stamped };
  for (const [name, at] of Object.entries(now.stamped)) {
    if (merged.stamped[name] === at && JSON.stringify(merged.attributes[name]) === JSON.stringify(now.attributes[name])) continue;
    if (now.attributes[name] === undefined) delete attributes[name];
    else attributes[name] = now.attributes[name];
    stamped[name] = at;
  }
  return { attributes, stamped };
}
