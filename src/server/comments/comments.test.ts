import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { documentOf, freshBroadcast } from '@/core/broadcasts';
import { flowWith, letter } from '@/core/flows/testing/asking';
import type { Role } from '@/core/access';
import { createUser, findUser } from '@/data/access';
import { putCard } from '@/data/cards';
import { query } from '@/data/db';
import { recordAct } from '@/data/store';
import type { SignedIn } from '../access';
import { switchFlow } from '../flows';
import { openLab, type Lab } from '../testing/lab';
import { changeComment, commentsOf, deleteComment, noticesFor, notified, sayOf, seen, setNotified, tellTeam } from '.';

const URL_ = 'http://localhost:4400';
let lab: Lab;
const people: { [name: string]: SignedIn } = {};
beforeAll(async () => {
  lab = await openLab({ flow: null });
  for (const [name, role] of [
    ['Marla Quist', 'owner'],
    ['Ines Halm', 'writer'],
    ['Tom Brandt', 'analyst'],
  ] as const) {
    const first = name.split(' ')[0]!.toLowerCase();
    const email = `${first}@quillfin.example`;
    await createUser(lab.db, { email, name, role, passwordHash: 'x' });
    const user = (await findUser(lab.db, email))!;
    people[first] = { userId: user.id, email, name, role: role as Role, session: 's', lacksSecond: false };
  }
});
afterAll(() => lab.close());
// the log is never emptied, so what was told of before stays told: only what comes after is looked at
let before = 0;
beforeEach(async () => {
  await query(lab.db, `truncate comments, flows, flow_versions, flow_occasions cascade`);
  await query(lab.db, `update users set notified = '{}'`);
  await lab.addFlow('news', flowWith({ name: 'News', owner: 'Ines Halm' }));
  await tellTeam(lab.db, URL_);
  await lab.settle();
  lab.inbox.length = 0;
  before = (await query<{ id: number }>(lab.db, 'select coalesce(max(id), 0)::int as id from notices'))[0]!.id;
});

const url = new URL('http://x/?kind=flow&key=news');
const say = (text: string, who: string, more: object = {}) =>
  sayOf(lab.db, { kind: 'flow', key: 'news', text, ...more }, people[who]!, URL_);
const heard = async (who: string) =>
  (await noticesFor(lab.db, people[who]!)).items.filter(({ id }) => Number(id) > before).map(({ kind, says }) => `${kind}: ${says}`);
const mails = async () => {
  await lab.settle();
  return lab.inbox.map((mail) => `${(mail.to as unknown as { text: string }).text}: ${mail.subject}`);
};

describe('comments', () => {
  it('are said, reworded by who wrote them, settled by anybody, deleted by who wrote them or an owner', async () => {
    const { id } = await say('Is the subject too long?', 'tom', { part: 'hello' });
    await expect(changeComment(lab.db, id, { text: 'No' }, people.ines!)).rejects.toMatchObject({ status: 403 });
    await changeComment(lab.db, id, { text: 'Is the subject far too long?' }, people.tom!);
    await changeComment(lab.db, id, { isDone: true }, people.ines!);
    const [one] = (await commentsOf(lab.db, url, people.tom!)).comments;
    expect(one).toMatchObject({
      by: 'Tom Brandt',
      isYours: true,
      part: 'hello',
      text: 'Is the subject far too long?',
      done: { by: 'Ines Halm' },
    });
    await changeComment(lab.db, id, { isDone: false }, people.tom!);
    await expect(deleteComment(lab.db, id, people.ines!)).rejects.toMatchObject({ status: 403 });
    await deleteComment(lab.db, id, people.marla!);
    expect((await commentsOf(lab.db, url, null)).comments).toEqual([]);
    // all of it stands in the log, with what it was before
    const acts = await query<{ what: string }>(lab.db, `select what from acts where what like 'comment.%' order by id`);
    expect(acts.map(({ what }) => what)).toEqual([
      'comment.added',
      'comment.changed',
      'comment.settled',
      'comment.opened',
      'comment.deleted',
    ]);
  });

  it('are heard of by who looks after the letter, as its card says, not by who wrote it last', async () => {
    await query(
      lab.db,
      `insert into library (key, name, kind, document, tags, changed_at, changed_by)
       values ('winter', 'Winter', 'message', '{}', '{}', now(), 'Marla Quist') on conflict (key) do nothing`,
    );
    await putCard(lab.db, 'message', 'winter', { about: '', owner: 'Ines Halm', tags: [] });
    await sayOf(lab.db, { kind: 'message', key: 'winter', text: 'Too long?' }, people.tom!, URL_);
    expect(await heard('ines')).toEqual([expect.stringMatching(/^comment: .*Winter/)]);
    expect(await heard('marla')).toEqual([]);
  });

  it('are about something that is there', async () => {
    await expect(say('x', 'tom', { key: 'gone' })).rejects.toMatchObject({ status: 404 });
    await expect(say('', 'tom')).rejects.toMatchObject({ status: 422 });
    await expect(changeComment(lab.db, 'x', { isDone: true }, people.tom!)).rejects.toMatchObject({ status: 404 });
  });
});

