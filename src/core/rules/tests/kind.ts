import type { Instant } from '../../time';
import type { Facts, Viewpoint } from '../facts';
import type { Seen, Verdict } from '../look';
import type { Need } from '../needs';
import type { Test } from '.';
import type { Wording } from '../sentence';

/** The verdict of a test, and what it saw: plain data of the test's own form. */
export interface LookedAt extends Verdict {
  readonly saw?: unknown;
}

/** What there is to know of a kind of test. A new kind is a new file, its line in the index, and its line in SQL (`data/rules`). */
export interface TestKind<T extends Test> {
  look(test: T, facts: Facts, view: Viewpoint): LookedAt;
  /** what it looks at: nothing where the run itself carries it */
  needs(test: T): readonly Need[];
  /** whether time alone can change its answer; never where it is left out */
  turns?(test: T): boolean;
  /** whether it asks for what is only known inside a flow; never where it is left out */
  isForFlows?(test: T): boolean;
  /** the test as a part of a sentence: "has placed an order in the last 30 days" */
  says(test: T, wording: Wording): string;
  /** what was seen, at the moment `at` */
  saySaw(test: T, seen: Seen, wording: Wording, at: Instant): string;
}
