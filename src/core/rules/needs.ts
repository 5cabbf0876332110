import type { Channel } from './channel';
import type { WhereTest } from './compare';
import { partsOf, type Rule } from './rule';
import { kindOfTest, type Test } from './tests';
import type { Hours, Since } from './when';

/**
 * What a rule looks at: of which kind, under what name, how far back and how much of it. So just that is loaded, and just
 * that wakes a run which waits on it.
 */
export type Need =
  | { readonly kind: 'attribute'; readonly name: string }
  | { readonly kind: 'reach'; readonly channel: Channel }
  | { readonly kind: 'list'; readonly name: string }
  | { readonly kind: 'tag'; readonly name: string }
  | { readonly kind: 'segment'; readonly name: string }
  | EventNeed;

/** The newest `times` events of a type that match, of those since a moment; the oldest, where what counts is how long ago they are. */
export interface EventNeed {
  readonly kind: 'event';
  readonly name: string;
  readonly where: readonly WhereTest[];
  readonly since: Since;
  readonly times: number;
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
    const need = kindOfTest(rule as Test).need(rule as Test);
    if (need) needs.set(JSON.stringify(need), need);
  };
  for (const rule of rules) if (rule) visit(rule);
  return [...needs.values()];
}

/** The names of the properties that tests look at, and of others by their paths, of the outermost level: what has to be loaded of an event. */
export function namesIn(where: readonly WhereTest[], also: readonly string[] = []): string[] {
  const paths = [...where.map(({ property }) => property), ...also];
  return [...new Set(paths.flatMap((path) => [path, path.split('.')[0]!]))].sort();
}

/**
 * The signal of a change, by which whoever waits for it is woken: an event type, or the kind and name of a fact.
 * An attribute may be asked for by a path into it, so it is known by its outermost name.
 */
export function signalOf(kind: 'event' | 'attribute' | 'reach' | 'list' | 'tag' | 'segment', name: string): string {
  return kind === 'event' ? name : kind === 'attribute' ? `attribute/${name.split('.')[0]}` : `${kind}/${name}`;
}

/** The signals at which the answers of rules can change. */
export function wakesOn(rules: readonly (Rule | null | undefined)[]): string[] {
  return [...new Set(dependsOn(rules).map((need) => signalOf(need.kind, need.kind === 'reach' ? need.channel : need.name)))].sort();
}

/** Our own events for joining and leaving a list. */
export const LIST_EVENTS = ['list.joined', 'list.left'] as const;
