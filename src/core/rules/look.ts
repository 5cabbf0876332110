import { sooner, type Instant } from '../time';
import type { Facts, Viewpoint } from './facts';
import { partsOf, type Rule } from './rule';
import { kindOfTest, type Test } from './tests';

/** The answer to a rule. */
export interface Verdict {
  readonly holds: boolean;
  /** the first moment after now at which the answer could change without any new fact, or null when it cannot */
  readonly until: Instant | null;
}

/**
 * What was seen while a rule was looked at: plain data, from which {@link explain} makes the words. A test saw the value
 * of an attribute or property, a barrier of consent, or `{times, last}` of an event; a group saw its parts.
 */
export interface Seen {
  readonly holds: boolean;
  readonly saw?: unknown;
  readonly parts?: readonly Seen[];
}

export interface Looked extends Verdict {
  readonly seen: Seen;
}

/** Looks at a rule with what is known of one person and says whether it holds, and until when at least. */
export function verdict(rule: Rule, facts: Facts, view: Viewpoint): Verdict {
  const parts = partsOf(rule);
  if (!parts) return kindOfTest(rule as Test).look(rule as Test, facts, view);
  // one part that decides is enough, and the answer stands as long as that part does
  const decides = !('all' in rule);
  let until: Instant | null = null;
  for (const part of parts) {
    const answer = verdict(part, facts, view);
    if (answer.holds === decides) return { holds: 'any' in rule, until: answer.until };
    until = sooner(until, answer.until);
  }
  return { holds: !('any' in rule), until };
}

/** Both: the verdict, and what was seen of all parts. */
export function look(rule: Rule, facts: Facts, view: Viewpoint): Looked {
  const { holds, until } = verdict(rule, facts, view);
  return { holds, until, seen: see(rule, facts, view) };
}

/** Looks at all parts of a rule and keeps what was seen: whether it holds, and why. */
export function see(rule: Rule, facts: Facts, view: Viewpoint): Seen {
  const parts = partsOf(rule);
  if (!parts) {
    const { holds, saw } = kindOfTest(rule as Test).look(rule as Test, facts, view);
    return saw === undefined ? { holds } : { holds, saw };
  }
  const seen = parts.map((part) => see(part, facts, view));
  const holds =
    'all' in rule ? seen.every((one) => one.holds) : 'any' in rule ? seen.some((one) => one.holds) : !seen.some((one) => one.holds);
  return { holds, parts: seen };
}
