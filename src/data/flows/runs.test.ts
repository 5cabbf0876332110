import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { openLab, type Lab } from '@/server/testing/lab';
import { query } from '../db';
import { armCalled, armRuns, earlierRuns } from './runs';

let lab: Lab;
beforeAll(async () => {
  lab = await openLab();
});
afterAll(() => lab.close());
beforeEach(() => query(lab.db, 'truncate runs, traces cascade'));

const AT = Date.parse('2026-11-02T10:00:00Z');
const HOUR = 3_600_000;
const arm = (key: string, wakeAt: number, personId = '1') =>
  armRuns(lab.db, [{ personId, flowId: 1, version: 1, trigger: 'start', key, wakeAt, armedAt: AT, wakesOn: [] }]);
const runs = () =>
  query<{ person_id: string; key: string; phase: string; wake_at: Date | null }>(
    lab.db,
    'select person_id, key, phase, wake_at from runs order by person_id, key, id',
  );

describe('arming', () => {
  it('a person is armed once under a key, for the earlier of the moments; under another key, and another person, again', async () => {
    await arm('c1', AT + 2 * HOUR);
    await arm('c1', AT + HOUR);
    await arm('c1', AT + 3 * HOUR);
    await arm('c2', AT + HOUR);
    await arm('c1', AT + HOUR, '2');
    expect(await runs()).toEqual(
      [
        ['1', 'c1'],
        ['1', 'c2'],
        ['2', 'c1'],
      ].map(([person_id, key]) => ({ person_id, key, phase: 'armed', wake_at: new Date(AT + HOUR) })),
    );
  });

  it('beside runs of the same key that have begun or ended, however many', async () => {
    for (const phase of ['inside', 'ended', 'ended', 'watching'])
      await query(lab.db, `insert into runs (person_id, flow_id, version, key, phase, armed_at) values (1, 1, 1, 'c1', :phase, now())`, {
        phase,
      });
    await arm('c1', AT);
    await arm('c1', AT + HOUR);
    expect((await runs()).map((run) => run.phase)).toEqual(['inside', 'ended', 'ended', 'watching', 'armed']);
    // the armed one begins, and another may be armed
    await query(lab.db, `update runs set phase = 'inside' where phase = 'armed'`);
    await arm('c1', AT);
    expect((await runs()).filter((run) => run.phase === 'armed')).toHaveLength(1);
  });

  it('a direct call arms at once, and twice is once', async () => {
    for (const eventId of ['7', '8'])
      await armCalled(lab.db, { personId: '1', flowId: 1, version: 1, key: '', eventId, eventAt: AT, at: AT });
    expect(await query(lab.db, 'select trigger, about_event, phase from runs')).toEqual([
      { trigger: 'called', about_event: '8', phase: 'armed' },
    ]);
  });
});

it('earlier runs are those of that person in that flow: under the key, or all where the key does not matter', async () => {
  const person = (id: number, key: string, phase: string, outcome: string | null = null) =>
    query(
      lab.db,
      `insert into runs (person_id, flow_id, version, key, phase, outcome, armed_at, entered_at)
        values (:id, 1, 1, :key, :phase, :outcome, now(), case when :phase <> 'armed' then now() end)`,
      { id, key, phase, outcome },
    );
  await person(1, 'c1', 'ended', 'completed');
  await person(1, 'c1', 'inside');
  await person(1, 'c2', 'ended', 'left');
  await person(2, 'c1', 'inside');
  // one that has not entered does not count
  await person(1, 'c1', 'armed');
  const told = async (personId: string, key: string | null, flowId = 1) =>
    [...(await earlierRuns(lab.db, [{ personId, flowId, key }]))].map(([id, list]) => [
      id,
      list.map((run) => `${run.key} ${run.phase} ${run.outcome ?? ''}`.trim()).sort(),
    ]);
  expect(await told('1', 'c1')).toEqual([['1/1', ['c1 ended completed', 'c1 inside']]]);
  expect(await told('1', null)).toEqual([['1/1', ['c1 ended completed', 'c1 inside', 'c2 ended left']]]);
  expect(await told('1', 'c3')).toEqual([]);
  expect(await told('1', 'c1', 2)).toEqual([]);
  // asked for twice is told once, and each for their own
  const both = await earlierRuns(lab.db, [
    { personId: '1', flowId: 1, key: 'c2' },
    { personId: '1', flowId: 1, key: 'c2' },
    { personId: '2', flowId: 1, key: 'c1' },
  ]);
  expect([...both].map(([id, list]) => [id, list.length])).toEqual([
    ['1/1', 1],
    ['2/1', 1],
  ]);
});