describe('who is told', () => {
  it('whoever is named, by mail; who looks after it and who has spoken there, on their screen; never who said it', async () => {
    await say('@Marla Quist, what do you think?', 'tom');
    expect(await heard('marla')).toEqual(['mention: Tom Brandt names you at “News”']);
    expect(await heard('ines')).toEqual(['comment: Tom Brandt commented on “News”']);
    expect(await heard('tom')).toEqual([]);
    expect(await mails()).toEqual(['marla@quillfin.example: Tom Brandt names you at “News”']);
    await say('Fine by me', 'marla');
    expect(await heard('tom')).toEqual(['comment: Marla Quist commented on “News”']);
    // looked at again, nobody is told twice
    expect(await tellTeam(lab.db, URL_)).toBe(0);
    expect(await mails()).toHaveLength(1);
  });

  it('as each wants it', async () => {
    expect((await notified(lab.db, people.ines!)).notified).toMatchObject({ mention: 'mail', changed: 'here' });
    await setNotified(lab.db, people.ines!, { mention: 'off', comment: 'mail', changed: 'mail', asks: 'here' });
    await say('@ines look', 'tom');
    expect(await heard('ines')).toEqual([]);
    await switchFlow(lab.db, 'news', 'paused', 'Marla Quist');
    await tellTeam(lab.db, URL_);
    expect(await heard('ines')).toEqual(['changed: Marla Quist paused “News”']);
    expect(await mails()).toEqual(['ines@quillfin.example: Marla Quist paused “News”']);
    await expect(setNotified(lab.db, people.ines!, { mention: 'loudly' })).rejects.toMatchObject({ status: 422 });
  });

  it('of a trial that waits for a choice, with the way to its broadcast', async () => {
    const { id: _, kind: __, ...content } = letter('hello');
    await lab.addFlow('winter', documentOf(freshBroadcast('2098-01-01T10:00', content), 'winter', { name: 'Winter', owner: 'Tom Brandt' }));
    await recordAct(lab.db, await lab.now(), 'test “Which”', 'test.decided', { key: 'winter', step: 'test', arm: null });
    await recordAct(lab.db, await lab.now(), 'test “Which”', 'test.decided', { key: 'winter', step: 'test', arm: 'a' });
    await tellTeam(lab.db, URL_);
    const { items, unseen } = await noticesFor(lab.db, people.tom!);
    expect(items.filter(({ kind, id: notice }) => kind === 'asks' && Number(notice) > before).map(({ href }) => href)).toEqual([
      '/broadcasts/winter',
    ]);
    expect(unseen).toBe(items.length);
    expect((await seen(lab.db, people.tom!, { upTo: items[0]!.id })).unseen).toBe(0);
    await expect(seen(lab.db, people.tom!, { upTo: 'all' })).rejects.toMatchObject({ status: 422 });
  });
});
