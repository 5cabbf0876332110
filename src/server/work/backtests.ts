import { z } from 'zod';
import type { BacktestView } from '@/core/api';
import { drawnShare, flowSchema, lotOf, planOf, sayStep, sayTrace, armsOf, type FlowDocument } from '@/core/flows';
import { replayPerson, type Answered, type Replayed, type ReplayedSend, type ReplayFlow } from '@/core/replay';
import type { FactEvent } from '@/core/rules';
import { DAY, HOUR, localDate, MINUTE, type Instant } from '@/core/time';
import { query, type Db } from '@/data/db';
import { findFlow, recordedPeople } from '@/data/flows';
import { countPeopleOnFile } from '@/data/people';
import { readStore, type StoreNow } from '@/data/store';
import type { WorkRow } from '@/data/work';
import { Problem, problemsOf } from '../http';
import type { Dispatch } from '../messages';
import { startWork, type Finished, type Report } from './start';
import { documentOf } from '../rehearsal';

const share = z.number().min(0).max(100);
const backtestInput = z.strictObject({
  from: z.iso.datetime({ offset: true }),
  to: z.iso.datetime({ offset: true }),
  document: z.unknown().optional(),
  version: z.int().min(1).optional(),
  /** what people do with the messages, in per cent of those they get, and what an order is worth */
  assume: z.strictObject({ open: share, click: share, order: share, value: z.number().min(0).max(1e9) }).optional(),
});
type Assumed = NonNullable<z.infer<typeof backtestInput>['assume']>;

/** The longest stretch of history that is played at once. */
const LONGEST_MS = 800 * DAY;

/** Puts a backtest in: a flow over what really happened between two moments. Answers with the number of the work. */
export async function startBacktest(db: Db, key: string, body: unknown, by: string): Promise<{ id: string }> {
  const parsed = backtestInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not a backtest', 'Nothing was begun.', problemsOf(parsed.error));
  const { from, to, assume } = parsed.data;
  const { now } = await readStore(db);
  const [begins, ends] = [Date.parse(from), Date.parse(to)];
  if (begins >= ends || ends > now || ends - begins > LONGEST_MS)
    throw new Problem(422, 'Not a backtest', 'Nothing was begun.', [
      {
        field: begins >= ends ? 'to' : ends > now ? 'to' : 'from',
        wrong: begins >= ends ? 'is not after from' : ends > now ? 'is still to come' : 'is more than 800 days before to',
        right: `a time that has gone by, at most 800 days long, such as up to ${new Date(now).toISOString()}`,
      },
    ]);
  const document = await documentOf(db, key, parsed.data);
  const id = await startWork(db, {
    kind: 'backtest',
    name: document.name,
    detail: { key, document, from: begins, to: ends, assume: assume ?? null },
    by,
  });
  return { id };
}

interface Detail {
  readonly key: string;
  readonly document: FlowDocument;
  readonly from: Instant;
  readonly to: Instant;
  readonly assume: Assumed | null;
}

/** Plays a flow over history, person by person as they were, and counts what comes of it. Nothing is stored but the counts. */
export async function runBacktest({ db }: Pick<Dispatch, 'db'>, work: WorkRow, report: Report): Promise<Finished> {
  const { key, from, to, assume, ...rest } = work.detail as unknown as Detail;
  const document = flowSchema.parse(rest.document);
  const store = await readStore(db);
  const flow: ReplayFlow = { key, document, isOn: true, zone: store.zone, world: store.world, limits: store.limits, from };
  const counts = new Counts(flow, store);
  let done = 0;
  let numbers = 0;
  // above all that are on file
  const nextId = () => `${9e15 + (numbers += 1)}`;
  const react = assume ? answersAsAssumed(assume, store.currency, nextId) : undefined;
  await report({ done, total: await countPeopleOnFile(db), says: 'Playing history' });
  for await (const { person, events } of recordedPeople(db, [flow], from)) {
    counts.add(replayPerson([flow], person, events, to, nextId, react));
    done += 1;
    if (done % 500 === 0) await report({ done });
  }
  await report({ done, total: done });
  const result: BacktestView = { ...counts.view(done), compared: await reallyDone(db, key, from, to), assumed: assume };
  const sayNumber = (n: number) => n.toLocaleString('en-IE');
  const entered = `${sayNumber(result.entered)} ${result.entered === 1 ? 'run' : 'runs'}`;
  return { says: `${entered} would have entered, of ${sayNumber(done)} ${done === 1 ? 'person' : 'people'}`, result };
}

