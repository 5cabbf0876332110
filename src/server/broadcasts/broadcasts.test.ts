import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { documentOf, freshBroadcast, type Broadcast, type Letter } from '@/core/broadcasts';
import { letter as letterStep } from '@/core/flows/testing/asking';
import type { RecipientsView } from '@/core/api';
import { addDuration, localClock, localDate, type Instant } from '@/core/time';
import { query } from '@/data/db';
import { saveFeed, settleFeed } from '@/data/letters';
import { moveClockTo } from '@/data/store';
import { decideTests, keepTestArm, publishFlow, switchFlow, tick, writeDraft } from '../flows';
import { comeRound } from '../flows/occasions';
import { noteLeaving, noteTouch } from '../messages';
import { testView } from '../revenue';
import { happening, openLab, type Lab } from '../testing/lab';
import { today } from '../today';
import { calendarOf, listOfBroadcasts, readBroadcast, reachOfAudience, recipientLines, recipientsOf, splitOfBroadcast } from '.';

const ZONE = 'Europe/Amsterdam';
let lab: Lab;
beforeAll(async () => {
  lab = await openLab({ flow: null });
});
afterAll(() => lab.close());
beforeEach(async () => {
  lab.inbox.length = 0;
  await lab.empty('flows', 'flow_versions', 'flow_occasions', 'occasion_news', 'test_verdicts', 'feeds');
});

const letterOf = (name: string, blocks?: object[]): Letter => {
  const { id: _, kind: __, ...letter } = letterStep(name);
  return { ...letter, message: { ...letter.message, ...(blocks && { blocks: blocks as never }) } };
};
const clock = (at: Instant): string => {
  const { minutes } = localClock(at, ZONE);
  return `${localDate(at, ZONE)}T${String(Math.floor(minutes / 60)).padStart(2, '0')}:${String(minutes % 60).padStart(2, '0')}`;
};
const plainAt = async (after: string): Promise<Broadcast> =>
  freshBroadcast(clock(addDuration(await lab.now(), after, ZONE)), letterOf('Winter'));
const start = (key: string, broadcast: Broadcast) => lab.addFlow(key, documentOf(broadcast, key, { name: `About ${key}` }));
const person = (n: number | string, more: object = {}) =>
  happening('page.viewed', { person: { email: `p${n}@example.com`, consent: { email: true }, ...more } });
const crowd = (many: number) => lab.tell(Array.from({ length: many }, (_, n) => person(n)));
const got = () => lab.inbox.map((mail) => `${(mail.to as unknown as { text: string }).text.replace(/.*<|>/g, '')} ${mail.subject}`).sort();
const touch = (event: string, emails: readonly string[], key: string) =>
  query(
    lab.db,
    `update sends s set ${event}_at = now() from people p, flows f where p.id = s.person_id and f.id = s.flow_id and f.key = :key
       and p.email = any(cast(:emails as text[]))`,
    { emails, key },
  );
const phase = async (key: string) => (await readBroadcast(lab.db, key)).phase;
const url = (more = '') => new URL(`http://x/${more}`);

