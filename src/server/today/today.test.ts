import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { flowWith } from '@/core/flows/testing/asking';
import { DAY, HOUR } from '@/core/time';
import { query } from '@/data/db';
import { recordAct } from '@/data/store';
import { putOffer } from '../offers';
import { happening, openLab, type Lab } from '../testing/lab';
import { today } from '.';

let lab: Lab;
beforeAll(async () => {
  lab = await openLab({ flow: null });
});
afterAll(() => lab.close());
beforeEach(async () => {
  await lab.empty('flows', 'flow_versions', 'offers', 'ledger_checks', 'acts', 'source_minutes', 'suppressions');
});

const letter = (id: string, more: object = {}) => ({
  id,
  kind: 'send' as const,
  name: `Letter ${id}`,
  ...more,
  message: {
    schema: 'viatic.message/1' as const,
    channel: 'email' as const,
    kind: 'marketing' as const,
    subject: id,
    preview: '',
    blocks: [{ id: 'b', kind: 'text' as const, text: 'x' }],
  },
});
const news = (steps: object[]) =>
  lab.addFlow(
    'news',
    flowWith({ name: 'News', triggers: [{ id: 'start', kind: 'event', event: 'account.created', key: 'id' }], steps: steps as never }),
  );
const known = (email: string) => happening('account.created', { id: email, person: { email, consent: { email: true } } });
const says = async () => (await today(lab.db, null, 'Marla')).attention.map((one) => one.says);

describe('the day', () => {
  it('shows what has gone and what is due, by hour and message, and is quiet when all is well', async () => {
    await news([
      letter('a'),
      { id: 'wait', kind: 'wait', for: 'PT5H' },
      { id: 'rest', kind: 'wait', for: 'PT5H' },
      letter('b'),
      { id: 'long', kind: 'wait', for: 'P5D' },
      letter('c'),
    ]);
    await lab.tell([known('a@example.com'), known('b@example.com')]);
    await lab.settle();
    // two who wait at two steps for the same message are one departure
    await query(lab.db, `update runs set step = 'rest' where person_id = (select min(person_id) from runs)`);
    const { board, attention } = await today(lab.db, null, 'Marla');
    expect(attention).toEqual([]);
    expect(board.map(({ flow, message, people, state }) => [flow.name, message, people, state])).toEqual([
      ['News', 'Letter a', 2, 'gone'],
      ['News', 'Letter b', 2, 'due'],
    ]);
  });

  it('holds takings against those of a week ago up to the same time', async () => {
    const now = await lab.now();
    const order = (id: string, value: number, at: number) =>
      happening(
        'order.placed',
        { orderId: id, currency: 'EUR', value, person: { email: 'a@example.com' } },
        { time: new Date(at).toISOString() },
      );
    await lab.tell([order('o1', 30, now - 60_000), order('o2', 20, now - 7 * DAY - 60_000), order('o3', 99, now - 7 * DAY + HOUR)]);
    const { today: is, lastWeek } = await today(lab.db, null, 'Marla');
    // just after midnight a minute ago was yesterday
    expect([0, 3_000]).toContain(is.takings);
    expect([0, 2_000]).toContain(lastWeek.takings);
    expect(lastWeek.takings).not.toBe(11_900);
  });

  it('says what needs somebody, each with its numbers and one act, the gravest first', async () => {
    const now = await lab.now();
    await putOffer(
      lab.db,
      'over',
      {
        schema: 'viatic.offer/1',
        name: 'Over',
        gives: { kind: 'percent', percent: 10 },
        currency: 'EUR',
        combines: false,
        expires: { on: '2020-01-01' },
        comesBack: true,
        who: null,
        guard: {},
        code: { prefix: 'X', letters: 6 },
      },
      'Marla',
    ).catch(() => undefined);
    await news([letter('a', { off: true }), letter('b')]);
    expect(await says()).toEqual(['“News” is on, but its message “Letter a” is still off: people pass by without it.']);
    // ten a day for four weeks, and nobody this week
    await lab.tell(known('a@example.com'));
    await lab.settle();
    await query(lab.db, `update flow_versions set published_at = now() - interval '60 days'`);
    await query(
      lab.db,
      `insert into runs (person_id, flow_id, version, key, phase, armed_at, entered_at, outcome)
       select r.person_id, r.flow_id, r.version, 'x' || n, 'ended', t, t, 'done' from runs r, generate_series(1, 280) n,
         lateral (select now() - interval '8 days' - n * interval '2 hours 20 minutes' as t) d limit 280`,
    );
    await query(
      lab.db,
      `insert into ledger_checks (at, orders, differences, took_ms) values (now(), 3, '[{"person_id":"1","order_id":"o","what":"x"}]', 1)`,
    );
    await query(lab.db, `update sources set kind = 'key' where id = 2`);
    const [source] = await query<{ id: number; name: string }>(
      lab.db,
      `select id, name from sources where kind = 'key' order by id limit 1`,
    );
    await query(
      lab.db,
      `insert into source_minutes (source_id, minute, accepted, duplicates, rejected)
       select :id, date_trunc('minute', cast(:now as timestamptz)) - n * interval '1 day' - interval '30 hours', 100, 0, 0 from generate_series(0, 9) n`,
      { id: source!.id, now: new Date(now) },
    );
    const all = await says();
    expect(all).toEqual([
      'The ledger does not add up: 1 difference at its last check.',
      expect.stringMatching(new RegExp(`^“${source!.name}” has told nothing for \\d+ hours; it tells about \\d+ events a day\\.$`)),
      '“News” is on, but its message “Letter a” is still off: people pass by without it.',
      expect.stringMatching(/^1 person entered “News” in a week, where about [67]\d do\.$/),
    ]);
    await query(lab.db, `update sources set kind = 'hand' where id = 2`);
    for (const one of (await today(lab.db, null, 'Marla')).attention)
      expect([one.act.length > 0, one.href.startsWith('/')]).toEqual([true, true]);
  });

  it('tells what others did since one was here, and not what one did oneself', async () => {
    const now = await lab.now();
    await recordAct(lab.db, now, 'Joris', 'flow.paused', { key: 'news' });
    await recordAct(lab.db, now, 'Marla', 'flow.published', { key: 'news' });
    await recordAct(lab.db, now - 1, 'Joris', 'product-feed.stored', { key: 'shop' });
    await recordAct(lab.db, now - 2, 'Joris', 'clock.moved', {});
    await recordAct(lab.db, now - DAY, 'Joris', 'limits.changed', {});
    expect((await today(lab.db, now - HOUR, 'Marla')).since.map(({ actor, says: what }) => [actor, what])).toEqual([
      ['Joris', 'paused “news”'],
      ['Joris', 'saved the product feed “shop”'],
      ['Joris', 'moved the store’s time on'],
    ]);
    expect((await today(lab.db, null, 'Marla')).since).toEqual([]);
  });
});

describe('the first hour of a store', () => {
  const done = async () => (await today(lab.db, null, 'Marla')).first?.filter(({ isDone }) => isDone).map(({ step }) => step) ?? 'over';
  it('is a list of what marks itself done by what really happens, and goes once all has', async () => {
    expect(await done()).toEqual([]);
    await news([letter('a')]);
    expect(await done()).toEqual(['flow']);
    await lab.tell(known('kim@example.com'));
    await lab.settle();
    expect(await done()).toEqual(['events', 'flow', 'entered', 'sent']);
    await lab.tell(happening('order.placed', { orderId: 'o1', currency: 'EUR', value: 5, person: { email: 'kim@example.com' } }));
    expect(await done()).toBe('over');
  });
});
