import * as z from 'zod';
import { ROLES } from '../access';
import { ATTRIBUTE_TYPES } from '../people';
import { confirmLetterSchema, messageSchema } from '../messages';
import { CHANNELS, ruleSchema } from '../rules';
import { SCOPES, siteSchema } from '../sources';
import { isName } from '../text';

/**
 * What the public interface takes where a screen asks for the same: one schema reads the body at the door and the fields of
 * the form, so that both say the same of what does not fit.
 */
const words = (most: number) => z.string().trim().min(1, 'is empty').max(most);
const how = z.string().trim().min(3, 'is too short: say how they agreed or asked').max(200);

export const listInput = z.strictObject({
  name: words(80),
  about: z.string().max(300).default(''),
  doubleOptIn: z.boolean().default(false),
  /** the letter that asks for the click, in place of the program's own; left out, it stays as it is */
  confirmation: confirmLetterSchema.nullable().optional(),
});

export const letterInput = z.strictObject({
  kind: z.enum(['marketing', 'service']),
  subject: words(300),
  text: words(10_000),
});

/** A letter to one person that is written with all its parts. */
export const composedInput = z.strictObject({ message: messageSchema });

/** How a task ends, with a word on it. */
export const taskInput = z.strictObject({ state: z.enum(['done', 'declined']), note: z.string().trim().max(1000).default('') });

/** Of whom openings and clicks are counted. */
export const trackingInput = z.strictObject({ of: z.enum(['unless-no', 'only-yes']) });

export { limitsSchema as limitsInput } from '../limits';

/** The name of an attribute, as everywhere. */
export const attributeName = z.string().trim().refine(isName, 'is not a name');
export const attributeInput = z.strictObject({ type: z.enum(ATTRIBUTE_TYPES), about: z.string().max(300).default('') });
export const renameInput = z.strictObject({ to: attributeName });

export const consentInput = z.strictObject({
  channel: z.enum(CHANNELS),
  state: z.enum(['given', 'withdrawn']),
  how,
  wording: z.string().max(2000).optional(),
  place: z.string().max(500).optional(),
});

/** A word on consent of many at once: without the words that each would have been shown. */
export const bulkConsentInput = consentInput.omit({ wording: true, place: true });
export const tagInput = z.strictObject({ tag: words(60) });
/** The name of a form or of a source. */
export const nameInput = z.strictObject({ name: words(80) });
export const viewInput = z.strictObject({ name: words(60), query: z.string().max(8000) });
export const eventInput = z.strictObject({
  type: z.string(),
  time: z.string().optional(),
  data: z.record(z.string(), z.unknown()).default({}),
});

export const sourceInput = z.discriminatedUnion('kind', [
  z.strictObject({ kind: z.literal('key'), name: words(80), scopes: z.array(z.enum(SCOPES)).min(1) }),
  z.strictObject({ kind: z.literal('webhook'), name: words(80) }),
  z.strictObject({ kind: z.literal('snippet'), name: words(80), sites: z.array(siteSchema).min(1).max(20) }),
]);

export const passwordInput = z.strictObject({ present: z.string().min(1).max(500), wanted: z.string().min(12, 'is too short').max(500) });

/** Who is asked to work here. */
export const inviteInput = z.strictObject({ email: z.email('is not an address').max(254), name: words(80), role: z.enum(ROLES) });
export const roleInput = z.strictObject({ role: z.enum(ROLES) });
/** How everybody signs in: after how many hours again, and whether a second factor or a passkey is asked of them. */
export const signingInInput = z.strictObject({
  hours: z.number().int().min(1, 'is less than an hour').max(336, 'is more than 14 days'),
  second: z.boolean(),
});
/** A code of the second factor: six digits, or one of those for when the device is lost. */
export const codeInput = z.strictObject({ code: z.string().trim().min(6, 'is too short').max(20) });

/** Before a device is asked to make a passkey: the password, for whoever has only come by a session. */
export const passkeyAskInput = z.strictObject({ present: z.string().min(1).max(500) });
/** What a device answered that was asked to make a passkey (WebAuthn, section 5.1), and what the passkey is called. */
export const passkeyInput = z.strictObject({ name: words(60), answer: z.looseObject({ id: z.string().min(1).max(2000) }) });

export const suppressionsInput = z.strictObject({
  channel: z.enum(CHANNELS).default('email'),
  addresses: z.array(z.string().max(400)).min(1).max(100_000),
  reason: z.string().trim().min(3, 'is too short').max(100).default('by hand'),
});
/** Why an address may be written to again. */
export const liftInput = z.strictObject({ why: z.string().trim().min(3, 'is too short').max(200) });

export const ruleInput = z.strictObject({ rule: ruleSchema });
/** A rule to be counted; a sample is enough where there are very many people. */
export const countInput = ruleInput.extend({ sample: z.boolean().optional() });
/** A rule and the person it is looked at for, by external id or `~` and our own number. */
export const rulePersonInput = ruleInput.extend({ person: z.string().min(1).max(400) });

/** A table as CSV, with a line of names: of places, or of rates. */
/** A flow that is kept to begin others with. */
export const starterInput = z.strictObject({
  flow: z.string().min(1).max(60),
  name: z.string().trim().min(1, 'must not be empty').max(80),
  says: z.string().trim().min(1, 'must not be empty').max(300),
});

/** Where somebody is in a flow that they have open: one tab of theirs, and the step they look at. */
export const presenceInput = z.strictObject({
  tab: z.string().regex(/^[A-Za-z0-9-]{8,40}$/, 'is no name of a tab'),
  step: z.string().max(60).nullable(),
  /** that the tab is closed, or looks at something else now */
  leaves: z.boolean().optional(),
});

export const tableInput = z.strictObject({ csv: z.string().min(1).max(20_000_000) });
/** A group of countries: by names or ISO 3166 codes. */
export const countryGroupInput = z.strictObject({ name: words(60), countries: z.array(z.string().trim().min(1).max(60)).min(1).max(260) });
