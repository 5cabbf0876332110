import { afterAll, afterEach, beforeAll, expect, it, vi } from 'vitest';
import { demoFlows, demoOffers } from '../../demo/flows';
import { HISTORY_DAYS, makeHistory, type DemoHistory } from '../../demo/history';
import { changeStep, type Step, type TraceEntry } from '@/core/flows';
import { ANY_OFFERS, changesPeople, drawsAndAsks, hears, issuesCodes, rises, takesOver } from '@/core/flows/testing/asking';
import { replayPerson, type ReplayFlow } from '@/core/replay';
import type { Limits } from '@/core/limits';
import type { Guard, Offers } from '@/core/offers';
import { DAY } from '@/core/time';
import { query } from '@/data/db';
import { nextDue, recordedPeople } from '@/data/flows';
import { writeLimits } from '../sending';
import { putOffer } from '../offers';
import { changeConsent, makeList } from '../people';
import { openLab, type Lab } from '../testing/lab';
import { drain } from './runloop';

/** How many of Quillfin's people live through their 180 days; more by VIATIC_REPLAYED. */
const PEOPLE = Number(process.env.VIATIC_REPLAYED ?? 30);
const ZONE = 'Europe/Amsterdam';
const withoutAfter = ({ after: _, ...guard }: Guard): Guard => guard;

let lab: Lab;
beforeAll(async () => {
  lab = await openLab({ flow: null });
  // what the database notes, it notes a few milliseconds after the moment that stands still here
  await query(
    lab.db,
    `create table stands (at timestamptz); insert into stands values (null);
     create function stand() returns trigger language plpgsql as $$ begin new.at := least(new.at, (select at from stands)); return new; end $$;
     create trigger stand before insert on changes_to_tell for each row execute function stand();`,
  );
});
afterEach(() => vi.useRealTimers());
afterAll(() => lab.close());

/** Sets store time to the very millisecond, for this process and for the database, whose own clock goes on. */
async function at(moment: number): Promise<void> {
  await query(lab.db, 'update stands set at = :moment', { moment: new Date(moment) });
  vi.useRealTimers();
  const real = Date.now();
  vi.useFakeTimers({ toFake: ['Date'], now: real });
  await query(lab.db, 'update store set clock_offset_ms = :offset', { offset: moment - real });
}

/** Does all that is due at a moment, what comes of it too: the database notes it a few milliseconds later than the moment that stands still here. */
async function settle(moment: number): Promise<void> {
  await at(moment);
  // what is due within a second anyway is looked at early, too, and comes to nothing: so not without end
  for (let round = 0; round < 4; round++) {
    await query(
      lab.db,
      `update runs set wake_at = :moment where wake_at > :moment and wake_at < cast(:moment as timestamptz) + interval '1 second'
        and phase <> 'armed' and wait_until is distinct from wake_at`,
      { moment: new Date(moment) },
    );
    await query(lab.db, `update fact_changes set at = :moment where at > :moment`, { moment: new Date(moment) });
    if (!(await drain(lab.db))) return;
  }
}

interface Told {
  readonly runs: readonly {
    flow: string;
    about: [string, string];
    phase: string;
    outcome: string | null;
    enteredAt: number | null;
    goalAt: number | null;
    trace: Omit<TraceEntry, 'seq'>[];
  }[];
  readonly sends: readonly [flow: string, key: string, stepId: string, at: number][];
}

