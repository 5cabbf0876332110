import type { Form } from '../forms';
import type { Mapping } from '../sources';
import type { Value } from '../rules';
import type { UseView } from './people';

export type SourceKindView = 'own' | 'hand' | 'key' | 'webhook' | 'snippet' | 'form' | 'file';

export interface SourceView {
  readonly key: string;
  readonly kind: SourceKindView;
  readonly name: string;
  readonly hint: string | null;
  readonly scopes: readonly string[];
  readonly sites: readonly string[];
  /** where it sends to: a webhook's own address, a snippet's */
  readonly address: string | null;
  readonly createdAt: string;
  readonly createdBy: string | null;
  readonly lastUsedAt: string | null;
  readonly revokedAt: string | null;
  readonly lastHour: number;
  readonly lastDay: number;
  readonly rejectedDay: number;
}

export interface ArrivalView {
  readonly id: string;
  readonly type: string;
  readonly time: string;
  readonly receivedAt: string;
  readonly eventId: string;
  readonly person: { readonly id: string; readonly name: string | null; readonly email: string | null } | null;
  readonly properties: { readonly [name: string]: Value };
  /** names of the flows that it started */
  readonly started: string | null;
}

export interface RejectionView {
  readonly id: string;
  readonly at: string;
  readonly type: string | null;
  readonly problems: readonly { readonly field: string; readonly wrong: string; readonly right: string }[];
  readonly raw: string;
}

export interface SourceDetail extends SourceView {
  /** refunds and cancellations whose order hasn't arrived */
  readonly waiting: number;
  /** by minute of the last hour, oldest first */
  readonly minutes: readonly {
    readonly minute: string;
    readonly accepted: number;
    readonly duplicates: number;
    readonly rejected: number;
  }[];
  readonly mapping: { readonly version: number; readonly document: Mapping; readonly savedAt: string; readonly savedBy: string } | null;
  readonly mappings: readonly { readonly version: number; readonly savedAt: string; readonly savedBy: string }[];
  readonly bodies: readonly {
    readonly id: string;
    readonly at: string;
    readonly webhookId: string;
    readonly raw: string;
    readonly outcome: {
      readonly accepted: number;
      readonly duplicates: number;
      readonly problems: readonly { readonly field: string; readonly wrong: string; readonly right: string }[];
    };
  }[];
}

export interface TriedBody {
  readonly id: string;
  readonly at: string;
  readonly results: readonly (
    | {
        readonly event: { readonly [name: string]: Value };
        readonly problems: readonly { readonly field: string; readonly wrong: string; readonly right: string }[];
      }
    | { readonly skipped: string }
  )[];
}

export interface TypeView {
  readonly type: string;
  readonly count: number;
  readonly firstAt: string;
  readonly lastAt: string;
  readonly properties: number;
  readonly uses: readonly UseView[];
}
export interface TypeDetail extends TypeView {
  readonly list: readonly {
    readonly name: string;
    readonly count: number;
    readonly kinds: { readonly [kind: string]: number };
    readonly values: readonly { readonly value: string; readonly count: number }[];
  }[];
  /** values that a flow asks for and that never occurred */
  readonly warnings: readonly { readonly says: string; readonly mend: string; readonly flow: string }[];
}

export interface FormView {
  readonly key: string;
  readonly name: string;
  readonly document: Form;
  readonly revision: number;
  readonly isOpen: boolean;
  readonly address: string;
  readonly submitted: number;
  readonly submitted30d: number;
  /** asked by mail, and not confirmed yet */
  readonly waiting: number;
  readonly changedAt: string;
  readonly flows: readonly { readonly key: string; readonly name: string; readonly listensTo: 'all' | 'this' }[];
}

export interface SuppressionView {
  readonly channel: string;
  readonly address: string;
  readonly reason: string;
  readonly at: string;
  readonly by: string | null;
  readonly note: string | null;
  readonly person: string | null;
}

export interface UploadView {
  readonly key: string;
  readonly name: string;
  readonly size: number;
  readonly format: 'csv' | 'ndjson';
  readonly encoding: string;
  readonly delimiter: string;
  readonly hasHeader: boolean;
  readonly columns: readonly string[];
  readonly rows: readonly (readonly string[])[];
  /** rows in the file, when it was read to its end */
  readonly isWhole: boolean;
}
