import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { flowWith } from '@/core/flows/testing/asking';
import { localDate } from '@/core/time';
import { query } from '@/data/db';
import { happening, openLab, type Lab } from '../testing/lab';
import { publishFlow, switchFlow, writeDraft } from './flows';
import { comeRound } from './occasions';

let lab: Lab;
beforeAll(async () => {
  lab = await openLab({ flow: null });
});
afterAll(() => lab.close());
beforeEach(async () => {
  lab.inbox.length = 0;
  await lab.empty('flows', 'flow_versions', 'flow_occasions');
});

const flowOf = (trigger: object, more: object = {}) => flowWith({ triggers: [{ id: 'clock', ...trigger }], ...more });
const person = (email: string, more: object = {}) => happening('page.viewed', { person: { email, consent: { email: true }, ...more } });
const to = () => lab.inbox.map((mail) => (mail.to as unknown as { text: string }).text.replace(/.*<|>/g, '')).sort();
const day = (now: number, days: number) => localDate(now + days * 86_400_000, 'Europe/Amsterdam');

describe('triggers that go by the clock', () => {
  it('start everybody who is meant at each occasion, once each, however often they are told', async () => {
    await lab.tell([
      person('a@example.com', { country: 'NL' }),
      person('b@example.com', { country: 'BE' }),
      person('c@example.com', { country: 'NL' }),
    ]);
    const now = await lab.now();
    const who = { test: 'attribute', name: 'country', op: 'is', value: 'NL' };
    await lab.addFlow('news', flowOf({ kind: 'schedule', starts: `${day(now, 1)}T09:00`, rule: 'FREQ=DAILY;COUNT=2', who }));
    await lab.settle();
    expect(to()).toEqual([]);
    await lab.pass('P2D');
    const twice = ['a@example.com', 'a@example.com', 'c@example.com', 'c@example.com'];
    await lab.pass('P3D');
    expect(to()).toEqual(twice);
    expect(await query(lab.db, 'select 1 from flow_occasions')).toEqual([]);
    expect(await query(lab.db, `select count(*)::int as n from events where type = 'flow.due'`)).toEqual([{ n: 4 }]);
    expect(await comeRound(lab.db)).toBe(false);
  });

  it('go by a day on file as it stands when its hour comes; a change before counts', async () => {
    const now = await lab.now();
    await lab.addFlow('birthday', flowOf({ kind: 'date', name: 'birthday', yearly: true, days: 0, at: '09:00' }));
    await lab.tell([
      person('a@example.com', { birthday: `1990${day(now, 2).slice(4)}` }),
      person('b@example.com', { birthday: `1985${day(now, 4).slice(4)}` }),
    ]);
    await lab.pass('PT1H');
    await lab.tell(person('b@example.com', { birthday: `1985${day(now, 2).slice(4)}` }));
    await lab.pass('P3D');
    expect(to()).toEqual(['a@example.com', 'b@example.com']);
    await lab.pass('P3D');
    expect(to()).toHaveLength(2);
  });

  it('by each person’s own clocks: at nine where they are, once each, whoever has no zone by the store’s', async () => {
    await lab.tell([
      person('a@example.com', { zone: 'Asia/Tokyo' }),
      person('b@example.com', { zone: 'America/New_York' }),
      person('d@example.com'),
      person('e@example.com', { zone: 'Asia/Kathmandu' }),
    ]);
    const now = await lab.now();
    const trigger = { kind: 'schedule', starts: `${day(now, 2)}T09:00`, rule: null, who: null, clocks: 'person' };
    await lab.addFlow('news', flowOf(trigger));
    // somebody of a zone that nobody had before goes by the store's clocks: told once, not twice and not never
    await lab.tell(person('f@example.com', { zone: 'Australia/Lord_Howe' }));
    await lab.pass('P4D');
    const clock = (zone: string, at: Date) =>
      new Intl.DateTimeFormat('sv-SE', { timeZone: zone, dateStyle: 'short', timeStyle: 'short' }).format(at);
    const told = await query<{ email: string; time: Date; occasion: string }>(
      lab.db,
      `select p.email, e.time, e.properties ->> 'occasion' as occasion from events e join people p on p.id = e.person_id
       where e.type = 'flow.due' order by p.email`,
    );
    const zones = ['Asia/Tokyo', 'America/New_York', 'Europe/Amsterdam', 'Asia/Kathmandu', 'Europe/Amsterdam'];
    expect(told.map(({ time }, index) => clock(zones[index]!, time))).toEqual(zones.map(() => `${day(now, 2)} 09:00`));
    expect(new Set(told.map(({ occasion }) => occasion))).toEqual(new Set([`${day(now, 2)}T09:00`]));
    expect(to()).toEqual(['a', 'b', 'd', 'e', 'f'].map((name) => `${name}@example.com`));
    expect(await query(lab.db, 'select 1 from flow_occasions')).toEqual([]);
  });

  it('let pass what comes round while the flow is paused, and follow the version that is on', async () => {
    await lab.tell(person('a@example.com'));
    const now = await lab.now();
    const daily = (time: string) => flowOf({ kind: 'schedule', starts: `${day(now, 1)}T${time}`, rule: 'FREQ=DAILY', who: null });
    await lab.addFlow('daily', daily('09:00'));
    await switchFlow(lab.db, 'daily', 'paused', 't');
    await lab.pass('P3D');
    expect(to()).toEqual([]);
    await switchFlow(lab.db, 'daily', 'on', 't');
    await lab.pass('P1D');
    expect(to()).toHaveLength(1);
    await writeDraft(lab.db, 'daily', flowOf({ kind: 'event', event: 'app.never', key: 'x' }), null);
    await publishFlow(lab.db, 'daily', 't');
    await lab.pass('P3D');
    expect(to()).toHaveLength(1);
  });

  it('tell very many in parts, and go on where they were', async () => {
    await query(lab.db, "insert into people (attributes, created_at, seen_at) select '{}', now(), now() from generate_series(1, 5400)");
    const now = await lab.now();
    await lab.addFlow('news', flowOf({ kind: 'schedule', starts: `${day(now, 1)}T09:00`, rule: null, who: null }, { steps: [] }));
    await query(lab.db, `update flow_occasions set next_at = now()`);
    expect(await comeRound(lab.db)).toBe(true);
    const told = async () => (await query<{ n: number }>(lab.db, `select count(*)::int as n from events where type = 'flow.due'`))[0]!.n;
    expect(await told()).toBe(5000);
    expect(await comeRound(lab.db)).toBe(true);
    expect(await told()).toBe(5400);
    expect(await comeRound(lab.db)).toBe(true);
    expect(await comeRound(lab.db)).toBe(false);
    expect(await told()).toBe(5400);
  });

  it('that cannot be looked at keep no others waiting', async () => {
    await lab.tell(person('a@example.com'));
    const now = await lab.now();
    for (const key of ['bad', 'good'])
      await lab.addFlow(key, flowOf({ kind: 'schedule', starts: `${day(now, 1)}T09:00`, rule: null, who: null }));
    await query(lab.db, `alter table events add constraint no_bad check (properties ->> 'to' is distinct from 'bad')`);
    await lab.pass('P2D');
    expect(to()).toEqual(['a@example.com']);
    expect(await query(lab.db, 'select 1 from flow_occasions')).toEqual([]);
    await query(lab.db, 'alter table events drop constraint no_bad');
  });
});
