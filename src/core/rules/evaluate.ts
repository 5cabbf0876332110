import type { Instant } from '../time';
import type { Facts, Viewpoint } from './facts';
import { look, type Seen, type Verdict } from './look';
import { partsOf, type Rule } from './rule';
import { sayRule, type Wording } from './sentence';
import { kindOfTest, type Test } from './tests';

/** The explanation of an answer: what the rule says, whether it holds, what was seen, and the same of its parts. */
export interface Because {
  readonly holds: boolean;
  readonly says: string;
  readonly saw?: string;
  readonly parts?: readonly Because[];
}

export interface Answer extends Verdict {
  readonly because: Because;
}

/** Looks at a rule with what is known of one person, and says whether it holds, until when at least, and why. */
export function evaluate(rule: Rule, facts: Facts, view: Viewpoint, wording: Wording = {}): Answer {
  const { holds, until, seen } = look(rule, facts, view);
  return { holds, until, because: explain(rule, seen, wording, view.now) };
}

/** Puts into words what was seen when a rule was looked at, at the moment `at`. */
export function explain(rule: Rule, seen: Seen, wording: Wording, at: Instant): Because {
  const parts = partsOf(rule);
  const says = sayRule(rule, wording);
  if (parts)
    return {
      holds: seen.holds,
      says,
      parts: parts.flatMap((part, index) => (seen.parts?.[index] ? explain(part, seen.parts[index], wording, at) : [])),
    };
  return { holds: seen.holds, says, saw: kindOfTest(rule as Test).saySaw(rule as Test, seen, wording, at) };
}
