import { addDuration, sayDuration, type Instant } from '../time';
import { earliest, evaluate, matches, sayEvent, type Because, type FactEvent, type Facts, type Viewpoint, type Wording } from '../rules';
import { notSentBecause } from '../messages';
import { armOf, type BranchAnswer } from './branch';
import type { FlowDocument, SendStep, Step } from './document';
import { planOf, type Plan } from './plan';
import type { Effect, Outcome, Run, TraceEntry, Wake } from './run';
import { mayNotStartBecause, triggerState, type EarlierRun, type TriggerState } from './start';

/** A flow as a run sees it. `isOn` is false while it is paused. */
export interface RunningFlow {
  readonly document: FlowDocument;
  readonly isOn: boolean;
  readonly zone: string;
  readonly currency: string;
}

export interface Advanced {
  readonly run: Run;
  readonly effects: readonly Effect[];
  readonly trace: readonly TraceEntry[];
  readonly wake: Wake;
}

const NEVER: Wake = { at: null, on: [] };

/**
 * Moves one run as far as it can go at this moment. Pure and total: the same arguments give the same result.
 * `earlier` are the person's other runs in the same flow, looked at only on entry.
 * Before each step it looks whether the goal has been met, then whether the stay rule holds.
 */
export function advance(flow: RunningFlow, run: Run, facts: Facts, now: Instant, earlier: readonly EarlierRun[] = []): Advanced {
  if (run.phase === 'ended') return { run, effects: [], trace: [], wake: NEVER };
  return new Passage(flow, run, facts, now, earlier).go();
}

/** One call of advance: the run as it changes, and what has been decided so far. */
class Passage {
  private readonly plan: Plan;
  private readonly effects: Effect[] = [];
  private readonly trace: TraceEntry[] = [];
  private readonly wording: Wording;

  constructor(
    private readonly flow: RunningFlow,
    private run: Run,
    private readonly facts: Facts,
    private readonly now: Instant,
    private readonly earlier: readonly EarlierRun[],
  ) {
    this.plan = planOf(flow.document);
    this.wording = { triggerType: flow.document.trigger.event, currency: flow.currency };
  }

  go(): Advanced {
    if (this.run.phase === 'armed') {
      const wake = this.enter();
      if (wake) return this.result(wake);
    }
    if (this.run.phase === 'watching') return this.result(this.watch());
    return this.result(this.walk());
  }

  private result(wake: Wake): Advanced {
    return { run: this.run, effects: this.effects, trace: this.trace, wake };
  }

  private note(kind: TraceEntry['kind'], stepId: string | null, says: string, more: { because?: Because; armId?: string; at?: Instant } = {}): void {
    const { at = this.now, ...rest } = more;
    this.trace.push({ seq: this.run.seq, at, stepId, kind, says, ...rest });
    this.run = { ...this.run, seq: this.run.seq + 1 };
  }

  private end(outcome: Outcome): Wake {
    this.run = { ...this.run, phase: 'ended', step: null, waitUntil: null, outcome: this.run.outcome ?? outcome };
    return NEVER;
  }

  private view(): Viewpoint {
    const { enteredAt } = this.run;
    const trigger = this.triggerEvent();
    return { now: this.now, zone: this.flow.zone, ...(enteredAt !== null && { enteredAt }), ...(trigger && { trigger }) };
  }

  private triggerEvent(): FactEvent | undefined {
    return this.facts.events.find((event) => event.id === this.run.triggerId);
  }

  /** Decides on entry; answers with what to wait for unless the run is now inside. */
  private enter(): Wake | null {
    const { document } = this.flow;
    const called = this.triggerEvent();
    const state: TriggerState = called
      ? { state: 'due', event: called, says: sayEvent(called.type) }
      : triggerState(document.trigger, this.run.key, this.facts, this.now, this.flow.zone);
    if (state.state === 'pending') {
      return { at: state.until, on: [] };
    }
    const refuse = (says: string, because?: Because): Wake => {
      this.note('not-entered', null, says, because && { because });
      return this.end('not-entered');
    };
    if (state.state === 'off') return refuse(`Did not enter: ${state.says}`);
    if (!this.flow.isOn) return refuse('Did not enter: the flow was not on at that moment');
    const again = mayNotStartBecause(document.reentry, this.earlier, this.run.key);
    if (again) return refuse(`Did not enter: ${again}`);
    this.run = { ...this.run, triggerId: state.event.id };
    if (document.entry) {
      const answer = evaluate(document.entry, this.facts, this.view(), this.wording);
      if (!answer.holds) return refuse(`Did not enter: the entry rule does not hold`, answer.because);
    }
    this.run = { ...this.run, phase: 'inside', enteredAt: this.now, step: this.plan.first };
    this.note('entered', null, `Entered: ${state.says}`);
    return null;
  }

