/** Something to mend before publishing (`stops`) or to think about (`warns`), with its place. */
export interface Finding {
  /** what kind of finding it is: with the step its name, by which it can be accepted and mended */
  readonly code: string;
  readonly level: 'stops' | 'warns';
  /** the step, or null for the flow as a whole */
  readonly stepId: string | null;
  readonly says: string;
  readonly mend: string;
  /** why somebody has accepted it */
  readonly accepted?: string;
}

/** Adds a finding. */
export type AddTo = (code: string, level: Finding['level'], stepId: string | null, says: string, mend: string) => void;

/** What flows themselves and the program bring about: it need not have happened yet. */
export const BY_FLOWS = /^((attribute|call|code|flow|list|message|segment|task)\.|product\.(restocked|repriced)$)/;

export const sayNumber = (n: number) => n.toLocaleString('en-IE');
