import type { Obstacle } from '../messages';
import type { Limited } from '../limits';
import type { Guarded } from '../offers';
import type { Answers, Channel, FactChange, Seen, Value } from '../rules';
import type { Instant } from '../time';

/**
 * Where a run stands.
 * `armed`: the trigger has begun but not come about (a silence that still lasts). `inside`: entered, at a step.
 * `watching`: out of the flow (completed, left early, or in the control group), the goal can still be reached.
 * `ended`: nothing more will happen.
 */
export type Phase = 'armed' | 'inside' | 'watching' | 'ended';

/**
 * How a run came to its end. `not-entered` never was inside; `goal` was ended by its goal; `undone` was inside until it
 * turned out that its trigger had never come about: when nothing had gone out, it counts as one that never entered; `control`
 * was drawn to get nothing, so that those who get something can be held against it.
 */
export type Outcome = 'completed' | 'goal' | 'left' | 'not-entered' | 'undone' | 'control';

/** Stands for the trigger of a run that was called directly: somebody was put into a flow by hand or through the API. */
export const CALLED = 'called';
/** Stands for the trigger of a run that another flow has handed over to this one. */
export const HANDED = 'handed';
/** The event of a direct call. */
export const FLOW_CALLED = 'flow.called';

/** What a run is about: which trigger began it, for which cart, order or other thing, and what came with it. */
export interface About {
  /** the trigger's id in the flow, or {@link CALLED} */
  readonly trigger: string;
  /** the cart, order or other thing, from the trigger's key; empty when there is none */
  readonly key: string;
  /** when what started the run happened; null while it is armed by a trigger */
  readonly at: Instant | null;
  /** the event that started it, where it was one */
  readonly eventId: string | null;
  /** what came with it: the properties of that event */
  readonly data: { readonly [name: string]: Value };
}

/** One person's passage through one flow. Plain data: stored as it is, changed only by advance. */
export interface Run {
  readonly id: string;
  readonly personId: string;
  readonly about: About;
  readonly phase: Phase;
  readonly enteredAt: Instant | null;
  /** the step to do next; null before entry and after the last */
  readonly step: string | null;
  /** when the wait at `step` began, and when it is over, once it has begun */
  readonly waitFrom: Instant | null;
  readonly waitUntil: Instant | null;
  readonly goalAt: Instant | null;
  readonly outcome: Outcome | null;
  /** what its steps were answered, by step */
  readonly answers: Answers;
  /** how much it has done to the world so far */
  readonly effects: number;
  /** counts visits from 1: each move begins a new one, and what steps do in it is new */
  readonly visit: number;
  /** steps done before the run was moved to its version, which it passes by: each with the index of the path it took, null without paths */
  readonly done?: { readonly [step: string]: number | null };
  /** what fell due while the flow was paused is let pass: no message and no code up to the next wait */
  readonly dropsDue?: boolean;
  /** something has become known since it entered that could show that its trigger had not come about: it is judged again */
  readonly isDoubtful: boolean;
  /** number of trace entries so far: the next entry's number */
  readonly seq: number;
}

/** A new run whose trigger has begun. */
export function armedRun(id: string, personId: string, about: Pick<About, 'trigger' | 'key'> & Partial<About>): Run {
  return {
    id,
    personId,
    about: { at: null, eventId: null, data: {}, ...about },
    phase: 'armed',
    enteredAt: null,
    step: null,
    waitFrom: null,
    waitUntil: null,
    goalAt: null,
    outcome: null,
    answers: {},
    effects: 0,
    visit: 1,
    isDoubtful: false,
    seq: 0,
  };
}

/** What was waited for, and came. */
export type Answer = Answers[string];

