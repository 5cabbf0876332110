/** Who is inside a flow. */
export interface InsideView {
  readonly people: readonly {
    readonly run: string;
    readonly person: string;
    readonly name: string;
    readonly key: string;
    readonly version: number;
    readonly step: string | null;
    readonly says: string;
    readonly enteredAt: string;
    /** since when they are there */
    readonly since: string;
    /** when they go on, unless something comes before; null where only something else moves them */
    readonly until: string | null;
    /** by which limit they are held there, in words; null where they just wait */
    readonly held: string | null;
  }[];
  /** how many are at each step, and when the first of them goes on */
  readonly steps: readonly { readonly step: string | null; readonly people: number; readonly next: string | null }[];
  /** false where there are more than are listed */
  readonly isAll: boolean;
}

/** What goes on when. */
export interface DeparturesView {
  readonly departures: readonly { readonly hour: string; readonly flow: string; readonly name: string; readonly runs: number }[];
  /** how many may enter anew in that time */
  readonly entries: readonly { readonly flow: string; readonly name: string; readonly least: number; readonly most: number }[];
}
