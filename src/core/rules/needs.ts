import type { Channel } from './channel';
import type { WhereTest } from './compare';
import { partsOf, type Rule } from './rule';
import { kindOfTest, type Test } from './tests';
import { outermost } from './value';
import type { Hours, Since } from './when';

/**
 * What a rule looks at: of which kind, under what name, how far back and how much of it. So just that is loaded, and just
 * that wakes a run which waits on it.
 */
export type Need =
  /** what is on file; `changes` where it matters how it has changed, too */
  | { readonly kind: 'attribute'; readonly name: string; readonly changes?: true }
  | { readonly kind: 'reach'; readonly channel: Channel }
  | { readonly kind: 'topic' | 'list' | 'tag' | 'segment'; readonly name: string }
  /** where somebody lives, by attributes of theirs */
  | { readonly kind: 'place'; readonly name: string }
  | EventNeed;

/**
 * The newest `times` events of a type that match, of those since a moment; the oldest, where it is said so, or what counts is
 * how long ago they are.
 */
export interface EventNeed {
  readonly kind: 'event';
  readonly name: string;
  readonly where: readonly WhereTest[];
  readonly since: Since;
  readonly times: number;
  readonly order?: 'oldest';
  /** those too that are stamped ahead of the clock */
  readonly ahead?: true;
  readonly hours?: Hours;
  /** properties that are looked at beside those of `where` */
  readonly also?: readonly string[];
}

/** Computes what rules depend on, taken together; what several of them look at stands once. */
export function dependsOn(rules: readonly (Rule | null | undefined)[]): Need[] {
  const needs = new Map<string, Need>();
  const visit = (rule: Rule): void => {
    const parts = partsOf(rule);
    if (parts) return parts.forEach(visit);
    for (const need of kindOfTest(rule as Test).needs(rule as Test)) needs.set(JSON.stringify(need), need);
  };
  for (const rule of rules) if (rule) visit(rule);
  return [...needs.values()];
}

/** The names of the properties that tests look at, and of others by their paths, of the outermost level: what has to be loaded of an event. */
export function namesIn(where: readonly WhereTest[], also: readonly string[] = []): string[] {
  const paths = [...where.map(({ property }) => property), ...also];
  return [...new Set(paths.flatMap((path) => [path, outermost(path)]))].sort();
}

/**
 * The signal of a change, by which whoever waits for it is woken: an event type, or the kind and name of a fact.
 * An attribute may be asked for by a path into it, so it is known by its outermost name.
 */
export function signalOf(kind: Need['kind'], name: string): string {
  if (kind === 'event') return name;
  return kind === 'attribute' || kind === 'place' ? `attribute/${outermost(name)}` : `${kind}/${name}`;
}

/** The signals at which the answers of rules can change. */
export function wakesOn(rules: readonly (Rule | null | undefined)[]): string[] {
  return [...new Set(dependsOn(rules).map((need) => signalOf(need.kind, need.kind === 'reach' ? need.channel : need.name)))].sort();
}

/** Our own events for joining and leaving a list. */
export const LIST_EVENTS = ['list.joined', 'list.left'] as const;
