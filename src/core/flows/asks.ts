import type { Hours, WhereTest } from '../rules';
import type { Instant } from '../time';

/** Some events of a person that a decision looks at: so many of the newest (or oldest) of a type that match. */
export interface EventAsk {
  readonly type: string;
  /** those that bear this key under this name; with null as value, those that bear none */
  readonly key: { readonly name: string; readonly value: string | null } | null;
  readonly where: readonly WhereTest[];
  /** only those at these times of the week, by the clocks of a zone */
  readonly within: (Hours & { readonly zone: string }) | null;
  /** from this moment on, null for ever */
  readonly from: Instant | null;
  /** up to this moment, null for all that are on file */
  readonly to: Instant | null;
  readonly order: 'newest' | 'oldest';
  readonly most: number;
  /** the properties that are looked at, of the outermost level; null for all of them */
  readonly names: readonly string[] | null;
}

/** An ask with what is left out as the plainest. */
export const ask = (given: Pick<EventAsk, 'type' | 'most'> & Partial<EventAsk>): EventAsk => ({
  key: null,
  where: [],
  within: null,
  from: null,
  to: null,
  order: 'newest',
  names: [],
  ...given,
});