/** What a step does to the world: lets a message go out, records an event of the person, changes what is on file about them, or asks. */
export type Deed =
  /** `content` names the form of the message, where it is not that for everyone else */
  | {
      readonly kind: 'send';
      readonly marketing: boolean;
      readonly channel: Channel;
      readonly content?: string;
      /** which conditions of its message hold at this moment */
      readonly holds?: readonly string[];
    }
  | { readonly kind: 'event'; readonly type: string; readonly properties: { readonly [name: string]: Value } }
  | { readonly kind: 'change'; readonly change: FactChange }
  /** asks somebody outside: a server, or a colleague. The answer comes as an event that bears `about` */
  | ({ readonly kind: 'call' } & Asked)
  | ({ readonly kind: 'task' } & Asked)
  /** tells a colleague, and waits for nothing */
  | ({ readonly kind: 'note' } & Asked)
  /** changes what is on file about the others who have the same value of an attribute */
  | ({ readonly kind: 'others' } & Asked)
  /** issues a code; its letters are drawn as it is stored */
  | {
      readonly kind: 'code';
      readonly offer: string;
      readonly expiresAt: Instant | null;
      readonly flow: string;
      readonly hops: number;
    };

/** What of a deed is carried out by asking outside, or by others: by a row of its own, once. */
export type AskKind = 'call' | 'task' | 'note' | 'others';

interface Asked {
  readonly within: string;
  readonly about: { readonly flow: string; readonly step: string; readonly about: string };
}

/** Why no code was issued: the offer is not there, over or spent, it is not for them, or its guard keeps it from them. */
export type Withheld =
  | { readonly why: 'gone' | 'over' | 'spent' | 'shared' | 'hops' | 'dropped' | 'lot' }
  | { readonly why: 'who' | Guarded; readonly seen: Seen };

/** What is told of a code as it is issued, but for its letters. */
export const codeTold = ({ offer, expiresAt, flow, hops }: Omit<Extract<Deed, { kind: 'code' }>, 'kind'>, step: string) => ({
  offer,
  ...(expiresAt !== null && { expires: new Date(expiresAt).toISOString() }),
  flow,
  step,
  byFlow: flow,
  hops,
});

/** How the cause of a change of what is on file begins that a flow has made: its key follows. */
export const UPDATED_BY = 'flow ';

/** What an update has changed. */
export interface Updated {
  readonly kind: 'attribute' | 'tag' | 'list';
  readonly name: string;
  readonly was: Value;
  readonly is: Value;
}

/** What a run did to the world: carried out once, with or after the run's new state. What it leads to comes back as an event. */
export type Effect = Deed & {
  readonly stepId: string;
  /** the visit of the run that caused it: with run and step, what makes the effect unique */
  readonly visit: number;
  /** which of several events of the same step, from 1 on */
  readonly part?: number;
};

/** Whether an effect is carried out by asking somebody outside, or of other people. */
export const isAsk = (effect: Effect): effect is Extract<Effect, { kind: AskKind }> =>
  effect.kind === 'call' || effect.kind === 'task' || effect.kind === 'note' || effect.kind === 'others';

/** An event that the engine tells of a run itself: its type stands for the step in its name. */
export interface Told {
  readonly type: string;
  readonly at: Instant;
  readonly properties: { readonly [name: string]: Value };
  readonly stepId: string;
  readonly visit: number;
}

/** The name of an effect, which nothing else has: of a run, a step and how often the run has been there. */
export const effectName = (runId: string, { stepId, visit, part }: Pick<Effect, 'stepId' | 'visit' | 'part'>): string =>
  `${RECORDED}${runId}/${stepId}/${visit}${part ? `/${part}` : ''}`;

/** How the ids of events begin that flows have recorded. */
export const RECORDED = 'run/';

export type TraceKind =
  | 'not-entered'
  | 'queued'
  | 'entered'
  | 'waiting'
  | 'asked'
  | 'answered'
  | 'unanswered'
  | 'decided'
  | 'drawn'
  | 'sending'
  | 'recorded'
  | 'updated'
  | 'handed'
  | 'issued'
  | 'found'
  | 'not-found'
  | 'told'
  | 'withheld'
  | 'skipped'
  | 'held'
  | 'control'
  | 'moved'
  | 'goal'
  | 'left'
  | 'undone'
  | 'completed';

/** One thing that a run decided, as data. The words are made when somebody reads it, by {@link sayTrace}. */
export interface TraceEntry {
  readonly seq: number;
  readonly at: Instant;
  readonly stepId: string | null;
  readonly kind: TraceKind;
  /** the arm taken, for `decided` and `drawn` */
  readonly armId?: string;
  /** what was looked at, in a form of its own for each kind; see {@link Saw} */
  readonly saw?: Saw;
}