describe('a broadcast', () => {
  it('goes to everybody who is meant and can be reached, once, and says who did not get it and why', async () => {
    await crowd(3);
    await lab.tell([
      person('trade', { country: 'BE' }),
      happening('page.viewed', { person: { email: 'silent@example.com' } }),
      person('gone', { consent: { email: false } }),
    ]);
    const without = [{ test: 'attribute', name: 'country', op: 'is', value: 'BE' } as const];
    await start('winter', { ...(await plainAt('PT2H')), without });
    expect(await phase('winter')).toBe('planned');
    await lab.pass('PT3H');
    expect(got()).toEqual(['p0@example.com Winter', 'p1@example.com Winter', 'p2@example.com Winter']);
    const view = await readBroadcast(lab.db, 'winter');
    expect(view).toMatchObject({ phase: 'gone', sent: 3, entered: 5, queued: 0, isPlain: true });
    expect(view.leftOut).toEqual([
      { why: 'consent to email was withdrawn', people: 1 },
      { why: 'no consent to email on file', people: 1 },
    ]);
    await lab.pass('P30D');
    expect(got()).toHaveLength(3);
  });

  it('is counted before: how many, how many can be reached, who is left out and why, whom a gap holds back', async () => {
    await crowd(4);
    await lab.tell([happening('page.viewed', { person: { email: 'silent@example.com' } }), person('gone', { consent: { email: false } })]);
    const reach = (more: object = {}) => reachOfAudience(lab.db, { who: null, channel: 'email', kind: 'marketing', ...more });
    expect(await reach()).toMatchObject({ people: 6, reachable: 4, held: null });
    expect((await reach()).leftOut).toEqual([
      { why: 'no consent to email on file', people: 1 },
      { why: 'consent to email was withdrawn', people: 1 },
    ]);
    // a service message needs an address alone
    expect(await reach({ kind: 'service' })).toMatchObject({ people: 6, reachable: 6, leftOut: [] });
    expect(await reach({ channel: 'sms' })).toMatchObject({ people: 6, reachable: 0 });
    await expect(reach({ channel: 'smoke' })).rejects.toMatchObject({ status: 422 });
    // what is only known inside a flow cannot be counted
    await expect(reach({ who: { test: 'did', event: 'order.placed', since: 'entry' } })).rejects.toMatchObject({ status: 422 });
  });

  it('is stopped and goes on: what was on its way is kept back, nobody is left out and nobody gets it twice', async () => {
    await crowd(8);
    await start('winter', await plainAt('PT2H'));
    // some are let go, and not one of them has gone out as it is stopped
    await moveClockTo(lab.db, addDuration(await lab.now(), 'PT3H', ZONE));
    await comeRound(lab.db);
    await tick(lab.db, 3);
    await switchFlow(lab.db, 'winter', 'paused', 'Marla');
    await lab.settle();
    expect(got()).toEqual([]);
    expect(await query(lab.db, `select count(*)::int as n from sends where paused`)).toEqual([{ n: 3 }]);
    expect(await phase('winter')).toBe('stopped');
    await lab.pass('P2D');
    expect(got()).toEqual([]);
    await switchFlow(lab.db, 'winter', 'on', 'Marla');
    await lab.settle();
    expect(got()).toEqual(Array.from({ length: 8 }, (_, n) => `p${n}@example.com Winter`));
    expect(await phase('winter')).toBe('gone');
  });

  it('that is stopped before everybody is told tells the others as it goes on', async () => {
    await crowd(3);
    await start('winter', await plainAt('PT2H'));
    await moveClockTo(lab.db, addDuration(await lab.now(), 'PT3H', ZONE));
    await query(lab.db, 'update flow_occasions set told_to = (select min(id) from people)');
    await switchFlow(lab.db, 'winter', 'paused', 'Marla');
    await lab.pass('PT3H');
    expect(got()).toEqual([]);
    await switchFlow(lab.db, 'winter', 'on', 'Marla');
    await lab.settle();
    expect(got()).toHaveLength(2);
  });

  it('that is stopped in the middle and planned for another moment goes to those who have not had it, then', async () => {
    await crowd(4);
    await start('winter', await plainAt('PT2H'));
    await lab.pass('PT3H');
    expect(got()).toHaveLength(4);
    // one more is still to be told of its moment as it is stopped
    await lab.tell(person('late'));
    await query(
      lab.db,
      `insert into flow_occasions (flow_id, trigger, zone, zones, next_at) select id, 'when', '', '{}', :at from flows where key = 'winter'`,
      { at: new Date((await lab.now()) - 3_600_000) },
    );
    await switchFlow(lab.db, 'winter', 'paused', 'Marla');
    await writeDraft(lab.db, 'winter', documentOf(await plainAt('P1D'), 'winter', { name: 'About winter' }), null);
    await publishFlow(lab.db, 'winter', 'Marla');
    await lab.pass('PT1H');
    // the moment that was is gone, and nobody is told of it
    expect(got()).toHaveLength(4);
    await lab.pass('P1D');
    expect(got()).toHaveLength(5);
    expect(got()).toContain('plate@example.com Winter');
  });

  it('whose moment comes while it is stopped is let pass; one that comes round is told the next time', async () => {
    await crowd(1);
    await start('winter', await plainAt('PT2H'));
    const weekly = await plainAt('PT2H');
    await start('weekly', { ...weekly, when: { ...weekly.when, rule: 'FREQ=WEEKLY' } });
    for (const key of ['winter', 'weekly']) await switchFlow(lab.db, key, 'paused', 'Marla');
    await lab.pass('P1D');
    for (const key of ['winter', 'weekly']) await switchFlow(lab.db, key, 'on', 'Marla');
    await lab.settle();
    expect(got()).toEqual([]);
    await lab.pass('P7D');
    expect(got()).toHaveLength(1);
  });

  it('goes once more to those who did not open it and did not order', async () => {
    await crowd(4);
    const again = { unless: 'opened', after: 'P3D', exceptBought: true, letter: letterOf('Once more') } as const;
    await start('winter', { ...(await plainAt('PT2H')), again });
    await lab.pass('PT3H');
    expect(got()).toHaveLength(4);
    const opened = async (n: number) => {
      const [send] = await query<{ id: string; person_id: string }>(
        lab.db,
        `select s.id, s.person_id from sends s join people p on p.id = s.person_id where p.email = :email`,
        { email: `p${n}@example.com` },
      );
      await noteTouch(lab.db, { purpose: 'open', personId: send!.person_id, sendId: send!.id }, 'message.opened', null);
    };
    await opened(0);
    await lab.tell(happening('order.placed', { orderId: 'o1', currency: 'EUR', value: 40, person: { email: 'p1@example.com' } }));
    await lab.pass('P4D');
    expect(got().filter((one) => one.endsWith('Once more'))).toEqual(['p2@example.com Once more', 'p3@example.com Once more']);
    const { messages } = await readBroadcast(lab.db, 'winter');
    expect(messages.map(({ name, sent, opened: seen }) => [name, sent, seen])).toEqual([
      ['Winter', 4, 1],
      ['Once more', 2, 0],
    ]);
  });
});

