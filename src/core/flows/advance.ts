import { addDuration, earliest, endOfDate, sooner, startOfDate, type Instant } from '../time';
import {
  FLOW_ENTERED,
  FLOW_LEFT,
  see,
  verdict,
  withChange,
  withEvent,
  type FactEvent,
  type Facts,
  type Rule,
  type Seen,
  type Viewpoint,
  type World,
} from '../rules';
import { MESSAGE_SENT, type Limits } from '../limits';
import { CODE_ISSUED, type Offers } from '../offers';
import { lotOf } from '../stats';
import type { Tables } from '../tables';
import { mayNotStart, type EarlierRun } from './begin';
import type { FlowDocument, Step } from './document';
import { goalOf, judge, undoneBecause, viewOf } from './judge';
import { nextDay, type Places } from './places';
import { planOf, type Plan } from './plan';
import {
  CALLED,
  codeTold,
  type Beginning,
  type Deed,
  type Effect,
  type Outcome,
  type Run,
  type Saw,
  type Told,
  type TraceEntry,
  type TraceKind,
  type Wake,
} from './run';
import { isTimed, triggerOf } from './triggers';
import { handing, hopsOf, kindOfStep, MOST_HOPS } from './steps';
import type { Here } from './steps/kind';

/** A flow as a run sees it. `isOn` is false while it is paused; by its key lots are drawn. */
export interface RunningFlow {
  readonly key: string;
  readonly document: FlowDocument;
  readonly isOn: boolean;
  readonly zone: string;
  /** what rules look up that is about nobody */
  readonly world?: World;
  /** how much marketing anybody gets, and when */
  readonly limits?: Limits | null;
  /** the offers of the store */
  readonly offers?: Offers;
  /** the tables of the store */
  readonly tables?: Tables;
  /** how many more codes may be issued of those that are bounded */
  readonly codesLeft?: ReadonlyMap<string, number>;
  /** how many may still enter, where so many do a day */
  readonly places?: Places | null;
}

const NO_OFFERS: Offers = new Map();
const NO_TABLES: Tables = new Map();

export interface Advanced {
  readonly run: Run;
  readonly effects: readonly Effect[];
  /** that the person has gone in or come out: events, told with the run’s new state */
  readonly told: readonly Told[];
  readonly trace: readonly TraceEntry[];
  readonly wake: Wake;
  /** what is known now: what it has recorded is among it */
  readonly facts: Facts;
  /** what is to be armed again because this run's trigger has turned out not to have come about yet */
  readonly begins: Beginning | null;
}

/** The moment at which a run is moved, and the one at which it was due: a worker may come late. */
export interface When {
  readonly now: Instant;
  readonly dueAt: Instant;
}

/** Stands for a step in the lot by which the control group is drawn: no step has this id. */
const CONTROL = ' control';

/** Stands for the number that an event gets when it is stored: above all there are. */
const NEWEST_ID = '9'.repeat(19);

const NEVER: Wake = { at: null, on: [] };

/**
 * Moves one run as far as it can go at this moment. Pure and total: the same arguments give the same result.
 * It enters at the moment at which it was due. Before each step it looks whether the trigger still stands by what is known
 * by now, whether the goal has been met, then whether the stay rule holds. `earlier` are the person's other runs in the
 * same flow, looked at only on entry.
 */
export function advance(flow: RunningFlow, run: Run, facts: Facts, when: When, earlier: readonly EarlierRun[] = []): Advanced {
  if (run.phase === 'ended') return { run, effects: [], told: [], trace: [], wake: NEVER, facts, begins: null };
  return new Passage(flow, run, facts, when, earlier).go();
}

/** One call of advance: the run as it changes, and what has been decided so far. */
class Passage {
  private readonly plan: Plan;
  private readonly effects: Effect[] = [];
  private readonly told: Told[] = [];
  private readonly trace: TraceEntry[] = [];
  private readonly now: Instant;
  private begins: Beginning | null = null;
  /** the moment at which what has been done was due: from here a wait counts, and it is now as soon as something goes out */
  private stands: Instant;

  constructor(
    private readonly flow: RunningFlow,
    private run: Run,
    private facts: Facts,
    private readonly when: When,
    private readonly earlier: readonly EarlierRun[],
  ) {
    this.plan = planOf(flow.document);
    this.now = when.now;
    this.stands = run.waitUntil ?? Math.min(when.dueAt, when.now);
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
    return { run: this.run, effects: this.effects, told: this.told, trace: this.trace, wake, facts: this.facts, begins: this.begins };
  }

