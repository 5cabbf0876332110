import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import type { FlowDocument, Step } from '@/core/flows';
import { changesPeople, flowWith, letter, takesOver } from '@/core/flows/testing/asking';
import { NO_LIMITS } from '@/core/limits';
import { query } from '@/data/db';
import { hasHolidays, publicHolidays } from '@/data/store';
import { forgetAttributes } from '../ingest';
import { leaveRun, makeList, moveRun } from '../people';
import { publishFlow, readFlow, restoreVersion, versionsOf, writeDraft } from './flows';
import { departures, inside } from './inside';
import { flowReport } from './report';
import { sendingView, writeLimits } from '../sending';
import { happening, openLab, type Lab } from '../testing/lab';

let lab: Lab;
beforeAll(async () => {
  lab = await openLab({ flow: null });
});
afterAll(() => lab.close());
beforeEach(async () => {
  lab.inbox.length = 0;
  await lab.empty('lists', 'flows', 'flow_versions', 'settings');
});

const order = (email: string, orderId: string, value = 40) =>
  happening('order.placed', { orderId, value, currency: 'EUR', person: { email, consent: { email: true } } });
const flowOf = (steps: Step[], more: Partial<FlowDocument> = {}): FlowDocument => flowWith({ steps, ...more });
const subjects = () => lab.inbox.map(({ subject }) => subject);
const personOf = async (email: string) =>
  (
    await query<{ id: string; attributes: Record<string, unknown>; stamped: Record<string, number> }>(
      lab.db,
      'select id, attributes, stamped from people where email = :email',
      { email },
    )
  )[0]!;

describe('what a flow changes', () => {
  it('is on file with the run, tells its history who did it, joins lists, and hands over', async () => {
    await makeList(lab.db, { name: 'Buyers' }, 't');
    await lab.addFlow('takes', takesOver);
    await lab.addFlow('changes', changesPeople);
    await lab.tell([order('a@example.com', 'o1'), order('a@example.com', 'o2'), order('a@example.com', 'o3')]);
    await lab.settle();
    const { id, attributes, stamped } = await personOf('a@example.com');
    // three orders brought 15 points, which were taken again
    expect(attributes).toMatchObject({ points: 0, lastOrder: 'o3', values: [40] });
    expect(stamped.points).toBeGreaterThan(0);
    expect(await query(lab.db, `select distinct cause from fact_changes where kind in ('attribute', 'tag', 'list')`)).toEqual([
      { cause: 'flow changes' },
    ]);
    expect(await query(lab.db, `select l.key, m.how from list_members m join lists l on l.id = m.list_id`)).toEqual([
      { key: 'buyers', how: 'flow changes' },
    ]);
    expect(await query(lab.db, `select count(*)::int as n from events where type = 'list.joined' and person_id = :id`, { id })).toEqual([
      { n: 1 },
    ]);
    expect(await query(lab.db, `select tag from person_tags`)).toEqual([]);
    expect(subjects()).toEqual(['enough']);
    await lab.pass('P10D');
    await lab.pass('P4D');
    await lab.pass('P4D');
    expect(await query(lab.db, `select name, type from attributes where name in ('points', 'lastOrder', 'values') order by name`)).toEqual([
      { name: 'lastOrder', type: 'text' },
      { name: 'points', type: 'number' },
    ]);
    // the first handed over begins the other flow; the next two do so too soon
    expect(
      await query(
        lab.db,
        `select r.trigger, r.key, r.outcome from runs r join flows f on f.id = r.flow_id where f.key = 'takes' order by r.entered_at nulls last, r.key`,
      ),
    ).toEqual([
      { trigger: 'handed', key: expect.stringMatching(/^o\d$/), outcome: 'completed' },
      { trigger: 'handed', key: expect.stringMatching(/^o\d$/), outcome: 'not-entered' },
      { trigger: 'handed', key: expect.stringMatching(/^o\d$/), outcome: 'not-entered' },
    ]);
    expect(subjects()).toEqual(['enough', 'taken']);
    expect((await personOf('a@example.com')).attributes.lastOrder).toBeUndefined();
  });

  it('wakes who waits for it, in other flows too', async () => {
    await lab.addFlow(
      'marks',
      flowOf([
        { id: 'w', kind: 'wait', for: 'P1D' },
        { id: 'u', kind: 'update', name: 'Mark', changes: [{ do: 'tag', tag: 'marked' }] },
      ]),
    );
    await lab.addFlow(
      'waits',
      flowOf([{ id: 'w', kind: 'wait', for: 'P9D', until: { rule: { test: 'tag', tag: 'marked', has: true } } }, letter('saw-it')]),
    );
    await lab.tell(order('b@example.com', 'o1'));
    await lab.pass('PT23H');
    expect(subjects()).toEqual([]);
    await lab.pass('PT2H');
    expect(subjects()).toEqual(['saw-it']);
  });

  it('is not stored where the attribute goes by another name or is retired, as what a shop tells', async () => {
    await lab.addFlow('sets', flowOf([{ id: 'u', kind: 'update', name: 'Set', changes: [{ do: 'set', name: 'oldName', value: 5 }] }]));
    await query(
      lab.db,
      `insert into attributes (name, type, goes_to) values ('newName', 'number', null), ('oldName', 'number', 'newName')`,
    );
    forgetAttributes(lab.db);
    await lab.tell(order('c@example.com', 'o1'));
    await lab.settle();
    expect((await personOf('c@example.com')).attributes).toMatchObject({ newName: 5 });
    expect((await personOf('c@example.com')).attributes.oldName).toBeUndefined();
    await query(lab.db, `delete from attributes where name in ('oldName', 'newName')`);
  });
});

