import * as z from 'zod';
import {
  blockSchema,
  brandKey,
  messageSchema,
  type Brand,
  type DomainRecord,
  type Message,
  type MessageFinding,
  type RecordState,
  type WarmUp,
} from '../messages';

const value = z.json();
const values = z.record(z.string().max(200), value);

/** A message to be shown as somebody would get it. */
export const renderInput = z.strictObject({
  message: messageSchema,
  /** an external id, or ~ and a number; or attributes of somebody made up; nobody in particular where it is left out */
  person: z.union([z.string().min(1).max(200), values]).optional(),
  /** what it is about: properties of an event, or a type of which the person's last is taken */
  event: z.union([z.string().min(1).max(100), values]).optional(),
  /** the code that goes with it */
  offer: z.strictObject({ code: z.string().max(80), expires: z.string().max(80), terms: z.string().max(200) }).optional(),
  answers: z.record(z.string().max(60), values).optional(),
  /** which conditions are taken to hold; left out, they are looked at for the person */
  holds: z.array(z.string().max(40)).max(40).optional(),
  /** the brand to set it in, where it is not stored yet */
  brand: z.unknown().optional(),
});

export interface RenderView {
  readonly subject: string;
  readonly preview: string;
  readonly html: string;
  readonly text: string;
  /** of the HTML part, in UTF-8 */
  readonly bytes: number;
  readonly problems: readonly MessageFinding[];
  /** of each block that shows products: which, and why these */
  readonly products: { readonly [block: string]: readonly { readonly name: string; readonly why: string }[] };
  /** which conditions of the message hold for them */
  readonly holds: readonly string[];
  /** what it is about, as it was taken */
  readonly event: { readonly [name: string]: unknown };
}

/** Somebody who shows something of a message that others do not. */
export interface TellingPerson {
  readonly id: string;
  readonly name: string;
  readonly tells: string;
}

/** A letter that is sent to try it out: it counts nowhere. */
export const testInput = z.strictObject({
  ...renderInput.shape,
  to: z.array(z.email().max(254)).min(1, 'names nobody').max(10),
});

export const brandInput = z.strictObject({ brand: z.unknown(), isFirst: z.boolean().optional() });
export interface BrandItem {
  readonly key: string;
  readonly brand: Brand;
  readonly isFirst: boolean;
  readonly changedAt: string | null;
  readonly changedBy: string | null;
}

const libraryName = z.string().trim().min(1, 'must not be empty').max(120);
const tags = z.array(z.string().trim().min(1).max(40)).max(20);
/** A message or some blocks for the library. */
export const libraryInput = z.union([
  z.strictObject({ name: libraryName, tags: tags.optional(), message: messageSchema }),
  z.strictObject({ name: libraryName, tags: tags.optional(), blocks: z.array(blockSchema).min(1, 'must not be empty').max(60) }),
]);
export const libraryKey = brandKey;

/** Where something of the library is used. */
export interface LibraryUse {
  readonly flow: string;
  readonly name: string;
  readonly step: string;
  readonly says: string;
  readonly isOn: boolean;
  /** the revision that was put into it */
  readonly revision: number;
}
export interface LibraryItem {
  readonly key: string;
  readonly name: string;
  readonly kind: 'message' | 'blocks';
  readonly tags: readonly string[];
  readonly revision: number;
  readonly isArchived: boolean;
  readonly changedAt: string;
  readonly changedBy: string;
  readonly message: Message | null;
  readonly blocks: readonly z.infer<typeof blockSchema>[] | null;
  readonly uses: readonly LibraryUse[];
}
export interface LibraryView extends LibraryItem {
  readonly versions: readonly { readonly revision: number; readonly name: string; readonly at: string; readonly by: string }[];
}

export const feedInput = z.strictObject({
  name: libraryName,
  url: z.string().max(2000),
  everyMinutes: z.int().min(5).max(10_080).optional(),
});
export interface FeedView {
  readonly key: string;
  readonly name: string;
  readonly url: string;
  readonly everyMinutes: number;
  readonly title: string | null;
  readonly readAt: string | null;
  readonly problem: string | null;
  readonly entries: readonly {
    readonly name: string;
    readonly words: string | null;
    readonly url: string | null;
    readonly image: string | null;
    readonly at: string | null;
  }[];
}

/** What is put in the place of some words, in messages of the library and in drafts of flows. */
export const replaceInput = z.strictObject({
  find: z.string().min(1, 'must not be empty').max(500),
  put: z.string().max(500),
  /** only tells where it stands */
  isTrial: z.boolean().optional(),
  /** places that are left as they are, by the id in an answer */
  without: z.array(z.string().max(200)).max(1000).optional(),
});
export interface ReplaceView {
  readonly places: readonly {
    readonly id: string;
    readonly where: string;
    readonly times: number;
    readonly was: string;
    readonly is: string;
  }[];
  readonly changed: number;
}

/** Somebody in whose name letters go out; `again` asks the address once more. */
export const senderInput = z.strictObject({
  name: z
    .string()
    .trim()
    .min(1, 'must not be empty')
    .max(80)
    .refine((text) => !/[\r\n]/.test(text), 'must stay on one line'),
  address: z.email().max(254),
  again: z.boolean().optional(),
});
export interface SenderView {
  readonly key: string;
  readonly name: string;
  readonly address: string;
  /** when its owner confirmed it; null until then: letters go out in the store's name meanwhile */
  readonly verifiedAt: string | null;
  /** how it grows, where mail servers do not know it yet */
  readonly warmUp: WarmUpView | null;
}
export interface WarmUpView extends WarmUp {
  /** how many letters have gone out today, and how many may at most; null where it is known by now */
  readonly today: { readonly handed: number; readonly most: number | null };
  /** for how many days more it is kept back */
  readonly daysLeft: number;
}
/** What the DNS of a sender's domain is to have, what stands there, and how that is. */
export interface SenderRecordsView {
  readonly domain: string;
  readonly records: readonly (DomainRecord & RecordState & { readonly found: readonly string[] })[];
}
export interface SendersView {
  readonly store: { readonly name: string; readonly address: string; readonly warmUp: WarmUpView | null };
  readonly senders: readonly SenderView[];
}