  private note(kind: TraceKind, stepId: string | null, more: { armId?: string; saw?: Saw; at?: Instant } = {}): void {
    this.trace.push({ seq: this.run.seq, at: this.now, stepId, kind, ...more });
    this.run = { ...this.run, seq: this.run.seq + 1 };
  }

  /** Tells that the person has gone into the flow, or come out of it: other flows and rules see it as any event. */
  private tell(type: typeof FLOW_ENTERED | typeof FLOW_LEFT, at: Instant, more: { outcome?: Outcome } = {}): void {
    const { about, id } = this.run;
    const hops = hopsOf(about.data);
    if (hops > MOST_HOPS) return;
    const { key: flow } = this.flow;
    const properties = { flow, run: id, trigger: about.trigger, ...(about.key && { key: about.key }), ...more, byFlow: flow, hops };
    this.told.push({ type, properties, at, stepId: type, visit: 1 });
    this.facts = withEvent(this.facts, { id: NEWEST_ID, type, time: at, properties });
  }

  private end(outcome: Outcome): Wake {
    if (this.run.phase === 'inside') this.tell(FLOW_LEFT, this.now, { outcome: this.run.outcome ?? outcome });
    this.run = {
      ...this.run,
      phase: 'ended',
      step: null,
      waitFrom: null,
      waitUntil: null,
      outcome: this.run.outcome ?? outcome,
      isDoubtful: false,
    };
    return NEVER;
  }

  private view(now = this.now): Viewpoint {
    return viewOf(this.run, now, this.flow);
  }

  /** Decides on entry, as of the moment at which it was due; answers with what to wait for unless the run is now inside. */
  private enter(): Wake | null {
    const { document } = this.flow;
    const at = this.stands;
    const refuse = (saw: Saw): Wake => {
      this.note('not-entered', null, { saw });
      return this.end('not-entered');
    };
    if (this.run.about.trigger !== CALLED) {
      const state = judge(this.flow, this.run.about, this.facts, at);
      if (state.state === 'pending') return { at: state.until, on: this.plan.wakesArmed };
      if (state.state === 'off') {
        // it came about long ago, and has waited for a place ever since
        if (state.off.why === 'no-event' && this.run.about.at !== null && document.perDay) return refuse({ full: document.perDay.most });
        this.beginAnew();
        return refuse({ trigger: state.off });
      }
      const { event } = state;
      this.run = { ...this.run, about: { ...this.run.about, at: event.time, eventId: event.id, data: event.properties } };
    }
    if (!this.flow.isOn) {
      // whose occasion had come before the pause waits for its end: nobody is told during one
      const trigger = triggerOf(this.flow, this.run.about.trigger);
      if (trigger && isTimed(trigger)) return { at: null, on: this.plan.wakesArmed };
      return refuse({ off: true });
    }
    const again = mayNotStart(document.reentry, this.earlier, this.run.about.key, at, this.flow.zone);
    if (again) return refuse({ again });
    const outside = outsideOf(document, at, this.flow.zone);
    if (outside) return refuse({ window: outside });
    if (document.entry) {
      const seen = see(document.entry, this.facts, this.view(at));
      if (!seen.holds) return refuse({ rule: seen });
    }
    if (document.perDay && this.flow.places && this.flow.places.left(at) <= 0) {
      if (document.perDay.beyond === 'drop') return refuse({ full: document.perDay.most });
      const until = nextDay(at, this.flow.zone);
      this.note('queued', null, { saw: { full: document.perDay.most, until } });
      return { at: until, on: this.plan.wakesArmed };
    }
    if (
      document.control &&
      lotOf({ flow: this.flow.key, personId: this.run.personId, stepId: CONTROL, key: null }) < document.control / 100
    ) {
      this.run = { ...this.run, phase: 'watching', enteredAt: at, step: null, outcome: 'control', isDoubtful: false };
      this.note('control', null, { at });
      return null;
    }
    this.run = { ...this.run, phase: 'inside', enteredAt: at, step: this.plan.first, isDoubtful: false };
    this.note('entered', null, { at });
    this.tell(FLOW_ENTERED, at);
    return null;
  }

  /** Leaves when it turns out, by what has become known since, that the trigger had not come about. */
  private undo(): Wake | null {
    const off = undoneBecause(this.flow, this.run, this.facts);
    if (!off) {
      if (this.run.isDoubtful) this.run = { ...this.run, isDoubtful: false };
      return null;
    }
    this.note('undone', this.run.step, { saw: { trigger: off } });
    this.beginAnew();
    return this.end('undone');
  }

