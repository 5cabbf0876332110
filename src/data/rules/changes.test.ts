import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { FACT_KINDS, signalsOf } from '@/core/rules';
import {
  changeConsent,
  editPerson,
  listPeopleOn,
  makeList,
  mergePeople,
  savePreferences,
  suppressPerson,
  tagPerson,
} from '@/server/people';
import { happening, openLab, type Lab } from '@/server/testing/lab';
import { changesSince } from './changes';
import { query } from '../db';

let lab: Lab;
beforeAll(async () => {
  lab = await openLab();
});
afterAll(() => lab.close());
beforeEach(() => lab.empty('lists'));

const say = (person: object) => lab.tell(happening('page.viewed', { person: { email: 'robin@example.com', ...person } }));
const idOf = async (email = 'robin@example.com') =>
  (await query<{ id: string }>(lab.db, 'select id from people where email = :email', { email }))[0]!.id;
const told = async (id?: string) =>
  ((await changesSince(lab.db, [id ?? (await idOf())], 0)).get(id ?? (await idOf())) ?? []).map(({ kind, name, was, is }) => {
    // of what somebody belongs to the change tells since when, in milliseconds
    const plain = (value: unknown) => (['tag', 'list'].includes(kind) && Number(value) > Date.now() - 60_000 ? 'since' : value);
    // and of a consent what it rests on
    const word = (value: unknown) => {
      const { state, how } = (value ?? {}) as { state?: string; how?: string };
      return kind === 'consent' && state ? `${state}: ${how}` : plain(value);
    };
    return [kind, name, word(was), word(is)];
  });
const causes = () => query<{ kind: string; cause: string }>(lab.db, 'select kind, cause from fact_changes order by id');

describe('what is known of somebody has a history', () => {
  it('what they are first known with is no change; what changes since is one row each, with what it was and what it is', async () => {
    await say({ firstName: 'Robin', country: 'NL', consent: { email: true } });
    expect(await told()).toEqual([]);
    await say({ firstName: 'Robin', country: 'NL', consent: { email: true } });
    expect(await told()).toEqual([]);
    await say({ firstName: 'Robyn', city: 'Ghent', consent: { email: false } });
    expect((await told()).sort()).toEqual([
      ['attribute', 'city', null, 'Ghent'],
      ['attribute', 'firstName', 'Robin', 'Robyn'],
      ['consent', 'email', 'given: page.viewed from test', 'withdrawn: page.viewed from test'],
    ]);
  });

  it('whoever changes it, through whatever door, and says what brought it about', async () => {
    await say({ firstName: 'Robin' });
    const id = await idOf();
    await editPerson(lab.db, `~${id}`, { attributes: { points: 5, firstName: null } }, 'Marla');
    await tagPerson(lab.db, `~${id}`, 'vip', true, 'Marla');
    await tagPerson(lab.db, `~${id}`, 'vip', false, 'Marla');
    const list = await makeList(lab.db, { name: 'Keepers' }, 'Marla');
    await listPeopleOn(lab.db, list.key, [id], true, 'by Marla');
    await changeConsent(lab.db, id, { channels: { email: 'given' }, detail: { how: 'at the fair' } });
    await suppressPerson(lab.db, id, 'bounced');
    await savePreferences(
      lab.db,
      id,
      { channels: {}, topics: [], pausedUntil: Date.parse('2027-01-01T00:00:00Z') },
      { how: 'preference page' },
    );
    expect((await told()).sort()).toEqual(
      [
        ['attribute', 'points', null, 5],
        ['attribute', 'firstName', 'Robin', null],
        ['tag', 'vip', null, 'since'],
        ['tag', 'vip', 'since', null],
        ['list', 'keepers', null, 'since'],
        ['consent', 'email', null, 'given: at the fair'],
        ['suppression', 'email', null, 'bounced'],
        ['pause', '', null, Date.parse('2027-01-01T00:00:00Z')],
      ].sort(),
    );
    expect((await causes()).map((one) => one.cause)).toEqual([
      'by Marla',
      'by Marla',
      'by Marla',
      'by Marla',
      'by Marla',
      'at the fair',
      'bounced',
      'preference page',
    ]);
  });

  it('of two who become one, the one who goes on has changed where they have, and the other’s rows are no changes of theirs', async () => {
    await say({ firstName: 'Robin' });
    await lab.tell(happening('page.viewed', { person: { email: 'r.two@example.com', city: 'Ghent' } }));
    await tagPerson(lab.db, `~${await idOf('r.two@example.com')}`, 'vip', true, 'Marla');
    await query(lab.db, 'truncate fact_changes');
    await mergePeople(lab.db, `~${await idOf()}`, `~${await idOf('r.two@example.com')}`, 'Marla');
    const [left] = await query<{ id: string }>(lab.db, 'select id from people');
    const changes = await told(left!.id);
    expect(changes).toContainEqual(['attribute', 'city', null, 'Ghent']);
    expect(changes).toContainEqual(['tag', 'vip', null, 'since']);
    expect(await query(lab.db, 'select 1 from fact_changes where person_id <> :id', { id: left!.id })).toEqual([]);
  });

  it('wakes whoever waits for that very fact, and nobody who waits for another', async () => {
    await say({ firstName: 'Robin' });
    const wait = (signal: string) =>
      query(
        lab.db,
        `insert into runs (person_id, flow_id, version, key, phase, armed_at, entered_at, wakes_on)
          select id, 1, 1, :signal, 'inside', now(), now(), array[:signal] from people`,
        { signal },
      );
    for (const signal of ['attribute/country', 'attribute/city', 'reach/email', 'reach/sms', 'tag/vip', 'list/keepers']) await wait(signal);
    const woken = async () => {
      const rows = await query<{ key: string }>(lab.db, 'select key from runs where wake_at is not null order by key');
      await query(lab.db, 'update runs set wake_at = null');
      return rows.map((row) => row.key);
    };
    await say({ country: 'NL' });
    expect(await woken()).toEqual(['attribute/country']);
    await say({ consent: { email: true } });
    expect(await woken()).toEqual(['reach/email']);
    await tagPerson(lab.db, `~${await idOf()}`, 'vip', true, 'Marla');
    expect(await woken()).toEqual(['tag/vip']);
    await editPerson(lab.db, `~${await idOf()}`, { attributes: { phone: '+31612345678' } }, 'Marla');
    expect(await woken()).toEqual(['reach/sms']);
  });

  it('the database sends the same signals as core names', async () => {
    for (const kind of FACT_KINDS) {
      for (const name of ['email', 'phone', 'pushToken', 'country', 'plan.name', '']) {
        const [row] = await query<{ signals: string[] }>(lab.db, 'select fact_signals(:kind, :name) as signals', { kind, name });
        expect(row!.signals, `${kind} ${name}`).toEqual(signalsOf({ kind, name }));
      }
    }
  });

  it('stands in months of its own, as events do', async () => {
    await say({ firstName: 'Robin' });
    await say({ firstName: 'Robyn' });
    const [row] = await query<{ part: string }>(lab.db, 'select tableoid::regclass::text as part from fact_changes');
    expect(row!.part).toMatch(/^fact_changes_\d{4}_\d{2}$/);
  });
});