describe('a broadcast that tries several messages on a part', () => {
  const trying = async (unsure: 'ask' | 'highest'): Promise<Broadcast> => ({
    ...(await plainAt('PT2H')),
    contents: [
      { id: 'message', letter: letterOf('Winter') },
      { id: 'message-2', letter: letterOf('Snow') },
    ],
    trial: { share: 40, lasts: 'PT4H', by: 'opened', unsure },
  });
  const sentOf = async (subject: string): Promise<string[]> => got().flatMap((one) => (one.endsWith(subject) ? [one.split(' ')[0]!] : []));

  it('sends the others the one that surely does best, once its time is over; whoever waited gets it', async () => {
    await crowd(200);
    await start('winter', await trying('ask'));
    await lab.pass('PT3H');
    const [winter, snow] = [await sentOf('Winter'), await sentOf('Snow')];
    expect(winter.length + snow.length).toBeGreaterThan(40);
    expect(winter.length + snow.length).toBeLessThan(120);
    expect(await decideTests(lab.db)).toBe(0);
    expect(await readBroadcast(lab.db, 'winter')).toMatchObject({ phase: 'trying', trial: { waiting: 200 - winter.length - snow.length } });
    await touch('opened', snow, 'winter');
    await lab.pass('PT4H');
    expect(await decideTests(lab.db)).toBe(1);
    expect(await decideTests(lab.db)).toBe(0);
    await lab.settle();
    expect(got()).toHaveLength(200);
    expect(await sentOf('Winter')).toEqual(winter);
    const view = await readBroadcast(lab.db, 'winter');
    expect(view).toMatchObject({ phase: 'gone', sent: 200 });
    expect(view.trial!.says).toBe('“Snow” is the winner; everyone else gets it.');
    // the tests page gives the same verdict, by what the test was set up with
    expect(await testView(lab.db, 'winter', 'test')).toMatchObject({
      goes: 'opened',
      ahead: 'arm-message-2',
      decidedAt: expect.any(String),
      says: expect.stringMatching(/^“Snow” is the winner/),
    });
    // what was decided by is what the part came to, not what all others did
    expect(view.trial!.arms.map(({ people }) => people)).toEqual([winter.length, snow.length]);
  });

  it('asks where none surely does best, and goes on with what somebody chooses', async () => {
    await crowd(60);
    await start('winter', await trying('ask'));
    await lab.pass('PT3H');
    await lab.pass('PT4H');
    expect(await decideTests(lab.db)).toBe(1);
    expect(await decideTests(lab.db)).toBe(0);
    await lab.settle();
    expect(await readBroadcast(lab.db, 'winter')).toMatchObject({
      phase: 'asks',
      trial: { says: 'No clear winner. Choose the message that everyone else gets.' },
    });
    const waiting = 60 - got().length;
    expect((await today(lab.db, null, 'Marla')).attention.find(({ key }) => key === 'asks/winter')).toMatchObject({
      says: `No message of “About winter” is a clear winner: ${waiting} people wait until you choose one.`,
      href: '/broadcasts/winter',
    });
    const before = (await sentOf('Winter')).length;
    await expect(keepTestArm(lab.db, 'winter', 'test', { arm: 'arm-none' }, 'Marla')).rejects.toMatchObject({ status: 422 });
    await keepTestArm(lab.db, 'winter', 'test', { arm: 'arm-message' }, 'Marla');
    await lab.settle();
    expect(got()).toHaveLength(60);
    expect((await sentOf('Winter')).length).toBeGreaterThan(before);
    expect(await phase('winter')).toBe('gone');
  });

  it('asks, too, where nobody of the part could be reached; whoever waits gets what is chosen', async () => {
    // of these few nobody is drawn into one of a hundred
    await crowd(3);
    const few = await trying('ask');
    await start('winter', { ...few, trial: { ...few.trial!, share: 1 } });
    await lab.pass('PT3H');
    const { trial } = await readBroadcast(lab.db, 'winter');
    expect([got().length, trial!.waiting]).toEqual([0, 3]);
    expect(await decideTests(lab.db)).toBe(1);
    expect(await phase('winter')).toBe('asks');
    await keepTestArm(lab.db, 'winter', 'test', { arm: 'arm-message' }, 'Marla');
    await lab.settle();
    expect(got()).toHaveLength(3);
  });

  it('or takes the one with the highest share, where that was asked for', async () => {
    await crowd(60);
    await start('winter', await trying('highest'));
    await lab.pass('PT3H');
    const snow = await sentOf('Snow');
    await touch('opened', snow.slice(0, 1), 'winter');
    await lab.pass('PT4H');
    await decideTests(lab.db);
    await lab.settle();
    expect(got()).toHaveLength(60);
    expect((await readBroadcast(lab.db, 'winter')).trial!.says).toBe('No clear winner; everyone else gets “Snow”.');
  });
});