  /** What has begun since, or goes on longer than was known, is waited for anew: it was told under this run's name. */
  private beginAnew(): void {
    const { about } = this.run;
    const fresh = judge(this.flow, about, this.facts, this.now);
    if (fresh.state !== 'off') this.begins = { trigger: about.trigger, key: about.key, at: fresh.until };
  }

  /** Notes the goal when it has been met; answers whether that ends the run, and when time alone could meet it. */
  private meetGoal(): { ends: boolean; until: Instant | null } {
    const { goal } = this.flow.document;
    if (!goal || this.run.goalAt !== null) return { ends: false, until: null };
    const { met, until } = goalOf(this.flow, this.run, this.facts, this.now);
    if (!met) return { ends: false, until };
    this.run = { ...this.run, goalAt: met.time };
    this.note('goal', this.run.step);
    if (goal.handTo && this.run.outcome !== 'control' && this.run.outcome !== 'left') this.handOver(goal.handTo, met.properties);
    return { ends: goal.ends, until: null };
  }

  /** Hands the person over with what came with the goal. */
  private handOver(to: string, data: FactEvent['properties']): void {
    const deed = handing(to, data, { about: this.run.about, run: this.run.id, flow: this.flow.key });
    // under a name that no step has
    if (deed) this.carry(deed, deed.type);
  }

  /** Does something to the world: what follows sees it at once, as the newest of this moment. */
  private carry(deed: Deed, stepId: string): void {
    this.effects.push({ ...deed, stepId, visit: this.run.visit, ...this.partOf(deed, stepId) });
    if (deed.kind === 'event')
      this.facts = withEvent(this.facts, { id: NEWEST_ID, type: deed.type, time: this.now, properties: deed.properties });
    // what it lets go counts for the next that would, where there are limits
    if (deed.kind === 'send' && this.flow.limits)
      this.facts = withEvent(this.facts, {
        id: NEWEST_ID,
        type: MESSAGE_SENT,
        time: this.now,
        properties: { kind: deed.marketing ? 'marketing' : 'service', channel: deed.channel, flow: this.flow.key, step: stepId },
      });
    if (deed.kind === 'code')
      this.facts = withEvent(this.facts, { id: NEWEST_ID, type: CODE_ISSUED, time: this.now, properties: codeTold(deed, stepId) });
    if (deed.kind === 'change') this.facts = { ...this.facts, ...withChange(this.facts, deed.change) };
    this.run = { ...this.run, effects: this.run.effects + 1 };
  }

  private walk(): Wake {
    const { document } = this.flow;
    const { stay } = document;
    for (;;) {
      const undone = this.undo();
      if (undone) return undone;
      const goal = this.meetGoal();
      if (goal.ends) return this.end('goal');
      if (document.window?.leave && outsideOf(document, this.now, this.flow.zone) === 'after') {
        this.note('left', this.run.step, { saw: { window: 'after' } });
        return this.leave('left');
      }
      let stayUntil: Instant | null = document.window?.leave && document.window.to ? endOfDate(document.window.to, this.flow.zone) : null;
      stayUntil = sooner(stayUntil, goal.until);
      if (stay) {
        const answer = verdict(stay, this.facts, this.view());
        if (!answer.holds) {
          this.note('left', this.run.step, { saw: { rule: see(stay, this.facts, this.view()) } });
          return this.leave('left');
        }
        stayUntil = sooner(stayUntil, answer.until);
      }
      const step = this.run.step === null ? undefined : this.plan.steps.get(this.run.step);
      if (!step) return this.complete(null);
      const kind = kindOfStep(step);
      if (this.passBy(step)) continue;
      // a wait runs on during a pause; what comes after it stands still
      if (!this.flow.isOn && !kind.runsWhilePaused) return { at: stayUntil, on: this.plan.wakesInside };
      const went = kind.run(step, this.hereAt(step));
      switch (went.to) {
        case 'end':
          return this.complete(step);
        case 'wait':
          this.run = { ...this.run, waitFrom: this.run.waitFrom ?? this.stands, waitUntil: went.until };
          if (this.run.dropsDue) this.run = { ...this.run, dropsDue: false };
          // what came since it began is not at hand yet, where the worker is late
          if (went.looksBack || (went.isNew && this.run.waitFrom! < this.now)) return { at: this.now, on: this.plan.wakesInside };
          return {
            at: earliest([went.until, went.lookAt ?? null, stayUntil]),
            on: went.on ? [...new Set([...this.plan.wakesInside, ...went.on])].sort() : this.plan.wakesInside,
          };
        case 'next':
        case 'arm': {
          this.stands = went.stands ?? this.stands;
          const next = this.plan.after.get(step.id) ?? null;
          this.run = { ...this.run, step: went.to === 'arm' ? (went.arm.steps[0]?.id ?? next) : next, waitFrom: null, waitUntil: null };
        }
      }
    }
  }

