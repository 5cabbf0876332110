import type { Facts, NamedKind, Need, Rule, Seen, Viewpoint, WhereTest } from '../../rules';
import type { Limits } from '../../limits';
import type { Offers } from '../../offers';
import type { Tables } from '../../tables';
import type { Instant } from '../../time';
import type { Arm, FlowDocument, Step } from '../document';
import type { Finding } from '../finding';
import type { About, Answer, Deed, Saw, TraceKind } from '../run';

/** How long something takes at least and at most, in milliseconds; `most` is null when nobody knows. */
export interface Span {
  readonly least: number;
  readonly most: number | null;
}

/** What a step may look at and do while a run is at it. */
export interface Here {
  readonly now: Instant;
  readonly zone: string;
  readonly facts: Facts;
  readonly view: Viewpoint;
  /** the moment at which what stands before the step was due: from which a wait counts */
  readonly stands: Instant;
  /** when the wait at this step is over, once it has begun */
  readonly waitUntil: Instant | null;
  /** what fell due while the flow was paused is let pass */
  readonly dropsDue: boolean;
  /** looks at a rule from here */
  look(rule: Rule): Seen;
  note(kind: TraceKind, more?: { armId?: string; saw?: Saw }): void;
  /** does something to the world, once this state is stored */
  do(what: Deed): void;
  /** when the wait at this step began, once it has */
  readonly waitFrom: Instant | null;
  /** keeps what came as the answer to this step */
  answer(answer: Answer): void;
  /** what came with whatever started the run */
  readonly about: About;
  /** how much anybody gets, and when; nothing where there are no limits */
  readonly limits: Limits | null;
  /** the offers of the store */
  readonly offers: Offers;
  /** the tables of the store */
  readonly tables: Tables;
  /** how many more codes may be issued of an offer */
  codesLeft(offer: string): number;
  /** the key of the flow, and the number of the run */
  readonly flow: string;
  readonly run: string;
  /** the share of 0 up to 1 that somebody drew at this step; with a key where each cart or order draws anew */
  lot(key: string | null): number;
}

/** Where a run goes from a step: on to the next, into an arm, on standing until a moment, or out of the flow. */
export type Went =
  | { readonly to: 'next'; /** from when on what follows counts, where that is another moment */ readonly stands?: Instant }
  | { readonly to: 'arm'; readonly arm: Arm; readonly stands?: Instant }
  /** `on`: signals that could end it before, `lookAt` when time alone could. `isNew`: it has begun just now, and what came since is not loaded yet */
  | {
      readonly to: 'wait';
      readonly until: Instant;
      readonly lookAt?: Instant | null;
      readonly on?: readonly string[];
      readonly isNew?: boolean;
      /** it has begun just now, and looks back at what happened before it: it goes on once that is at hand */
      readonly looksBack?: boolean;
    }
  | { readonly to: 'end' };

/** An event that is waited for. */
export interface Awaited {
  readonly event: string;
  readonly where?: readonly WhereTest[];
  /** it answers what this very flow has asked for */
  readonly isOwn?: boolean;
}

/** Gathers what is to be mended about one step. */
export type Add = (code: string, level: Finding['level'], says: string, mend: string) => void;

/** What there is to know of a kind of step. A new kind is a new file and its lines in the index. */
export interface StepKind<S extends Step> {
  /** does the step; called again after a wait */
  run(step: S, here: Here): Went;
  /** a run that has done it doesn't do it again after it was moved to another version */
  readonly actsOnce?: boolean;
  /** whether a run goes on with it while the flow is paused */
  readonly runsWhilePaused?: boolean;
  /** a new one, as it is put in */
  fresh(id: string): S;
  says(step: S): string;
  /** what a run does next, as the words of a person's page */
  saysNext(step: S): string;
  arms?(step: S): readonly Arm[];
  withArms?(step: S, arms: readonly Arm[]): S;
  /** the rules that decide here */
  rules?(step: S): readonly (Rule | null)[];
  /** what it looks at of the person, beside its rules */
  needs?(step: S): readonly Need[];
  /** what it names that has to be on file */
  names?(step: S): readonly { readonly kind: NamedKind; readonly key: string }[];
  /** how long it takes */
  span?(step: S): Span;
  /** it does something before it stands still: it is a stop of its own, and its time comes behind */
  readonly actsFirst?: boolean;
  /** what makes a step unsound, by its place in it */
  problems?(step: S): readonly { readonly path: readonly (string | number)[]; readonly message: string }[];
  /** what it finds can be asked for further on, as an answer */
  readonly leavesAnswer?: boolean;
  /** the event that answers a run which stands here */
  awaits?(step: S, of: { readonly flow: string; readonly key: string }): Awaited | null;
  /** the newest event since the start of the run that it looks back at */
  looksBackFor?(step: S, about: Pick<About, 'data' | 'key'>): Awaited | null;
  check?(step: S, add: Add, flow: FlowDocument): void;
  /** what differs between two forms of it, in words */
  differs?(was: S, is: S): string[];
}
