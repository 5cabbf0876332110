import type { AskKind } from '../flows';
import type { Assumed, BacktestCounts } from '../replay';
import type { Because, Value } from '../rules';

/** What came of a rehearsal, person by person. */
export interface RehearsalView {
  /** the moment at which it begins */
  readonly now: string;
  readonly people: readonly {
    readonly runs: readonly {
      readonly trigger: string;
      readonly key: string;
      readonly phase: string;
      readonly outcome: string | null;
      /** when it was started, and when they entered; null as long as a silence lasts, and where they never did */
      readonly armedAt: string | null;
      readonly enteredAt: string | null;
      readonly goalAt: string | null;
      readonly trace: readonly {
        readonly at: string;
        readonly step: string | null;
        readonly kind: string;
        readonly says: string;
        readonly because?: Because;
      }[];
      /** when it goes on, and with what; null where it is over */
      readonly next: { readonly at: string; readonly says: string } | null;
    }[];
    readonly sends: readonly {
      readonly at: string;
      readonly step: string;
      readonly name: string;
      readonly channel: string;
      readonly subject: string;
      readonly html: string;
      readonly text: string;
      readonly problem?: string;
    }[];
    /** what was asked of systems and colleagues, told to them, or done for others: nothing of it leaves the house */
    readonly calls: readonly {
      readonly at: string;
      readonly step: string;
      readonly kind: AskKind;
      readonly name: string;
    }[];
    /** codes that were issued, with letters that are made up */
    readonly codes: readonly {
      readonly at: string;
      readonly step: string;
      readonly offer: string;
      readonly says: string;
      readonly expiresAt: string | null;
      readonly code: string;
    }[];
    /** all that happened, what the flow recorded too */
    readonly events: readonly { readonly at: string; readonly type: string; readonly data: { readonly [name: string]: Value } }[];
    /** what is on file about them in the end */
    readonly known: {
      readonly attributes: { readonly [name: string]: Value };
      readonly tags: readonly string[];
      readonly lists: readonly string[];
    };
    readonly until: string;
    /** it was stopped because it went on too long */
    readonly isCut: boolean;
  }[];
}

/** What came of a backtest. */
export interface BacktestView extends BacktestCounts {
  /** what the published flow really did in the same time; null where none was on */
  readonly compared: { readonly entered: number; readonly sends: number } | null;
  readonly assumed: Assumed | null;
}
