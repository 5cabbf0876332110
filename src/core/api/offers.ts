import * as z from 'zod';
import type { Money } from '../money';
import { askedCartSchema, type Offer } from '../offers';

/** What has become of the codes of an offer. */
export interface OfferCounts {
  readonly issued: number;
  readonly open: number;
  readonly used: number;
  readonly expired: number;
  /** the shop's own codes that have not gone to anybody yet */
  readonly stored: number;
  /** used by somebody else than whom they were issued to */
  readonly passedOn: number;
  /** what codes took off, and what the orders came to that they were used for, after refunds */
  readonly discount: Money;
  readonly revenue: Money;
}

/** An offer in a list. */
export interface OfferItem extends OfferCounts {
  readonly key: string;
  readonly name: string;
  /** its terms, how long a code counts, and to whom none is issued, in words */
  readonly terms: string;
  readonly expiry: string;
  readonly guard: readonly string[];
  readonly isArchived: boolean;
  /** no more codes are issued: its last day is over, or its bounds are reached */
  readonly isOver: 'over' | 'spent' | null;
  readonly flows: readonly { readonly key: string; readonly name: string; readonly isOn: boolean }[];
}

/** Why codes were kept back: how many people and how often, with a word on it. */
export interface WithheldView {
  readonly why: string;
  readonly says: string;
  readonly people: number;
  readonly times: number;
}

/** One offer with its document, and what has become of it. */
export interface OfferView extends OfferItem {
  readonly document: Offer;
  readonly who: string | null;
  readonly createdAt: string;
  readonly createdBy: string;
}

export interface OfferReport extends OfferCounts {
  readonly days: readonly { readonly day: string; readonly issued: number; readonly used: number; readonly expired: number }[];
  readonly byFlow: readonly { readonly key: string; readonly name: string; readonly issued: number; readonly used: number }[];
  /** of the last 90 days */
  readonly withheld: readonly WithheldView[];
  readonly withheldFrom: readonly {
    readonly person: { readonly id: string; readonly name: string };
    readonly says: string;
    readonly times: number;
    readonly lastAt: string;
  }[];
  /** what the codes that were kept back would have cost, at what a used code costs and as often as codes are used; null where none was used yet */
  readonly saved: Money | null;
  /** what is left of the orders that used one once the goods are paid for, of those whose costs are all known; null where none is */
  readonly margin: {
    readonly orders: number;
    /** orders with something whose cost is not known: they are not in it */
    readonly unknown: number;
    readonly net: Money;
    readonly cost: Money;
    readonly left: Money;
  } | null;
  /** revenue credited to messages of the flows that issue it, sent in the last 90 days: to who had a code of it by then, and to all others */
  readonly perMessage: {
    readonly days: number;
    readonly with: { readonly messages: number; readonly revenue: Money };
    readonly without: { readonly messages: number; readonly revenue: Money };
  } | null;
  /** what those do who got one, against those who were drawn to get none, within seven days of it; null where nobody is drawn */
  readonly holdout: {
    readonly percent: number;
    readonly days: number;
    readonly with: { readonly people: number; readonly ordered: number };
    readonly without: { readonly people: number; readonly ordered: number };
    /** of 100 people so many more order, with its interval (Newcombe 1998, method 10); null until both groups have had their days */
    readonly difference: { readonly points: number; readonly from: number; readonly to: number } | null;
    /** of those who ordered with one, which share would have ordered anyway, with its interval */
    readonly anyway: { readonly share: number; readonly from: number; readonly to: number } | null;
  } | null;
}

/** A code and what has become of it. */
export interface CodeView {
  readonly code: string;
  readonly offer: { readonly key: string; readonly name: string };
  readonly terms: string;
  readonly state: 'stored' | 'open' | 'used' | 'expired';
  readonly person: { readonly id: string; readonly name: string } | null;
  readonly flow: { readonly key: string; readonly name: string; readonly step: string } | null;
  /** who issued it, where that was no flow */
  readonly by: string | null;
  readonly issuedAt: string | null;
  readonly expiresAt: string | null;
  readonly used: { readonly at: string; readonly orderId: string; readonly discount: Money; readonly byOther: boolean } | null;
}

/** A shop asks whether a code counts. */
export const codeCheckInput = z.object({
  code: z.string().trim().min(1).max(120),
  /** the external id of who asks, or their address */
  person: z.string().max(320).optional(),
  cart: askedCartSchema,
});

export const issueInput = z.strictObject({ person: z.string().min(1).max(320) });
export const loadInput = z.strictObject({ codes: z.array(z.string().trim().min(4).max(80)).min(1).max(50_000) });

/** Where the shop is told of each code that is issued; null where it is not. */
export const codeHookInput = z.strictObject({ url: z.string().max(2000).nullable() });
export interface CodeHookView {
  readonly url: string | null;
  /** the last code that could not be told for good */
  readonly failed: { readonly at: string; readonly because: string } | null;
}
