import type { Instant } from '../time';
import type { Channel, Value } from '../rules';
import { MOST_ATTRIBUTES, OWN_ATTRIBUTES } from './attributes';

/** Attributes with the moment each was said, so that arrival order does not matter: the newest word wins. */
export interface Profile {
  readonly attributes: { readonly [name: string]: Value };
  readonly stamped: { readonly [name: string]: Instant };
}

export const EMPTY_PROFILE: Profile = { attributes: {}, stamped: {} };

/** True for a value that says something; empty texts and nulls never replace what is on file. */
export function saysSomething(value: Value | undefined): value is Value {
  return value !== undefined && value !== null && value !== '';
}

/**
 * Merges what was said at some moment into a profile. A later word wins over an earlier, whatever the order of
 * arrival; of two words of the same moment the one that sorts later as JSON wins, so the outcome does not depend
 * on order either. What was known already changes only since when: the attributes stay the same object.
 */
export function learn(profile: Profile, said: { readonly [name: string]: Value }, at: Instant): Profile {
  let attributes: Record<string, Value> | null = null;
  let stamped: Record<string, Instant> | null = null;
  for (const [name, value] of Object.entries(said)) {
    if (!saysSomething(value)) continue;
    if (!isLater(value, at, (attributes ?? profile.attributes)[name], (stamped ?? profile.stamped)[name])) continue;
    stamped ??= { ...profile.stamped };
    stamped[name] = at;
    if (isSame((attributes ?? profile.attributes)[name], value)) continue;
    attributes ??= { ...profile.attributes };
    attributes[name] = value;
  }
  return stamped ? { attributes: attributes ?? profile.attributes, stamped } : profile;
}

/** Whether a word is later than the one that is known. */
const isLater = (value: Value, at: Instant, known: Value | undefined, knownAt: Instant | undefined): boolean =>
  knownAt === undefined || knownAt < at || (knownAt === at && !(JSON.stringify(known) >= JSON.stringify(value)));

const isSame = (a: Value | undefined, b: Value): boolean =>
  Object.is(a, b) || (a !== null && typeof a === 'object' && JSON.stringify(a) === JSON.stringify(b));

/** Joins two profiles of what turns out to be one person: the newest word wins for each attribute, by the rules of {@link learn}. */
export function joinProfiles(a: Profile, b: Profile): Profile {
  const attributes: Record<string, Value> = { ...a.attributes };
  const stamped: Record<string, Instant> = { ...a.stamped };
  let isChanged = false;
  let count = Object.keys(attributes).length;
  // the newest first: of more than a person may have, the oldest are left
  const newest = Object.keys(b.attributes).sort((one, other) => (b.stamped[other] ?? 0) - (b.stamped[one] ?? 0));
  for (const name of newest) {
    const value = b.attributes[name]!;
    const at = b.stamped[name] ?? 0;
    if (!saysSomething(value) || !isLater(value, at, attributes[name], stamped[name])) continue;
    if (!Object.hasOwn(attributes, name)) {
      if (count >= MOST_ATTRIBUTES && !OWN_ATTRIBUTES.has(name)) continue;
      count += 1;
    }
    stamped[name] = at;
    attributes[name] = value;
    isChanged = true;
  }
  return isChanged ? { attributes, stamped } : a;
}

export interface ConsentState {
  readonly state: 'given' | 'withdrawn';
  readonly at: Instant;
}

/** The later word on consent wins; of two of the same moment, the stricter. */
export function laterConsent(a: ConsentState | null, b: ConsentState | null): ConsentState | null {
  if (!a) return b;
  if (!b) return a;
  if (a.at !== b.at) return a.at > b.at ? a : b;
  return a.state === 'withdrawn' ? a : b;
}

/** Joins the consent of two people that turn out to be one: the stricter of the two. */
export function stricterConsent(a: ConsentState | null, b: ConsentState | null): ConsentState | null {
  if (!a || !b) return a ?? b;
  if (a.state !== b.state) return a.state === 'withdrawn' ? a : b;
  return a.at >= b.at ? a : b;
}

/** By channel, the consents that become stricter when another person's join one's own. */
export function stricterConsents(
  own: ReadonlyMap<Channel, ConsentState>,
  theirs: ReadonlyMap<Channel, ConsentState>,
): Map<Channel, ConsentState> {
  const changed = new Map<Channel, ConsentState>();
  for (const [channel, state] of theirs) {
    const known = own.get(channel) ?? null;
    const joined = stricterConsent(known, state)!;
    if (joined !== known) changed.set(channel, joined);
  }
  return changed;
}

/** An email address in the form under which it identifies a person: trimmed, lower case. Null when it is none. */
export function normaliseEmail(text: string): string | null {
  const email = text.trim().toLowerCase();
  // RFC 5321 §4.5.3.1: 64 octets before the @, 254 in all; quoted local parts are not taken
  if (
    email.length > 254 ||
    !/^[a-z0-9.!#$%&'*+/=?^_`{|}~\u0080-\uffff-]{1,64}@[a-z0-9\u0080-\uffff](?:[a-z0-9\u0080-\uffff-]*[a-z0-9\u0080-\uffff])?(?:\.[a-z0-9\u0080-\uffff](?:[a-z0-9\u0080-\uffff-]*[a-z0-9\u0080-\uffff])?)+$/.test(
      email,
    )
  )
    return null;
  const local = email.slice(0, email.indexOf('@'));
  return local.startsWith('.') || local.endsWith('.') || local.includes('..') ? null : email;
}
