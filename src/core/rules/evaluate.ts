import { sayElapsed, type Instant } from '../time';
import { CHANNEL_WORDS } from './channel';
import { sayBarrier, type Barrier, type Facts, type Viewpoint } from './facts';
import { look, type Seen, type SeenEvents, type Verdict } from './look';
import { partsOf, type Rule, type Test, type Value } from './rule';
import { sayName, sayRule, sayTriggerProperty, sayValue, type Wording } from './sentence';

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
  return { holds: seen.holds, says, saw: saySeen(rule as Test, seen, wording, at) };
}

function saySeen(test: Test, { holds, saw }: Seen, wording: Wording, at: Instant): string {
  switch (test.test) {
    case 'attribute':
      return `${sayName(test.name)} was ${sayValue(saw as Value | undefined)}`;
    case 'trigger':
      return `${sayTriggerProperty(test.property, wording)} was ${sayValue(saw as Value | undefined, test.property === 'value' ? wording.currency : undefined)}`;
    case 'consent':
      return saw ? sayBarrier(saw as Barrier, test.channel) : `has an address and agreed to ${CHANNEL_WORDS[test.channel].noun}`;
    case 'list':
      return holds === test.member ? `is on the list ${test.list}` : `is not on the list ${test.list}`;
    case 'tag':
      return holds === test.has ? `has the tag ${test.tag}` : `has no tag ${test.tag}`;
    case 'did':
    case 'didNot': {
      const { times, last } = saw as SeenEvents;
      if (last === null) return 'it did not happen';
      const asked = test.times ?? 1;
      const often = times === 1 ? (asked === 1 ? '' : ' once') : times < asked ? ` ${times} times` : ` at least ${times} times`;
      return `it happened${often}, last ${sayElapsed(at - last)} before`;
    }
  }
}
