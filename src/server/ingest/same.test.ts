import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { flowWith } from '@/core/flows/testing/asking';
import { inTransaction, query } from '@/data/db';
import { claimEventKeys, eventKey } from '@/data/sources';
import { happening, openLab, type Lab } from '../testing/lab';
import { recordFor, recordSame } from '.';

let lab: Lab;
let ids: string[] = [];
beforeAll(async () => {
  lab = await openLab({ flow: null });
});
afterAll(() => lab.close());
beforeEach(async () => {
  await lab.empty('flows', 'flow_versions', 'flow_occasions', 'segment_signals');
  await lab.tell(['a', 'b', 'c'].map((name) => happening('page.viewed', { person: { email: `${name}@example.com` } })));
  ids = (await query<{ id: string }>(lab.db, 'select id from people order by id')).map(({ id }) => id);
  await query(lab.db, 'truncate segment_looks, arrivals');
});

const EVENT = {
  type: 'club.opened',
  name: 'club.opened/1/',
  properties: { room: 'blue', seats: 7 },
  time: Math.floor(Date.now() / 1000) * 1000 - 60_000,
};
const same = () => inTransaction(lab.db, (trx) => recordSame(trx, ids, EVENT));
const each = (of = ids) =>
  inTransaction(lab.db, (trx) =>
    recordFor(
      trx,
      of.map((personId) => ({ personId, type: EVENT.type, eventId: EVENT.name + personId, properties: EVENT.properties, at: EVENT.time })),
    ),
  );
const flow = (reentry: 'once' | 'once-per-key' | 'always') =>
  lab.addFlow('club', flowWith({ triggers: [{ id: 'opened', kind: 'event', event: 'club.opened', key: 'room' }], reentry }));
/** All that a record leaves, without numbers and moments of its own. */
const left = async () => ({
  events: await query(
    lab.db,
    `select person_id, time, source, event_id, properties, source_id, via from events where type = 'club.opened' order by person_id`,
  ),
  runs: await query(
    lab.db,
    'select person_id, flow_id, version, trigger, key, phase, armed_at, wake_at, wakes_on from runs order by person_id',
  ),
  looks: await query(lab.db, 'select person_id, signals from segment_looks order by person_id'),
  arrivals: await query(lab.db, 'select source_id, accepted, duplicates, seen from arrivals'),
});

describe('the same event of many people', () => {
  it('leaves what recording it for each leaves', async () => {
    await flow('once-per-key');
    await query(lab.db, `insert into segment_signals (signal) values ('club.opened')`);
    await same();
    const ours = await left();
    expect(ours.events).toHaveLength(3);
    expect(ours.runs).toHaveLength(3);
    expect(ours.arrivals).toMatchObject([{ accepted: 3, seen: { 'club.opened': { count: 3 } } }]);
    for (const table of ['runs', 'segment_looks', 'arrivals', 'event_keys']) await query(lab.db, `delete from ${table}`);
    await query(lab.db, `delete from events where type = 'club.opened'`);
    await each();
    const theirs = await left();
    // when it was told and looked at is now, a moment later
    const plain = (rows: readonly unknown[]) => rows.map((row) => ({ ...(row as object), wake_at: null }));
    expect({ ...theirs, runs: plain(theirs.runs) }).toEqual({ ...ours, runs: plain(ours.runs) });
  });

  it('is recorded once, under the keys that events have; who is gone is left out', async () => {
    await flow('always');
    await query(lab.db, 'delete from people where id = :id', { id: ids[2] });
    await same();
    await same();
    await each(ids.slice(0, 2));
    expect(await query(lab.db, `select count(*)::int as n from events where type = 'club.opened'`)).toEqual([{ n: 2 }]);
    expect(await query(lab.db, 'select count(*)::int as n from runs')).toEqual([{ n: 2 }]);
    const keys = ids.map((id) => eventKey('viatic', EVENT.name + id));
    expect([...(await claimEventKeys(lab.db, keys))]).toEqual([keys[2]]);
  });

  it.each([
    ['once', 'other', 2],
    ['once-per-key', 'other', 3],
    ['once-per-key', 'blue', 2],
    ['always', 'blue', 3],
  ] as const)('arms nobody who can never start again: %s, in before for %s', async (reentry, key, armed) => {
    await flow(reentry);
    await query(
      lab.db,
      `insert into runs (person_id, flow_id, version, trigger, key, phase, armed_at, entered_at, ended_at, outcome, effects)
       select :id, id, 1, 'opened', :key, 'ended', now(), now(), now(), 'completed', 1 from flows`,
      { id: ids[0], key },
    );
    await same();
    expect(await query(lab.db, `select count(*)::int as n from runs where phase = 'armed'`)).toEqual([{ n: armed }]);
  });

  it('wakes the run of a person that waits for it, and no other', async () => {
    await flow('always');
    await query(
      lab.db,
      `insert into runs (person_id, flow_id, version, trigger, key, phase, armed_at, entered_at, wakes_on)
       select p.id, f.id, 1, 'opened', 'green', 'inside', now(), now(), case when p.id = :id then '{club.opened}' else '{order.placed}' end::text[]
       from flows f, people p`,
      { id: ids[1] },
    );
    await same();
    expect(await query(lab.db, `select person_id from runs where phase = 'inside' and is_doubtful and wake_at is not null`)).toEqual([
      { person_id: ids[1] },
    ]);
  });
});