/** What people do with messages: so many of a hundred open, click and order, drawn by lot, the same each time. */
function answersAsAssumed(assume: Assumed, currency: string, nextId: () => string) {
  return (send: ReplayedSend): Answered => {
    const draw = (what: string, of: number) =>
      drawnShare(
        lotOf({ flow: send.flowKey, personId: send.run.personId, stepId: `${send.effect.stepId} ${what}`, key: send.run.about.key }),
        [of, 100 - of],
      ) === 0;
    const about = {
      sendId: send.id,
      flow: send.flowKey,
      step: send.effect.stepId,
      channel: send.effect.kind === 'send' ? send.effect.channel : 'email',
    };
    const event = (type: string, after: number, properties: FactEvent['properties']): FactEvent => ({
      id: nextId(),
      type,
      time: send.at + after,
      properties,
    });
    const events = [event('message.delivered', 1000, about)];
    if (draw('open', assume.open)) {
      events.push(event('message.opened', HOUR, about));
      // of those who open: so many of all click, so many of all order
      const within = (of: number, all: number) => (all ? Math.min(100, (100 * of) / all) : 0);
      if (draw('click', within(assume.click, assume.open))) {
        events.push(event('message.clicked', HOUR + MINUTE, { ...about, url: '' }));
        if (draw('order', within(assume.order, assume.click)))
          events.push(
            event('order.placed', 2 * HOUR, { ...send.run.about.data, orderId: `assumed-${send.id}`, value: assume.value, currency }),
          );
      }
    }
    return { events };
  };
}

/** What the flow really did in that time, where it was on. */
async function reallyDone(db: Db, key: string, from: Instant, to: Instant): Promise<BacktestView['compared']> {
  const flow = await findFlow(db, key);
  if (!flow || flow.version === null) return null;
  const [row] = await query<{ entered: number; sends: number }>(
    db,
    `select (select count(*)::int from runs where flow_id = :id and entered_at >= :from and entered_at <= :to and outcome is distinct from 'control') as entered,
       (select count(*)::int from sends s join runs r on r.person_id = s.person_id and r.id = s.run_id
         where s.flow_id = :id and s.queued_at >= :from and s.queued_at <= :to and r.entered_at >= :from) as sends`,
    { id: flow.id, from: new Date(from), to: new Date(to) },
  );
  return row ?? null;
}

/** Counts that add up one by one, so that no more is held than they are. */
class Counts {
  private entered = 0;
  private control = 0;
  private goalReached = 0;
  private readonly tallies = new Map<string, number>();

  constructor(
    private readonly flow: ReplayFlow,
    private readonly store: StoreNow,
  ) {}

  private tally(...name: readonly string[]): void {
    const id = JSON.stringify(name);
    this.tallies.set(id, (this.tallies.get(id) ?? 0) + 1);
  }

  add({ runs, sends }: Replayed): void {
    const { document } = this.flow;
    for (const { run, trace } of runs) {
      const isControl = run.outcome === 'control';
      if (isControl) this.control += 1;
      else if (run.enteredAt !== null) this.entered += 1;
      if (run.goalAt !== null && !isControl) this.goalReached += 1;
      if (run.outcome !== null) this.tally('ended', run.outcome);
      if (run.phase === 'inside' && run.step) this.tally('at', run.step);
      for (const entry of trace) {
        const says = () => sayTrace(entry, { trigger: run.about.trigger, key: '' }, document, this.store.currency).says;
        if (entry.kind === 'not-entered') this.tally('not', says().replace(/^Did not enter: /, ''));
        else if (entry.armId) this.tally('arm', entry.armId);
        else if (entry.kind === 'skipped' || entry.kind === 'held')
          this.tally(entry.kind, entry.stepId ?? '', says().replace(/^[^:]*: /, ''));
      }
    }
    for (const { at, effect } of sends)
      if (effect.kind === 'send') this.tally('send', localDate(at, this.flow.zone), effect.channel, effect.stepId);
  }

  view(people: number): Omit<BacktestView, 'compared' | 'assumed'> {
    const { steps } = planOf(this.flow.document);
    const arms = new Map([...steps.values()].flatMap((step) => armsOf(step).map((arm) => [arm.id, arm.name])));
    const nameOf = (id: string) => {
      const step = steps.get(id);
      return step ? ('name' in step ? step.name : sayStep(step)) : id;
    };
    const of = (kind: string) =>
      [...this.tallies]
        .map(([id, count]) => ({ parts: JSON.parse(id) as string[], count }))
        .filter(({ parts }) => parts[0] === kind)
        .map(({ parts, count }) => ({ parts: parts.slice(1), count }))
        .sort((a, b) => b.count - a.count || a.parts.join().localeCompare(b.parts.join()));
    const blocked = (kind: string) => of(kind).map(({ parts, count }) => ({ step: parts[0]!, because: parts[1]!, count }));
    return {
      people,
      entered: this.entered,
      control: this.control,
      goalReached: this.goalReached,
      notEntered: of('not')
        .slice(0, 50)
        .map(({ parts, count }) => ({ because: parts[0]!, people: count })),
      arms: of('arm').map(({ parts, count }) => ({ arm: parts[0]!, name: arms.get(parts[0]!) ?? parts[0]!, people: count })),
      sends: of('send')
        .map(({ parts, count }) => ({ day: parts[0]!, channel: parts[1]!, step: parts[2]!, name: nameOf(parts[2]!), count }))
        .sort((a, b) => a.day.localeCompare(b.day) || a.step.localeCompare(b.step)),
      skipped: blocked('skipped'),
      held: blocked('held'),
      peopleBy: of('at').map(({ parts, count }) => ({ step: parts[0]!, says: sayStep(steps.get(parts[0]!)!), people: count })),
      ended: Object.fromEntries(of('ended').map(({ parts, count }) => [parts[0]!, count])),
    };
  }
}