describe('limits across flows', () => {
  it('hold what comes too soon, whichever flow it is from, and let it go when the time is over', async () => {
    await writeLimits(lab.db, { ...NO_LIMITS, gap: 'PT20H' }, 't');
    await lab.addFlow('one', flowOf([letter('from-one')], { priority: 20 }));
    await lab.addFlow('two', flowOf([letter('from-two')], { priority: 80 }));
    await lab.tell(order('a@example.com', 'o1'));
    await lab.settle();
    expect(subjects()).toEqual(['from-two']);
    expect(await query(lab.db, `select kind from traces where kind = 'held'`)).toHaveLength(1);
    await lab.pass('PT19H');
    expect(subjects()).toEqual(['from-two']);
    await lab.pass('PT2H');
    expect(subjects()).toEqual(['from-two', 'from-one']);
    // what went out is told, once each, with what it was
    expect(
      (await query<{ properties: object }>(lab.db, `select properties from events where type = 'message.sent' order by time`)).map(
        (row) => row.properties,
      ),
    ).toMatchObject([
      { flow: 'two', step: 'from-two', channel: 'email', kind: 'marketing' },
      { flow: 'one', step: 'from-one' },
    ]);
  });

  it('count what is on its way and not with the mail server yet', async () => {
    await writeLimits(lab.db, { ...NO_LIMITS, caps: [{ channel: 'email', most: 1, per: 'P7D' }] }, 't');
    await lab.addFlow('one', flowOf([letter('one')]));
    await lab.tell(order('a@example.com', 'o1'));
    // moved, but no mail is handed over in between
    const { drain } = await import('./runloop');
    await drain(lab.db);
    await lab.tell(order('a@example.com', 'o2'));
    await lab.settle();
    expect(subjects()).toEqual(['one']);
    expect(await query(lab.db, `select saw from traces where kind = 'skipped'`)).toEqual([
      { saw: { limited: { by: 'cap', channel: 'email', most: 1, per: 'P7D' } } },
    ]);
    // after a week the next may go
    await lab.pass('P8D');
    await lab.tell(order('a@example.com', 'o3'));
    await lab.settle();
    expect(subjects()).toEqual(['one', 'one']);
  });

  it('that are changed hold for who is held already', async () => {
    await writeLimits(lab.db, { ...NO_LIMITS, gap: 'P30D' }, 't');
    await lab.addFlow('one', flowOf([letter('one'), letter('two')]));
    await lab.tell(order('a@example.com', 'o1'));
    await lab.settle();
    expect(subjects()).toEqual(['one']);
    await writeLimits(lab.db, NO_LIMITS, 't');
    await lab.settle();
    expect(subjects()).toEqual(['one', 'two']);
  });

  it('refuse what is none, with the place', async () => {
    await expect(writeLimits(lab.db, { ...NO_LIMITS, gap: 'soon' }, 't')).rejects.toMatchObject({
      status: 422,
      errors: [{ field: 'gap' }],
    });
    await expect(writeLimits(lab.db, { ...NO_LIMITS, holidaysOf: 'XX' }, 't')).rejects.toMatchObject({ errors: [{ field: 'holidaysOf' }] });
    expect((await sendingView(lab.db)).limits).toEqual(NO_LIMITS);
    expect((await writeLimits(lab.db, { ...NO_LIMITS, holidaysOf: 'NL' }, 't')).closedDays.length).toBeGreaterThan(5);
  });

  it('holidays are those of the calendar: Easter and what goes by it of 2025 to 2027 (5.. April 2026; tables of the church’s calendar), and fixed days', () => {
    // Easter Sundays: 20 April 2025, 5 April 2026, 28 March 2027 (common tables, from memory); NL has Easter Monday, Ascension (39 days
    // after), Whit Monday (50 days after), King's Day on 27 April, 25 and 26 December, 1 January (common practice)
    for (const [year, easter] of [
      [2025, '2025-04-20'],
      [2026, '2026-04-05'],
      [2027, '2027-03-28'],
    ] as const) {
      const after = (days: number) => new Date(Date.parse(`${easter}T12:00:00Z`) + days * 86_400_000).toISOString().slice(0, 10);
      const days = publicHolidays('NL', year);
      for (const day of [after(1), after(39), after(50), `${year}-12-25`, `${year}-12-26`, `${year}-01-01`]) expect(days).toContain(day);
    }
    expect(publicHolidays('NL', 2026)).toContain('2026-04-27');
    expect([hasHolidays('NL'), hasHolidays('XX')]).toEqual([true, false]);
  });
});

