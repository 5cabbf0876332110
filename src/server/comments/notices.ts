import type { NoticesView, NotifiedView } from '@/core/api';
import { notifiedInput, notifiedOf, SPOKEN_OF, type NoticeKind, type SpokenOf } from '@/core/comments';
import { HOUR } from '@/core/time';
import {
  aboutWhat,
  actsToTell,
  addNotices,
  listComments,
  noticesOf,
  readNotified,
  saveNotified,
  seeNotices,
  unseenOf,
  whoHears,
  type ActToTell,
  type NewNotice,
} from '@/data/comments';
import { inTransaction, type Db, type Sql } from '@/data/db';
import { readStore } from '@/data/store';
import type { SignedIn } from '../access';
import { Problem, problemsOf } from '../http';
import { mailNotes, noteLetter, type Note } from '../messages';

/** What of the log somebody may be told of. */
const TOLD = ['comment.added', 'flow.published', 'flow.paused', 'flow.resumed', 'flow.archived', 'test.decided'];
const DID: { readonly [what: string]: string } = {
  'flow.published': 'published',
  'flow.paused': 'paused',
  'flow.resumed': 'resumed',
  'flow.archived': 'archived',
};
/** How far back acts are looked at: what is told later than that was told when it happened. */
const LOOKS_BACK_MS = 2 * HOUR;

const LETTER = noteLetter('{{ event.says }}', '{{ event.text }}', 'Open it');

type Person = Awaited<ReturnType<typeof whoHears>>[number];
interface Telling {
  readonly person: Person;
  readonly kind: NoticeKind;
  readonly says: string;
  readonly text: string;
  readonly href: string;
}

const PLACES: { readonly [kind in SpokenOf]: string } = {
  flow: '/flows/',
  message: '/messages/',
  offer: '/offers/',
  segment: '/people/segments/',
};

/**
 * Tells the team of what was done: each act once to everybody whom it concerns, on their screen and, where they want it so, by mail. It
 * reads the log, so whatever writes there can be told of without a line of its own.
 */
export async function tellTeam(db: Db, url: string): Promise<number> {
  return inTransaction(db, async (trx) => {
    const { now } = await readStore(trx);
    const acts = await actsToTell(trx, now - LOOKS_BACK_MS, TOLD);
    if (!acts.length) return 0;
    const team = await whoHears(trx);
    const tellings: (Telling & { actId: string })[] = [];
    for (const act of acts) for (const one of await tellingsOf(trx, act, team)) tellings.push({ ...one, actId: act.id });
    const wanted = tellings.filter(({ person, kind }) => notifiedOf(person.notified)[kind] !== 'off');
    const fresh = await addNotices(
      trx,
      wanted.map(({ person, kind, says, href, actId }): NewNotice => ({ userId: person.id, kind, at: now, says, href, actId })),
    );
    const isNew = new Set(fresh.map(({ userId, actId }) => `${userId}/${actId}`));
    const notes = wanted
      .filter(({ person, kind, actId }) => isNew.has(`${person.id}/${actId}`) && notifiedOf(person.notified)[kind] === 'mail')
      .map(({ person, says, text, href }): Note => ({
        to: person.email,
        message: LETTER,
        by: null,
        about: { says, text, url: `${url}${href}` },
      }));
    await mailNotes(trx, notes, now);
    return fresh.length;
  });
}

/** Whom an act concerns, and what each is told of it; never who did it. */
async function tellingsOf(trx: Sql, { actor, what, detail }: ActToTell, team: readonly Person[]): Promise<Telling[]> {
  const kind = SPOKEN_OF.find((one) => one === (what === 'comment.added' ? detail.kind : 'flow'));
  const key = typeof detail.key === 'string' ? detail.key : null;
  const about = kind && key ? await aboutWhat(trx, kind, key) : null;
  if (!kind || !key || !about) return [];
  const href = `${about.isBroadcast ? '/broadcasts/' : PLACES[kind]}${key}`;
  const by = (name: string | null | undefined) => team.find((one) => one.name === name && one.name !== actor);
  const owner = by(about.owner);
  if (what === 'comment.added') {
    const named = Array.isArray(detail.mentions) ? detail.mentions.flatMap((name) => by(String(name)) ?? []) : [];
    const before = (await listComments(trx, kind, key)).flatMap(({ by_name: name }) => by(name) ?? []);
    const others = [...new Set([...(owner ? [owner] : []), ...before])].filter((one) => !named.includes(one));
    const text = `${actor}: ${String(detail.text ?? '')}`;
    return [
      ...named.map((person) => ({ person, kind: 'mention' as const, says: `${actor} names you at “${about.name}”`, text, href })),
      ...others.map((person) => ({ person, kind: 'comment' as const, says: `${actor} commented on “${about.name}”`, text, href })),
    ];
  }
  if (what === 'test.decided') {
    if (detail.arm !== null) return [];
    const says = `No message of “${about.name}” is a clear winner: choose the one that everyone else gets`;
    return owner ? [{ person: owner, kind: 'asks', says, text: `${says}.`, href }] : [];
  }
  const says = `${actor} ${DID[what]} “${about.name}”`;
  return owner ? [{ person: owner, kind: 'changed', says, text: `${says}.`, href }] : [];
}

/** What somebody was told of, the newest first, and how much of it they have not seen. */
export async function noticesFor(db: Db, user: SignedIn): Promise<NoticesView> {
  const [rows, unseen] = await Promise.all([noticesOf(db, user.userId), unseenOf(db, user.userId)]);
  return {
    unseen,
    items: rows.map(({ id, kind, at, says, href, seen_at }) => ({ id, kind, at: at.toISOString(), says, href, isSeen: seen_at !== null })),
  };
}

/** Marks what somebody was told of as seen, up to one of them. */
export async function seen(db: Db, user: SignedIn, body: unknown): Promise<NoticesView> {
  const upTo = (body as { upTo?: unknown } | null)?.upTo;
  if (typeof upTo !== 'string' || !/^\d{1,18}$/.test(upTo))
    throw new Problem(422, 'Not a notice', 'Nothing was marked.', [
      { field: 'upTo', wrong: 'is no notice', right: 'the id of the newest that was seen' },
    ]);
  await seeNotices(db, user.userId, upTo);
  return noticesFor(db, user);
}

/** How somebody wants to hear of each kind. */
export const notified = async (db: Db, user: SignedIn): Promise<NotifiedView> => ({
  notified: notifiedOf(await readNotified(db, user.userId)),
});

export async function setNotified(db: Db, user: SignedIn, body: unknown): Promise<NotifiedView> {
  const parsed = notifiedInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not a choice', 'Nothing was changed.', problemsOf(parsed.error));
  await saveNotified(db, user.userId, parsed.data);
  return notified(db, user);
}
