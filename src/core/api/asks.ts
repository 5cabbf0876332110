interface AskedView {
  readonly id: string;
  readonly flow: { readonly key: string; readonly name: string };
  readonly person: { readonly id: string; readonly name: string };
  readonly askedAt: string;
}

/** Something that a flow has asked a colleague to do. */
export interface TaskView extends AskedView {
  readonly state: 'open' | 'done' | 'declined';
  readonly title: string;
  readonly text: string;
  /** who does it; empty where it is anybody's */
  readonly owner: string;
  readonly due: string;
  /** it is open after its time: whoever it is about has gone on without it */
  readonly isLate: boolean;
  readonly closedAt: string | null;
  readonly closedBy: string | null;
  readonly note: string | null;
}
export interface TasksView {
  readonly total: number;
  readonly tasks: readonly TaskView[];
}

/** A call that a flow has made to a system outside. */
export interface CallView extends AskedView {
  readonly state: 'open' | 'done' | 'failed';
  readonly step: string;
  readonly until: string;
  readonly endedAt: string | null;
  readonly tries: number;
  readonly error: string | null;
}
export interface CallsView {
  readonly hasSecret: boolean;
  readonly totals: { readonly open: number; readonly failed: number; readonly done: number };
  readonly calls: readonly CallView[];
}