it(
  'the worker and the replay of what it recorded come to the same runs, trace by trace, over the demo’s 180 days',
  { timeout: 600_000 },
  async () => {
    const flows = [
      ...demoFlows('http://shop.example'),
      {
        key: 'draws',
        document: changeStep(drawsAndAsks, 'answer', (step) => ({ ...step, for: 'P30D', until: { event: 'product.viewed' } }) as Step),
      },
      { key: 'hears', document: hears },
      { key: 'takes', document: takesOver },
      { key: 'changes', document: changesPeople },
      { key: 'rises', document: rises },
      { key: 'codes', document: issuesCodes },
    ];
    const began = Date.now() + DAY;
    const end = began + HISTORY_DAYS * DAY;
    await at(began);
    const limits: Limits = {
      gap: 'PT20H',
      caps: [{ channel: 'email', most: 4, per: 'P30D' }],
      hours: { from: '08:00', to: '21:00' },
      closed: new Set(),
      control: { share: 10 },
    };
    await writeLimits(lab.db, { ...limits, closed: [], holidaysOf: null }, 't');
    await makeList(lab.db, { name: 'Buyers' }, 't');
    // nothing is handed over here, so no offer asks what was sent
    const offers: Offers = new Map(
      [...demoOffers, ...ANY_OFFERS].map(([key, offer]) => [key, { ...offer, guard: withoutAfter(offer.guard) }]),
    );
    for (const [key, offer] of offers) await putOffer(lab.db, key, offer, 't');
    for (const { key, document } of flows) await lab.addFlow(key, document);
    const replayed: ReplayFlow[] = flows.map(({ key, document }) => ({
      key,
      document,
      isOn: true,
      zone: ZONE,
      from: began,
      limits,
      offers,
    }));
    const histories = [...makeHistory({ people: PEOPLE, end, zone: ZONE, baseUrl: 'http://shop.example', flows: replayed, seed: 7 })];

    // what happens, in order: people come, do things, and take their consent back
    const happenings = histories
      .flatMap((history): { at: number; act: () => Promise<void> }[] => {
        const first = Math.max(began, Math.min(history.person.createdAt, ...history.replayed.events.map((event) => event.time)));
        return [
          { at: first, act: () => arrive(history) },
          ...history.replayed.events
            .filter(
              (event) => !/^(message|flow|list|attribute|code)\./.test(event.type) && event.type !== 'app.asked' && event.time >= began,
            )
            .map((event) => ({ at: event.time, act: () => tell(history, event) })),
          ...history.replayed.changes
            .filter((change) => change.kind === 'consent')
            .map((change) => ({ at: change.at, act: () => leave(history) })),
        ];
      })
      .sort((a, b) => a.at - b.at);
    for (const { at: moment, act } of happenings) {
      for (let due = await nextDue(lab.db); due !== null && due < moment; due = await nextDue(lab.db)) {
        await settle(due);
      }
      await at(moment);
      await act();
      await settle(moment);
    }
    for (let due = await nextDue(lab.db); due !== null && due <= end; due = await nextDue(lab.db)) {
      await settle(due);
    }
    vi.useRealTimers();

    let people = 0;
    let entries = 0;
    let next = 0;
    for await (const { person, events } of recordedPeople(lab.db, replayed, began)) {
      const replay = replayPerson(replayed, person, events, end, () => String((next += 1)));
      const theirs: Told = {
        runs: replay.runs
          .map(({ flowKey, run, trace }) => ({
            flow: flowKey,
            about: [run.about.trigger, run.about.key] as [string, string],
            phase: run.phase,
            outcome: run.outcome,
            enteredAt: run.enteredAt,
            goalAt: run.goalAt,
            trace: trace.map(({ seq: _, ...entry }) => entry),
          }))
          .sort(byName),
        sends: replay.sends.map((send): Told['sends'][number] => [send.flowKey, send.run.about.key, send.effect.stepId, send.at]).sort(),
      };
      const mine = await recorded(person.id);
      expect(mine).toEqual(theirs);
      people += 1;
      entries += mine.runs.reduce((sum, run) => sum + run.trace.length, 0);
    }
    expect(people).toBe(PEOPLE);
    expect(entries).toBeGreaterThan(PEOPLE);
    // lots were drawn, events recorded and heard, and waits answered
    const kinds = await query<{ kind: string; count: number }>(lab.db, 'select kind, count(*)::int as count from traces group by 1');
    const count = (kind: string) => kinds.find((row) => row.kind === kind)?.count ?? 0;
    for (const kind of ['drawn', 'recorded', 'answered', 'unanswered', 'updated', 'handed', 'held'])
      expect(count(kind), kind).toBeGreaterThan(0);
    expect(
      await query(
        lab.db,
        `select count(*)::int as heard from runs r join flows f on f.id = r.flow_id where f.key = 'hears' and r.entered_at is not null`,
      ),
    ).toEqual([{ heard: count('recorded') }]);
  },
);