describe('a new version', () => {
  const waits = (id: string, days: number): Step => ({ id, kind: 'wait', for: `P${days}D` });
  const first = flowOf([letter('a'), waits('w1', 3), { id: 'gone', kind: 'wait', for: 'P3D' }, letter('b'), waits('w2', 3), letter('c')]);
  const republish = async (steps: Step[], inside: 'stay' | 'move') => {
    await writeDraft(lab.db, 'versions', flowOf(steps), null);
    const { moves } = await readFlow(lab.db, 'versions');
    await publishFlow(lab.db, 'versions', 'Marla', null, inside);
    return moves;
  };
  const begin = async () => {
    await lab.addFlow('versions', first);
    await lab.tell(order('a@example.com', 'o1'));
    await lab.settle();
    await lab.pass('P4D');
    expect(subjects()).toEqual(['a']);
  };

  it('leaves those inside on theirs, or moves them: at the next step that is there, and nothing is done twice', async () => {
    await begin();
    // who stands at “gone” goes on at the next that is still there; “a”, which now comes after it, has been done
    const steps = [letter('b'), letter('a'), waits('w2', 1), letter('d')];
    expect(await republish(steps, 'move')).toEqual({ same: 0, on: 1, end: 0 });
    await lab.settle();
    expect(subjects()).toEqual(['a', 'b']);
    await lab.pass('P2D');
    expect(subjects()).toEqual(['a', 'b', 'd']);
    const says = await query<{ kind: string; version: number }>(lab.db, `select kind, version from traces where kind = 'moved'`);
    expect(says).toEqual([{ kind: 'moved', version: 2 }]);
  });

  it('stays where it is not asked for, and a wait that has begun goes on where its step is the same', async () => {
    await begin();
    expect(await republish([letter('x')], 'stay')).toEqual({ same: 0, on: 0, end: 1 });
    await lab.pass('P7D');
    // a wait counts from when what stands before it went out
    await lab.pass('P4D');
    expect(subjects()).toEqual(['a', 'b', 'c']);
    lab.inbox.length = 0;
    await lab.empty('flows', 'flow_versions');
    await begin();
    expect(await republish([letter('a'), { id: 'gone', kind: 'wait', for: 'P20D' }, letter('e')], 'move')).toEqual({
      same: 1,
      on: 0,
      end: 0,
    });
    // it began for three days, one of which is over
    await lab.pass('P1D');
    expect(subjects()).toEqual(['a']);
    await lab.pass('P1DT2H');
    expect(subjects()).toEqual(['a', 'e']);
  });

  it('is listed with what it changed and who is still on it, and can be had back as the draft', async () => {
    await begin();
    await republish([letter('x')], 'stay');
    const { versions } = await versionsOf(lab.db, 'versions');
    expect(versions.map(({ version, by, inside: runs }) => [version, by, runs])).toEqual([
      [2, 'Marla', 0],
      [1, 'test', 1],
    ]);
    expect(versions[0]!.changes.map(({ says }) => says)).toContain('New: Send “x”');
    const back = await restoreVersion(lab.db, 'versions', '1', null);
    expect(back).toMatchObject({ version: 2, draft: { steps: first.steps } });
    for (const none of ['0', '3', 'x'])
      await expect(restoreVersion(lab.db, 'versions', none, null), none).rejects.toMatchObject({ status: 404 });
    await expect(restoreVersion(lab.db, 'versions', '2', 1)).rejects.toMatchObject({ status: 409 });
  });

  it('updates are not done twice either', async () => {
    const adds: Step = { id: 'u', kind: 'update', name: 'Points', changes: [{ do: 'add', name: 'points', by: 5 }] };
    await lab.addFlow('versions', flowOf([adds, waits('w', 3)]));
    await lab.tell(order('u@example.com', 'o1'));
    await lab.pass('P1D');
    await republish([waits('w', 3), adds, letter('end')], 'move');
    await lab.pass('P4D');
    expect(subjects()).toEqual(['end']);
    expect((await personOf('u@example.com')).attributes.points).toBe(5);
  });

  it('who is inside is told, put elsewhere, and taken out; what departs when is counted', async () => {
    await begin();
    const url = (query: string) => new URL(`http://x/?${query}`);
    const [one] = (await inside(lab.db, 'versions', url('step=gone'))).people;
    expect(one).toMatchObject({ step: 'gone', says: 'Wait 3 days', version: 1, key: 'o1' });
    expect((await inside(lab.db, 'versions', url('step=w1'))).people).toEqual([]);
    const from = new Date(await lab.now()).toISOString();
    const to = new Date((await lab.now()) + 3 * 86_400_000).toISOString();
    expect(await departures(lab.db, url(`from=${from}&to=${to}`))).toMatchObject({
      departures: [{ flow: 'versions', runs: 1 }],
      entries: [{ flow: 'versions', least: 0, most: expect.any(Number) }],
    });
    await expect(departures(lab.db, url(`from=${to}&to=${from}`))).rejects.toMatchObject({ status: 400 });
    await expect(moveRun(lab.db, one!.run, { step: 'nowhere' }, 'Marla')).rejects.toMatchObject({ status: 422 });
    await expect(moveRun(lab.db, '999999', { step: 'b' }, 'Marla')).rejects.toMatchObject({ status: 404 });
    await moveRun(lab.db, one!.run, { step: 'c' }, 'Marla');
    await lab.settle();
    expect(subjects()).toEqual(['a', 'c']);
    await expect(moveRun(lab.db, one!.run, { step: 'c' }, 'Marla')).rejects.toMatchObject({ status: 409 });
    await lab.tell(order('b@example.com', 'o2'));
    await lab.settle();
    const [other] = (await inside(lab.db, 'versions', url(''))).people;
    await leaveRun(lab.db, other!.run, 'Marla');
    expect((await inside(lab.db, 'versions', url(''))).people).toEqual([]);
  });
});

describe('a control group', () => {
  it('gets nothing, and is counted from the same moment as those who get something', async () => {
    const goal = { event: 'app.renewed', within: 'P7D', ends: true };
    await lab.addFlow('half', flowOf([letter('a')], { control: 50, goal }));
    const people = Array.from({ length: 40 }, (_, n) => `p${n}@example.com`);
    await lab.tell(people.map((email, n) => order(email, `o${n}`)));
    await lab.settle();
    await lab.tell(people.map((email) => happening('app.renewed', { person: { email } })));
    await lab.settle();
    const { entered, control, goalReached, inside: within } = await flowReport(lab.db, 'half', new URL('http://x/'));
    expect(entered + control.people).toBe(40);
    // binomial, four standard errors
    expect(Math.abs(control.people - 20)).toBeLessThanOrEqual(13);
    expect([goalReached, control.goalReached, within]).toEqual([entered, control.people, 0]);
    expect(lab.inbox).toHaveLength(entered);
    // nobody of them was told to be in the flow
    expect(await query(lab.db, `select count(*)::int as n from events where type = 'flow.entered'`)).toEqual([{ n: entered }]);
  });
});
