import type { LimitsDocument } from '../limits';

export interface SendingView {
  readonly limits: LimitsDocument;
  /** the next days on which nothing goes out */
  readonly closedDays: readonly string[];
}
