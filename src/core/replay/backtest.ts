import { armsOf, planOf, sayStep, sayTrace } from '../flows';
import { drawnShare, lotOf } from '../stats';
import type { FactEvent } from '../rules';
import { HOUR, localDate, MINUTE, SECOND, type Instant } from '../time';
import type { Answered, Replayed, ReplayedSend, ReplayFlow } from './replay';

/** What people are assumed to do with messages, in per cent of those they get, and what an order is worth. */
export interface Assumed {
  readonly open: number;
  readonly click: number;
  readonly order: number;
  readonly value: number;
}

/** What came of flows over history: see {@link BacktestTally}. */
export interface BacktestCounts {
  readonly people: number;
  readonly entered: number;
  readonly control: number;
  readonly goalReached: number;
  readonly notEntered: readonly { readonly because: string; readonly people: number }[];
  readonly arms: readonly { readonly arm: string; readonly name: string; readonly people: number }[];
  readonly sends: readonly {
    readonly day: string;
    readonly channel: string;
    readonly step: string;
    readonly name: string;
    readonly count: number;
  }[];
  readonly skipped: readonly { readonly step: string; readonly because: string; readonly count: number }[];
  readonly held: readonly { readonly step: string; readonly because: string; readonly count: number }[];
  /** codes that were issued, and those that were kept back, by offer */
  readonly codes: readonly { readonly offer: string; readonly name: string; readonly issued: number }[];
  /** the same by day */
  readonly codeDays: readonly { readonly day: string; readonly offer: string; readonly count: number }[];
  /** who entered and what they passed (steps whose message they got, arms): the first {@link MOST_NAMED} of them, by number */
  readonly who: readonly { readonly person: string; readonly at: Instant; readonly passed: readonly string[]; readonly goal: boolean }[];
  readonly withheld: readonly { readonly step: string; readonly because: string; readonly count: number }[];
  /** how many were at each step when the time was over */
  readonly peopleBy: readonly { readonly step: string; readonly says: string; readonly people: number }[];
  readonly ended: { readonly [outcome: string]: number };
}

/** How many people a backtest can name. */
export const MOST_NAMED = 500;

/** What people do with messages: so many of a hundred open, click and order, drawn by lot, the same each time. */
export function answersAsAssumed(assume: Assumed, currency: string, nextId: () => string) {
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
    const events = [event('message.delivered', SECOND, about)];
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

/**
 * Counts that add up one by one, so that no more is held than they are. Who entered before `from` is not counted, with all
 * that became of them.
 */
export class BacktestTally {
  private entered = 0;
  private control = 0;
  private goalReached = 0;
  private readonly tallies = new Map<string, number>();
  private readonly who: BacktestCounts['who'][number][] = [];

  constructor(
    private readonly flow: ReplayFlow,
    private readonly currency: string,
    private readonly from: Instant,
  ) {}

  private tally(...name: readonly string[]): void {
    const id = JSON.stringify(name);
    this.tallies.set(id, (this.tallies.get(id) ?? 0) + 1);
  }

  add({ runs, sends, codes }: Replayed): void {
    const { document } = this.flow;
    const before = new Set<string>();
    for (const { run, trace } of runs) {
      const decidedAt = run.enteredAt ?? trace.at(-1)?.at ?? this.from;
      if (decidedAt < this.from) {
        before.add(run.id);
        continue;
      }
      const isControl = run.outcome === 'control';
      if (isControl) this.control += 1;
      else if (run.enteredAt !== null) this.entered += 1;
      if (run.goalAt !== null && !isControl) this.goalReached += 1;
      if (run.enteredAt !== null && !isControl && this.who.length < MOST_NAMED)
        this.who.push({
          person: run.personId,
          at: run.enteredAt,
          passed: [
            ...new Set([
              ...trace.flatMap(({ armId }) => armId ?? []),
              ...sends.filter((send) => send.run.id === run.id).map(({ effect }) => effect.stepId),
            ]),
          ],
          goal: run.goalAt !== null,
        });
      if (run.outcome !== null) this.tally('ended', run.outcome);
      if (run.phase === 'inside' && run.step) this.tally('at', run.step);
      for (const entry of trace) {
        const says = () =>
          sayTrace(entry, { trigger: run.about.trigger, key: 'it' }, document, { currency: this.currency, ...this.flow }).says;
        if (entry.kind === 'not-entered') this.tally('not', says().replace(/^Did not enter: /, ''));
        else if (entry.armId) this.tally('arm', entry.armId);
        else if (entry.kind === 'skipped' || entry.kind === 'held' || entry.kind === 'withheld')
          this.tally(entry.kind, entry.stepId ?? '', says().replace(/^[^:]*: /, ''));
      }
    }
    for (const { effect, run, at } of codes)
      if (!before.has(run.id)) {
        this.tally('code', effect.offer);
        this.tally('codeDay', localDate(at, this.flow.zone), effect.offer);
      }
    for (const { at, effect, run } of sends)
      if (!before.has(run.id)) this.tally('send', localDate(at, this.flow.zone), effect.channel, effect.stepId);
  }

  view(people: number): BacktestCounts {
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
      withheld: blocked('withheld'),
      codes: of('code').map(({ parts, count }) => ({
        offer: parts[0]!,
        name: this.flow.offers?.get(parts[0]!)?.name ?? parts[0]!,
        issued: count,
      })),
      codeDays: of('codeDay')
        .map(({ parts, count }) => ({ day: parts[0]!, offer: parts[1]!, count }))
        .sort((a, b) => a.day.localeCompare(b.day)),
      who: this.who,
      peopleBy: of('at').map(({ parts, count }) => ({ step: parts[0]!, says: sayStep(steps.get(parts[0]!)!), people: count })),
      ended: Object.fromEntries(of('ended').map(({ parts, count }) => [parts[0]!, count])),
    };
  }
}
