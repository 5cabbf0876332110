import type { Instant } from '../time';
import { CHANNEL_WORDS, type Channel } from './channel';
import type { Value } from './rule';


/** What stands between us and one channel of a person. */
export interface Reach {
  readonly hasAddress: boolean;
  /** what the person agreed to: given, withdrawn, or never asked */
  readonly state: 'given' | 'withdrawn' | 'unknown';
  /** why the address must never be written to, or null */
  readonly suppressed: string | null;
  /** until when the person has asked for no marketing, or null */
  readonly pausedUntil: Instant | null;
}

/** Something that happened, as rules see it. `id` is ours and orders events of the same moment. */
export interface FactEvent extends Happening {
  readonly id: string;
}

/** What an event tells, whether or not it is on file yet. */
export interface Happening {
  readonly type: string;
  readonly time: Instant;
  readonly properties: { readonly [name: string]: Value };
}

/** What is known of one person at one moment. Events are ascending by time, then id. */
export interface Facts {
  readonly personId: string;
  readonly attributes: { readonly [name: string]: Value };
  readonly reach: { readonly [channel in Channel]: Reach };
  readonly events: readonly FactEvent[];
  /** keys of the lists the person is on */
  readonly lists: readonly string[];
  readonly tags: readonly string[];
  /** topics the person does not want to read about */
  readonly declined: readonly string[];
}

/** Facts of somebody, with what is left out as of one of whom nothing more is known. */
export function factsOf(personId: string, known: Partial<Omit<Facts, 'reach'>> & { reach?: Partial<Facts['reach']> } = {}): Facts {
  return { personId, attributes: {}, events: [], lists: [], tags: [], declined: [], ...known, reach: { email: NO_REACH, sms: NO_REACH, push: NO_REACH, ...known.reach } };
}

/** The moment and place from which a rule is looked at. */
export interface Viewpoint {
  readonly now: Instant;
  readonly zone: string;
  /** when the person entered the flow; absent outside of flows */
  readonly enteredAt?: Instant;
  /** the event that started the run; absent outside of flows */
  readonly trigger?: FactEvent;
}

/** Reach of somebody of whom nothing is known. */
export const NO_REACH: Reach = { hasAddress: false, state: 'unknown', suppressed: null, pausedUntil: null };

/** Why a marketing message cannot go out on the channel at this moment, in words, or null when it can. */
export function unreachableBecause(reach: Reach, now: Instant, channel: Channel = 'email'): string | null {
  const words = CHANNEL_WORDS[channel];
  if (!reach.hasAddress) return `no ${words.address} on file`;
  if (reach.suppressed) return `address is suppressed (${reach.suppressed})`;
  if (reach.state === 'withdrawn') return `consent to ${words.noun} was withdrawn`;
  if (reach.state === 'unknown') return `no consent to ${words.noun} on file`;
  if (reach.pausedUntil !== null && reach.pausedUntil > now) return 'asked for a pause that still lasts';
  return null;
}

/** The value at a dotted path of an object, or undefined. */
export function valueAt(object: { readonly [name: string]: Value }, path: string): Value | undefined {
  if (Object.hasOwn(object, path)) return object[path];
  let value: Value | undefined = object;
  for (const part of path.split('.')) {
    if (value === null || typeof value !== 'object' || Array.isArray(value)) return undefined;
    const record = value as { readonly [name: string]: Value };
    value = Object.hasOwn(record, part) ? record[part] : undefined;
  }
  return value;
}
