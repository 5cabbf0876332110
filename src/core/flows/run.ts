import type { Instant } from '../time';
import type { Because } from '../rules';

/**
 * Where a run stands.
 * `armed`: the trigger has begun but not come about (a silence that still lasts). `inside`: entered, at a step.
 * `watching`: through with the steps, the goal can still be reached. `ended`: nothing more will happen.
 */
export type Phase = 'armed' | 'inside' | 'watching' | 'ended';

/** How a run came to its end. `not-entered` never was inside; `goal` was ended by its goal. */
export type Outcome = 'completed' | 'goal' | 'left' | 'not-entered';

/** One person's passage through one flow. Plain data: stored as it is, changed only by advance. */
export interface Run {
  readonly id: string;
  readonly personId: string;
  /** the cart, order or other thing the run is about, from the trigger's key; empty when there is none */
  readonly key: string;
  readonly phase: Phase;
  readonly enteredAt: Instant | null;
  /** id of the event that started the run; an armed run that has one was called directly */
  readonly triggerId: string | null;
  /** the step to do next; null before entry and after the last */
  readonly step: string | null;
  /** when the wait at `step` is over, once it has begun */
  readonly waitUntil: Instant | null;
  readonly goalAt: Instant | null;
  readonly outcome: Outcome | null;
  /** number of trace entries so far: the next entry's number */
  readonly seq: number;
}

/** A new run whose trigger has begun. */
export function armedRun(id: string, personId: string, key: string): Run {
  return { id, personId, key, phase: 'armed', enteredAt: null, triggerId: null, step: null, waitUntil: null, goalAt: null, outcome: null, seq: 0 };
}

/** What a run did to the world: carried out once, after the run's new state is stored. */
export interface Effect {
  readonly kind: 'send';
  readonly stepId: string;
  /** how often the run has been at this step: with run and step, what makes the effect unique */
  readonly visit: number;
  readonly triggerId: string;
}

export interface TraceEntry {
  readonly seq: number;
  readonly at: Instant;
  readonly stepId: string | null;
  readonly kind: 'armed' | 'not-entered' | 'entered' | 'waiting' | 'decided' | 'sending' | 'skipped' | 'goal' | 'left' | 'completed';
  /** in words, for people */
  readonly says: string;
  readonly because?: Because;
  /** the arm taken, for `decided` */
  readonly armId?: string;
}

/** What a run waits for: a moment, and event types that could change its mind before. */
export interface Wake {
  readonly at: Instant | null;
  readonly on: readonly string[];
}
