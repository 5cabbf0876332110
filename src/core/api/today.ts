/** Something that needs somebody: why, in numbers, and one act. */
export interface AttentionView {
  readonly level: 'stop' | 'caution' | 'note';
  readonly key: string;
  readonly says: string;
  readonly act: string;
  readonly href: string;
}

interface DayTotals {
  readonly takings: number;
  readonly credited: number;
  readonly orders: number;
}

/** One of the things with which a store begins. */
export interface FirstStep {
  readonly step: 'events' | 'flow' | 'entered' | 'sent' | 'order';
  readonly isDone: boolean;
}
/** Where the day starts. Amounts in minor units. */
export interface TodayView {
  readonly now: string;
  readonly currency: string;
  readonly today: DayTotals;
  /** of the same day last week, up to the same time */
  readonly lastWeek: DayTotals;
  /** what has gone out in the last hours, and what is due in the next 48 */
  readonly board: readonly {
    readonly hour: string;
    readonly flow: { readonly key: string; readonly name: string };
    readonly message: string;
    readonly people: number;
    readonly state: 'due' | 'held' | 'gone';
  }[];
  readonly attention: readonly AttentionView[];
  /** with what a store begins, and what of it has really happened; null once all has */
  readonly first: readonly FirstStep[] | null;
  /** what others have done since the moment that was asked for, the newest first */
  readonly since: readonly { readonly at: string; readonly actor: string; readonly says: string }[];
}