  /** Passes by a step that acts once and has acted before the run was moved, on the path it took then. Returns whether it did. */
  private passBy(step: Step): boolean {
    const path = this.run.done?.[step.id];
    const kind = kindOfStep(step);
    if (path === undefined || !kind.actsOnce) return false;
    const arm = path === null ? undefined : kind.arms?.(step)[path];
    const next = this.plan.after.get(step.id) ?? null;
    this.run = { ...this.run, step: arm?.steps[0]?.id ?? next, waitFrom: null, waitUntil: null };
    return true;
  }

  private hereAt(step: Step): Here {
    // what a step does it sees itself
    const factsNow = () => this.facts;
    return {
      now: this.now,
      zone: this.flow.zone,
      get facts() {
        return factsNow();
      },
      view: this.view(),
      stands: this.stands,
      waitFrom: this.run.waitFrom,
      waitUntil: this.run.waitUntil,
      dropsDue: this.run.dropsDue === true,
      about: this.run.about,
      limits: this.flow.limits ?? null,
      offers: this.flow.offers ?? NO_OFFERS,
      tables: this.flow.tables ?? NO_TABLES,
      codesLeft: (offer) =>
        (this.flow.codesLeft?.get(offer) ?? Infinity) - this.effects.filter((one) => one.kind === 'code' && one.offer === offer).length,
      flow: this.flow.key,
      run: this.run.id,
      lot: (key) => lotOf({ flow: this.flow.key, personId: this.run.personId, stepId: step.id, key }),
      answer: (answer) => {
        this.run = { ...this.run, answers: { ...this.run.answers, [step.id]: answer } };
      },
      look: (rule: Rule): Seen => see(rule, this.facts, this.view()),
      note: (kind, more) => this.note(kind, step.id, more),
      do: (deed) => {
        this.carry(deed, step.id);
        this.stands = this.now;
      },
    };
  }

  /** Tells several events of one step from each other. */
  private partOf(deed: Deed, stepId: string): { part?: number } {
    if (deed.kind !== 'event') return {};
    const part = this.effects.filter((one) => one.kind === 'event' && one.stepId === stepId).length;
    return part ? { part } : {};
  }

  private complete(step: Step | null): Wake {
    this.note('completed', step?.id ?? null);
    return this.leave('completed');
  }

  /**
   * Takes the run out of the flow. Its goal can still be reached until its window closes, whether it completed or left early: people of
   * the control group are counted as long, and the two stand side by side.
   */
  private leave(outcome: 'completed' | 'left'): Wake {
    const { goal } = this.flow.document;
    this.run = { ...this.run, outcome, step: null, waitFrom: null, waitUntil: null };
    if (!goal || this.run.goalAt !== null) return this.end(outcome);
    this.tell(FLOW_LEFT, this.now, { outcome });
    this.run = { ...this.run, phase: 'watching', isDoubtful: false };
    return this.watch();
  }

  /** The steps are done; the goal can still be reached until its window closes. */
  private watch(): Wake {
    const { goal } = this.flow.document;
    if (!goal) return this.end('completed');
    const { ends, until } = this.meetGoal();
    if (ends || this.run.goalAt !== null) return this.end('completed');
    const deadline = addDuration(this.run.enteredAt!, goal.within, this.flow.zone);
    if (deadline <= this.now) return this.end('completed');
    return { at: sooner(deadline, until), on: this.plan.wakesWatching };
  }
}

/** Whether a moment is before the days on which somebody may enter a flow, or after them; null on one of them. */
export function outsideOf({ window }: Pick<FlowDocument, 'window'>, at: Instant, zone: string): 'before' | 'after' | null {
  if (window?.from && at < startOfDate(window.from, zone)!) return 'before';
  return window?.to && at >= endOfDate(window.to, zone) ? 'after' : null;
}
