import type { FlowDocument, RehearsedPerson } from '@/core/flows';
import type { Rehearsed } from '@/core/rehearsal';

/** What the screen asks of the worker that rehearses: facts are sent only where they are new. */
export interface RehearsalAsked {
  readonly number: number;
  readonly key: string;
  readonly document: FlowDocument;
  readonly people: readonly { readonly id: string; readonly one: RehearsedPerson; readonly facts: unknown }[];
}

/** What came of it, person by person. */
export interface RehearsalAnswer {
  readonly number: number;
  readonly people: readonly { readonly id: string; readonly came?: Rehearsed; readonly problem?: string }[];
}