describe('a digest', () => {
  const FEED = { key: 'blog', name: 'Blog', url: 'https://blog.example/feed', every_minutes: 60 };
  const publish = async (...ids: string[]) => {
    const now = await lab.now();
    await settleFeed(
      lab.db,
      'blog',
      FEED.url,
      {
        title: 'Blog',
        entries: ids.map((id) => ({ id, name: `Entry ${id}`, words: null, url: null, image: null, at: new Date(now).toISOString() })),
      },
      now,
    );
  };
  const digest = async (atLeast: number): Promise<Broadcast> => {
    const plain = await plainAt('PT2H');
    return {
      ...plain,
      when: { ...plain.when, rule: 'FREQ=DAILY' },
      contents: [{ id: 'message', letter: letterOf('News', [{ id: 'b1', kind: 'feed', feed: 'blog', most: 5, news: true }]) }],
      news: { feed: 'blog', atLeast },
    };
  };
  const texts = () => lab.inbox.map((mail) => (mail.text ?? '').match(/Entry \w+/g) ?? []);
  beforeEach(() => saveFeed(lab.db, FEED));

  it('tells what is new since the last time, and nothing where there is nothing new', async () => {
    await crowd(1);
    await start('news', await digest(1));
    await publish('a', 'b');
    // it is read anew at its hour: before that, the occasion waits
    await lab.pass('PT2H');
    expect(texts()).toEqual([]);
    await publish('a', 'b');
    await lab.pass('PT5M');
    expect(texts()).toEqual([['Entry a', 'Entry b']]);
    await lab.pass('PT23H');
    await publish('a', 'b');
    await lab.pass('PT2H');
    expect(texts()).toHaveLength(1);
    await lab.pass('PT22H');
    await lab.pass('PT1H');
    await publish('c', 'a', 'b');
    await lab.pass('PT30M');
    expect(texts().slice(1)).toEqual([['Entry c']]);
    const { news } = await readBroadcast(lab.db, 'news');
    expect(news.map(({ entries, isTold }) => [entries.length, isTold])).toEqual([
      [1, true],
      [0, false],
      [2, true],
    ]);
  });

  it('waits for so many entries, and does not wait for ever for a feed that cannot be read', async () => {
    await crowd(1);
    await start('news', await digest(2));
    await publish('a');
    await lab.pass('PT2H');
    // it was not read since: after a while what is known counts
    await lab.pass('PT20M');
    expect(texts()).toEqual([]);
    expect((await readBroadcast(lab.db, 'news')).news.map(({ isTold }) => isTold)).toEqual([false]);
    await lab.pass('PT20H');
    await publish('b', 'a');
    await lab.pass('PT4H');
    await lab.pass('PT20M');
    expect(texts()).toEqual([['Entry b', 'Entry a']]);
  });
});

