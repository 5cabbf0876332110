import type { Instant } from '../time';
import { CHANNEL_WORDS, type Channel } from './channel';
import type { Point } from '../places';
import type { Value } from './value';
import type { World } from './world';

/** What stands between us and one channel of a person. */
/** A word on consent: when it was said, how, and where. */
export interface Said {
  readonly at: Instant;
  readonly how: string | null;
  readonly place: string | null;
}

export interface Reach {
  readonly hasAddress: boolean;
  /** what the person agreed to: given, withdrawn, or never asked */
  readonly state: 'given' | 'withdrawn' | 'unknown';
  /** what was last said of it, and what that rests on; null where nothing was, left out where it is not asked */
  readonly said?: Said | null;
  /** why the address must never be written to, or null */
  readonly suppressed: string | null;
  /** until when the person has asked for no marketing, or null */
  readonly pausedUntil: Instant | null;
}

/** The attribute that holds the address of a channel. */
export const ADDRESS_ATTRIBUTE: { readonly [channel in Channel]: string } = { email: 'email', sms: 'phone', push: 'pushToken' };

/** The address of a person on a channel, or null. */
export function addressOf(channel: Channel, attributes: { readonly [name: string]: Value }): string | null {
  const address = attributes[ADDRESS_ATTRIBUTE[channel]];
  return typeof address === 'string' && address !== '' ? address : null;
}

/** Something that happened, as rules see it. `id` is ours and orders events of the same moment. */
export interface FactEvent extends Happening {
  readonly id: string;
}

/** Orders ids of ours, which are whole numbers written as text: 999 comes before 1000. */
export function compareIds(a: string, b: string): number {
  return a.length - b.length || (a < b ? -1 : a > b ? 1 : 0);
}

/** Orders events by their moment, and those of the same moment by their id. */
export function inOrder(a: { readonly time: Instant; readonly id: string }, b: { readonly time: Instant; readonly id: string }): number {
  return a.time - b.time || compareIds(a.id, b.id);
}

/** What an event tells, whether or not it is on file yet. */
export interface Happening {
  readonly type: string;
  readonly time: Instant;
  readonly properties: { readonly [name: string]: Value };
}

/** One change of an attribute; null stands for nothing. */
export interface AttributeChange {
  readonly name: string;
  readonly was: Value;
  readonly is: Value;
  readonly at: Instant;
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
  /** keys of the segments the person is in */
  readonly segments: readonly string[];
  /** since when they have been on lists and in segments and have had tags, by `list/key`, `segment/key`, `tag/name` */
  readonly since: { readonly [membership: string]: Instant };
  /** how attributes that rules ask for have changed, ascending */
  readonly changes: readonly AttributeChange[];
  /** where the postcodes lie that they have or had, by {@link placeKey} */
  readonly places: { readonly [key: string]: Point };
  /** offers of which somebody has had a code who shares an address or a phone number with them; where it was looked up */
  readonly sharers?: readonly string[];
  /** topics the person does not want to read about */
  readonly declined: readonly string[];
}

/** Facts of somebody, with what is left out as of one of whom nothing more is known. */
export function factsOf(personId: string, known: Partial<Omit<Facts, 'reach'>> & { reach?: Partial<Facts['reach']> } = {}): Facts {
  return {
    personId,
    attributes: {},
    events: [],
    lists: [],
    tags: [],
    segments: [],
    since: {},
    changes: [],
    places: {},
    declined: [],
    ...known,
    reach: { email: NO_REACH, sms: NO_REACH, push: NO_REACH, ...known.reach },
  };
}

/** The moment and place from which a rule is looked at. */
export interface Viewpoint {
  readonly now: Instant;
  readonly zone: string;
  /** what is looked up that is about nobody; a world of which nothing is known where it is left out */
  readonly world?: World;
  /** when the person entered the flow; absent outside of flows */
  readonly enteredAt?: Instant;
  /** what the run is about: the event that started it, where it was one, and its data; absent outside of flows */
  readonly about?: { readonly at?: Instant | null; readonly eventId: string | null; readonly data: { readonly [name: string]: Value } };
  /** what the steps of the run were answered; absent outside of flows */
  readonly answers?: Answers;
}

/** What came in answer to steps of a flow, by step: when, and with what. */
export type Answers = { readonly [stepId: string]: { readonly at: Instant; readonly data: { readonly [name: string]: Value } } };

/** The facts with one more event, in its place. */
export function withEvent(facts: Facts, event: FactEvent): Facts {
  const after = facts.events.findIndex((one) => inOrder(event, one) < 0);
  const events = [...facts.events];
  events.splice(after < 0 ? events.length : after, 0, event);
  return { ...facts, events };
}

/** Reach of somebody of whom nothing is known. */
export const NO_REACH: Reach = { hasAddress: false, state: 'unknown', suppressed: null, pausedUntil: null };

/** What stands between us and a channel of a person: data, said by {@link sayBarrier}. */
export type Barrier =
  { readonly kind: 'no-address' | 'withdrawn' | 'not-asked' | 'paused' } | { readonly kind: 'suppressed'; readonly reason: string };

/** What keeps a marketing message from going out on a channel at this moment, or null when nothing does. */
export function barrierOf(reach: Reach, now: Instant): Barrier | null {
  if (!reach.hasAddress) return { kind: 'no-address' };
  if (reach.suppressed) return { kind: 'suppressed', reason: reach.suppressed };
  if (reach.state === 'withdrawn') return { kind: 'withdrawn' };
  if (reach.state === 'unknown') return { kind: 'not-asked' };
  if (reach.pausedUntil !== null && reach.pausedUntil > now) return { kind: 'paused' };
  return null;
}

/** Says a barrier: "consent to email was withdrawn". */
export function sayBarrier(barrier: Barrier, channel: Channel = 'email'): string {
  const words = CHANNEL_WORDS[channel];
  switch (barrier.kind) {
    case 'no-address':
      return `no ${words.address} on file`;
    case 'suppressed':
      return `address is suppressed (${barrier.reason})`;
    case 'withdrawn':
      return `consent to ${words.noun} was withdrawn`;
    case 'not-asked':
      return `no consent to ${words.noun} on file`;
    case 'paused':
      return 'asked for a pause that still lasts';
  }
}

/** The same in two words, for a table. */
export const BARRIER_WORDS: { readonly [kind in Barrier['kind']]: string } = {
  'no-address': 'no address',
  'not-asked': 'no consent',
  withdrawn: 'withdrawn',
  suppressed: 'suppressed',
  paused: 'paused',
};

/** Why a marketing message cannot go out on the channel at this moment, in words, or null when it can. */
export function unreachableBecause(reach: Reach, now: Instant, channel: Channel = 'email'): string | null {
  const barrier = barrierOf(reach, now);
  return barrier && sayBarrier(barrier, channel);
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