/** Why a trigger has not come about. */
export type TriggerOff =
  | { readonly why: 'no-event' | 'no-match' | 'gone' }
  /** `hasKey` tells whether what ended it named the very cart or order */
  | { readonly why: 'ended'; readonly by: string; readonly hasKey: boolean }
  /** it has begun again since: not before then */
  | { readonly why: 'goes-on'; readonly until: Instant };

/** Why somebody may not start again. */
export type Again = 'once' | 'once-per-key' | 'inside' | 'too-soon';

/** What was looked at by a decision. */
export type Saw =
  /** `not-entered`, `undone`: the trigger */
  | { readonly trigger: TriggerOff }
  /** `not-entered`: the flow was not on, or re-entry */
  | { readonly off: true }
  | { readonly again: Again }
  /** `queued`, `not-entered`: so many had entered on that day, and no more do; up to when it waits for a place */
  | { readonly full: number; readonly until?: Instant }
  /** `not-entered`: the entry rule; `left`: the stay rule */
  | { readonly rule: Seen }
  /** `decided`: the arms that were looked at, in order */
  | { readonly arms: readonly Seen[] }
  /** `sending`: which form of the message, null for that for everyone else, and what was looked at */
  | { readonly form: string | null; readonly looked: readonly Seen[] }
  /** `sending`: the conditions that the message asks for, and what was looked at for each */
  | {
      readonly shown: readonly { readonly id: string; readonly seen: Seen }[];
      readonly form?: string | null;
      readonly looked?: readonly Seen[];
    }
  /** `skipped`: what stood in the way */
  | { readonly obstacle: Obstacle }
  /** `skipped`: what is recorded has led from flow to flow too often */
  | { readonly hops: number }
  /** `held`: by which limit, and until when; `skipped`: by which */
  | { readonly limited: Limited; readonly until?: Instant }
  /** `not-entered`: before the first day of the flow, or after its last; `left`: after it */
  | { readonly window: 'before' | 'after' }
  /** `skipped`: a step that is only a sentence yet */
  | { readonly idea: true }
  /** `waiting`: there is no day on file to wait for */
  | { readonly noDay: string }
  /** `updated`: what has changed */
  | { readonly updated: readonly Updated[] }
  /** `moved`: to which version */
  | { readonly version: number }
  /** `found`, `not-found`: in which table, and by which key; null where there was none to look by */
  | { readonly table: string; readonly sought: string | null }
  /** `updated`: of which others, too: all with this value of an attribute */
  | { readonly updated: readonly Updated[]; readonly others: { readonly by: string; readonly value: string } }
  /** `handed`: to which flow */
  | { readonly flow: string }
  /** `issued`: of which offer, and up to when it counts */
  | { readonly offer: string; readonly expires: Instant | null }
  /** `withheld`: why no code was issued */
  | { readonly withheld: Withheld; readonly of: string }
  /** `skipped`: the code that the message is about is over */
  | { readonly codeOver: Instant }
  /** `skipped`: it fell due while the flow was paused, and is let pass */
  | { readonly dropped: true }
  /** `unanswered`: why what was asked for did not come */
  | { readonly failed: string }
  /** `drawn`: not by lot, but the arm that a trial on others has shown to do best */
  | { readonly won: string }
  /** `waiting`: for what a trial on others will show */
  | { readonly trial: true }
  /** `waiting`: for the hour of the day at which they mostly open; null where too few openings tell of one */
  | { readonly hour: number | null }
  /** `answered`: when that happened which was waited for */
  | { readonly came: Instant }
  /** `left`: somebody took the person out, or another run for the same goes on */
  | { readonly by: string }
  | { readonly merged: true };

/** What a run waits for: a moment, and signals (event types and facts) that could change its mind before. */
export interface Wake {
  readonly at: Instant | null;
  readonly on: readonly string[];
}

/** A trigger that has begun: a run to be armed, and the first moment at which it could have come about. */
export interface Beginning {
  readonly trigger: string;
  readonly key: string;
  readonly at: Instant;
}

/** What steps of a run were answered, as placeholders name it. */
export const answeredOf = (answers: Run['answers'] | null): { [step: string]: { readonly [name: string]: Value } } =>
  Object.fromEntries(Object.entries(answers ?? {}).map(([step, { data }]) => [step, data]));