describe('what became of a broadcast', () => {
  it('is told by domain, device and segment, by who did what, as a file, and names who left by it', async () => {
    await crowd(3);
    await start('winter', await plainAt('PT2H'));
    await lab.pass('PT3H');
    const sends = await query<{ id: string; person_id: string }>(lab.db, 'select id, person_id from sends order by id');
    const phone =
      'Mozilla/5.0 (iPhone; CPU iPhone OS 17_0 like Mac OS X) AppleWebKit/605.1.15 (KHTML, like Gecko) Version/17.0 Mobile/15E148 Safari/604.1';
    const link = { personId: sends[0]!.person_id, sendId: sends[0]!.id };
    await noteTouch(lab.db, { ...link, purpose: 'click', url: 'https://quillfin.example/' }, 'message.clicked', phone);
    await noteLeaving(lab.db, { ...link, purpose: 'leave' });
    await noteLeaving(lab.db, { ...link, purpose: 'leave' });
    expect((await splitOfBroadcast(lab.db, 'winter', url('?by=domain'))).parts).toMatchObject([
      { part: 'example.com', sent: 3, opened: 1, clicked: 1, unsubscribed: 1 },
    ]);
    expect((await splitOfBroadcast(lab.db, 'winter', url('?by=device'))).parts).toMatchObject([{ part: 'phone', sent: 1 }]);
    expect((await splitOfBroadcast(lab.db, 'winter', url('?by=segment'))).parts).toEqual([]);
    await expect(splitOfBroadcast(lab.db, 'winter', url('?by=moon'))).rejects.toMatchObject({ status: 400 });
    const did = async (what: string) => (await recipientsOf(lab.db, 'winter', url(`?did=${what}`))).items.map(({ email }) => email);
    expect(await did('clicked')).toEqual(['p0@example.com']);
    expect((await did('not-opened')).sort()).toEqual(['p1@example.com', 'p2@example.com']);
    const lines: string[] = [];
    for await (const line of recipientLines(lab.db, 'winter', url())) lines.push(line);
    expect(lines).toHaveLength(4);
    const page: RecipientsView = await recipientsOf(lab.db, 'winter', url());
    expect(page.next).toBeNull();
    expect((await readBroadcast(lab.db, 'winter')).messages[0]).toMatchObject({ sent: 3, unsubscribed: 1 });
  });

  it('stands in the list and in the calendar, which says where it is too much for the same people', async () => {
    await crowd(60);
    await start('winter', await plainAt('P2D'));
    await start('second', await plainAt('P3D'));
    const weekly = await plainAt('P10D');
    await start('weekly', { ...weekly, when: { ...weekly.when, rule: 'FREQ=WEEKLY;COUNT=2' } });
    const { broadcasts } = await listOfBroadcasts(lab.db);
    expect(broadcasts.map(({ key, phase: is, repeats }) => [key, is, repeats])).toEqual([
      ['weekly', 'planned', true],
      ['second', 'planned', false],
      ['winter', 'planned', false],
    ]);
    const { days, today } = await calendarOf(lab.db, url());
    expect(days).toHaveLength(28);
    expect(days[0]!.day).toBe(today);
    const on = (n: number) => days[n]!.broadcasts.map(({ name, isMovable }) => [name, isMovable]);
    expect([on(2), on(3), on(10), on(17)]).toEqual([
      [['About winter', true]],
      [['About second', true]],
      [['About weekly', false]],
      [['About weekly', false]],
    ]);
    expect(days[3]!.warnings).toEqual(['60 people get both “About second” and “About winter” the day before.']);
    await expect(calendarOf(lab.db, url('?from=tomorrow'))).rejects.toMatchObject({ status: 400 });
    await expect(calendarOf(lab.db, url('?from=2026-01-01&to=2027-01-01'))).rejects.toMatchObject({ status: 400 });
  });

  it('cannot be published for a moment that has gone by', async () => {
    const late = freshBroadcast(clock((await lab.now()) - 3_600_000), letterOf('Late'));
    await writeDraft(lab.db, 'late', documentOf(late, 'late', { name: 'Late' }), null);
    await expect(publishFlow(lab.db, 'late', 'Marla')).rejects.toMatchObject({ status: 422 });
    expect((await readBroadcast(lab.db, 'late')).phase).toBe('draft');
  });
});