/** A run as text, whatever the order in which its parts were written down. */
const textOf = (run: Told['runs'][number]): string =>
  JSON.stringify(run, (_, value: unknown) =>
    value !== null && typeof value === 'object' && !Array.isArray(value) ? Object.fromEntries(Object.entries(value).sort()) : value,
  );
const byName = (a: Told['runs'][number], b: Told['runs'][number]): number => {
  const name = (run: Told['runs'][number]) => `${run.flow} ${run.about.join(' ')} ${run.trace[0]?.at ?? 0} ${run.phase} ${textOf(run)}`;
  return name(a) < name(b) ? -1 : 1;
};

async function arrive({ person }: DemoHistory): Promise<void> {
  const { email, ...more } = person.attributes;
  await lab.tell({
    id: `first ${person.externalId}`,
    source: 'test',
    type: 'page.viewed',
    subject: person.externalId,
    data: { person: { email, ...more, ...(person.consent && { consent: { email: person.consent === 'given' } }) } },
  });
}

async function tell({ person }: DemoHistory, event: DemoHistory['replayed']['events'][number]): Promise<void> {
  const answer = await lab.tell({
    id: event.id,
    source: 'test',
    type: event.type,
    time: new Date(event.time).toISOString(),
    subject: person.externalId,
    data: event.properties,
  });
  expect(answer.rejected).toEqual([]);
}

async function leave({ person }: DemoHistory): Promise<void> {
  const [row] = await query<{ id: string }>(lab.db, 'select id from people where external_id = :id', { id: person.externalId });
  await changeConsent(lab.db, row!.id, { channels: { email: 'withdrawn' }, detail: { how: 'unsubscribe link' } });
}

async function recorded(personId: string): Promise<Told> {
  const ms = (date: Date | null) => date && date.getTime();
  const runs = await query<{
    id: string;
    flow: string;
    trigger: string;
    key: string;
    phase: string;
    outcome: string | null;
    entered_at: Date | null;
    goal_at: Date | null;
  }>(
    lab.db,
    'select r.id, f.key as flow, r.trigger, r.key, r.phase, r.outcome, r.entered_at, r.goal_at' +
      ' from runs r join flows f on f.id = r.flow_id where r.person_id = :personId',
    { personId },
  );
  const traces = await query<{
    run_id: string;
    at: Date;
    step_id: string | null;
    kind: TraceEntry['kind'];
    arm: string | null;
    saw: TraceEntry['saw'] | null;
  }>(lab.db, 'select run_id, at, step_id, kind, arm, saw from traces where person_id = :personId order by run_id, seq', { personId });
  const sends = await query<{ flow: string; key: string; step_id: string; queued_at: Date }>(
    lab.db,
    'select f.key as flow, r.key, s.step_id, s.queued_at' +
      ' from sends s join runs r on r.person_id = s.person_id and r.id = s.run_id join flows f on f.id = s.flow_id where s.person_id = :personId',
    { personId },
  );
  return {
    runs: runs
      .map((run) => ({
        flow: run.flow,
        about: [run.trigger, run.key] as [string, string],
        phase: run.phase,
        outcome: run.outcome,
        enteredAt: ms(run.entered_at),
        goalAt: ms(run.goal_at),
        trace: traces
          .filter((entry) => entry.run_id === run.id)
          .map((entry) => ({
            at: entry.at.getTime(),
            stepId: entry.step_id,
            kind: entry.kind,
            ...(entry.arm !== null && { armId: entry.arm }),
            ...(entry.saw && { saw: entry.saw }),
          })),
      }))
      .sort(byName),
    sends: sends.map((send): Told['sends'][number] => [send.flow, send.key, send.step_id, send.queued_at.getTime()]).sort(),
  };
}
