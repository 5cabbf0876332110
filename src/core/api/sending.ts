import type { LimitsDocument } from '../limits';

export interface SendingView {
  readonly limits: LimitsDocument;
  /** the days to come of this year and the next on which nothing goes out */
  readonly closedDays: readonly string[];
}