  /** Notes the goal when it has been met; answers whether that ends the run. */
  private meetGoal(): boolean {
    const { goal } = this.flow.document;
    const { enteredAt, goalAt } = this.run;
    if (!goal || enteredAt === null || goalAt !== null) return false;
    const deadline = addDuration(enteredAt, goal.within, this.flow.zone);
    const met = this.facts.events.find(
      // what started the run does not fulfil it: the order that begins a first-order flow is not its goal
      (event) => event.id !== this.run.triggerId && event.type === goal.event && event.time >= enteredAt && event.time <= this.now && event.time < deadline && matches(event, goal.where),
    );
    if (!met) return false;
    this.run = { ...this.run, goalAt: met.time };
    this.note('goal', this.run.step, `Goal reached: ${sayEvent(goal.event)} within ${sayDuration(goal.within)} of entering`);
    return goal.ends;
  }

  private walk(): Wake {
    const { stay } = this.flow.document;
    for (;;) {
      if (this.meetGoal()) return this.end('goal');
      let stayUntil: Instant | null = null;
      if (stay) {
        const answer = evaluate(stay, this.facts, this.view(), this.wording);
        if (!answer.holds) {
          this.note('left', this.run.step, 'Left: the stay rule no longer holds', { because: answer.because });
          return this.end('left');
        }
        stayUntil = answer.until;
      }
      const step = this.run.step === null ? undefined : this.plan.steps.get(this.run.step);
      if (!step || step.kind === 'end') return this.complete(step ?? null);
      if (step.kind === 'wait') {
        const waitUntil = this.run.waitUntil ?? addDuration(this.now, step.for, this.flow.zone);
        if (this.run.waitUntil === null) {
          this.run = { ...this.run, waitUntil };
          this.note('waiting', step.id, `Waiting ${sayDuration(step.for)}`);
        }
        if (waitUntil > this.now) return { at: earliest([waitUntil, stayUntil])!, on: this.plan.wakesInside };
      }
      // a wait runs on during a pause; what comes after it stands still
      else if (!this.flow.isOn) return { at: stayUntil, on: this.plan.wakesInside };
      this.take(step);
    }
  }

  /** Does a step and moves on to the next. */
  private take(step: Step): void {
    let next = this.plan.after.get(step.id) ?? null;
    if (step.kind === 'branch') {
      const answer: BranchAnswer = armOf(step, this.facts, this.view(), this.wording);
      this.note('decided', step.id, `Took “${answer.arm.name}”`, { because: answer.because, armId: answer.arm.id });
      next = answer.arm.steps[0]?.id ?? next;
    } else if (step.kind === 'send') {
      this.send(step);
    }
    this.run = { ...this.run, step: next, waitUntil: null };
  }

  private send(step: SendStep): void {
    if (step.off) {
      this.note('skipped', step.id, `Did not send “${step.name}”: this message is off`);
      return;
    }
    const reason = notSentBecause(step.message, this.facts.reach.email, this.facts.declined, this.now);
    if (reason) {
      this.note('skipped', step.id, `Did not send “${step.name}”: ${reason}`);
      return;
    }
    this.effects.push({ kind: 'send', stepId: step.id, visit: 1, triggerId: this.run.triggerId! });
    this.note('sending', step.id, `Queued “${step.name}” to go out`);
  }

  private complete(step: Step | null): Wake {
    this.note('completed', step?.id ?? null, 'Went through to the end');
    const { goal } = this.flow.document;
    this.run = { ...this.run, outcome: 'completed', step: null, waitUntil: null };
    if (!goal || this.run.goalAt !== null) return this.end('completed');
    this.run = { ...this.run, phase: 'watching' };
    return this.watch();
  }

  /** The steps are done; the goal can still be reached until its window closes. */
  private watch(): Wake {
    const { goal } = this.flow.document;
    if (!goal || this.meetGoal() || this.run.goalAt !== null) return this.end('completed');
    const deadline = addDuration(this.run.enteredAt!, goal.within, this.flow.zone);
    if (deadline <= this.now) return this.end('completed');
    return { at: deadline, on: this.plan.wakesWatching };
  }
}
