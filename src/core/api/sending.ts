import type { LimitsDocument } from '../limits';

export interface SendingView {
  readonly limits: LimitsDocument;
  /** the days to come of this year and the next on which nothing goes out */
  readonly closedDays: readonly string[];
  /** of whom openings and clicks are counted: of everybody who has not said no, or only of those who have said yes */
  readonly tracking: 'unless-no' | 'only-yes';
}
