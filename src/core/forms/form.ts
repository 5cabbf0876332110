import * as z from 'zod';
import { confirmLetterSchema } from '../messages';
import { CHANNELS, type Value } from '../rules';
import { siteSchema } from '../sources';
import { countryCode, fitAttribute, normaliseEmail, normalisePhone, readDate } from '../people';

const text = (max: number) => z.string().trim().max(max);
const attributeName = z.string().regex(/^[\p{L}_][\p{L}\p{N}_]{0,59}$/u, 'is not an attribute name');
export const FIELD_TYPES = ['text', 'email', 'phone', 'number', 'date', 'country', 'choice', 'yesno'] as const;
export type FieldType = (typeof FIELD_TYPES)[number];

const fieldSchema = z.strictObject({
  id: z.string().regex(/^[a-z0-9-]{1,40}$/, 'is not a field id; use a-z, 0-9 and -'),
  attribute: attributeName,
  type: z.enum(FIELD_TYPES),
  label: text(120).min(1),
  hint: text(200).optional(),
  required: z.boolean(),
  options: z.array(text(120).min(1)).max(50).optional(),
});
export type FormField = z.infer<typeof fieldSchema>;

// as a browser writes it (RFC 3986): what stands in a header has no letters beyond ASCII
const url = z
  .string()
  .trim()
  .max(2000)
  .transform((address, ctx) => {
    const read = URL.canParse(address) ? new URL(address) : null;
    if (read && ['http:', 'https:'].includes(read.protocol)) return read.href;
    ctx.addIssue({ code: 'custom', message: 'is not an http or https address' });
    return z.NEVER;
  });

/** A sign-up or update form, `viatic.form/1`. */
export const formSchema = z
  .strictObject({
    schema: z.literal('viatic.form/1'),
    name: text(80).min(1),
    title: text(160).min(1),
    intro: text(2000),
    fields: z.array(fieldSchema).min(1).max(40),
    /** a box for each channel, with the words that are agreed to; never ticked beforehand */
    consents: z.array(z.strictObject({ channel: z.enum(CHANNELS), wording: text(1000).min(1), required: z.boolean() })).max(3),
    /** kept with each submission without being asked: a campaign, a place */
    hidden: z.array(z.strictObject({ name: attributeName, value: text(200) })).max(20),
    button: text(60).min(1),
    after: z.discriminatedUnion('kind', [
      z.strictObject({ kind: z.literal('page'), title: text(160).min(1), text: text(2000) }),
      z.strictObject({ kind: z.literal('redirect'), url }),
    ]),
    /** the mail that asks for it: a few words, or a letter of one's own in their place */
    doubleOptIn: z.strictObject({ subject: text(200).min(1), text: text(2000).min(1), letter: confirmLetterSchema.optional() }).nullable(),
    /** the sites that may show it in a frame: their origins */
    sites: z.array(siteSchema).max(20).default([]),
    /** the offer of which whoever confirms gets a code, once */
    offer: z.string().max(60).nullable().default(null),
    list: z.string().max(60).nullable(),
    tag: z.string().max(60).nullable(),
    /** what was promised for signing up; the first message of a flow can deliver it as event.download */
    promise: z
      .discriminatedUnion('kind', [
        z.strictObject({ kind: z.literal('link'), url, label: text(120).min(1) }),
        z.strictObject({ kind: z.literal('file'), file: z.string().max(100), label: text(120).min(1) }),
      ])
      .nullable(),
  })
  .superRefine((form, ctx) => {
    const ids = new Set<string>();
    const attributes = new Set<string>();
    form.fields.forEach((field, index) => {
      if (ids.has(field.id)) ctx.addIssue({ code: 'custom', path: ['fields', index, 'id'], message: 'is there twice' });
      if (attributes.has(field.attribute))
        ctx.addIssue({ code: 'custom', path: ['fields', index, 'attribute'], message: 'is asked for twice' });
      ids.add(field.id);
      attributes.add(field.attribute);
      if (field.type === 'choice' && !field.options?.length)
        ctx.addIssue({ code: 'custom', path: ['fields', index, 'options'], message: 'must hold at least one choice' });
      if ((field.attribute === 'email') !== (field.type === 'email'))
        ctx.addIssue({ code: 'custom', path: ['fields', index, 'type'], message: 'must be email for the attribute email, and only there' });
    });
    if (!form.fields.some((field) => field.attribute === 'email'))
      ctx.addIssue({
        code: 'custom',
        path: ['fields'],
        message: 'must ask for the email address: without it nobody knows whose the form is',
      });
    if (form.offer !== null && !form.doubleOptIn)
      ctx.addIssue({
        code: 'custom',
        path: ['offer'],
        message: 'gives a code to an address that nobody has confirmed: switch double opt-in on',
      });
    if (form.consents.some((one) => one.channel === 'sms') && !form.fields.some((field) => field.type === 'phone'))
      ctx.addIssue({ code: 'custom', path: ['consents'], message: 'ask for consent to SMS, but no field asks for the phone number' });
  });
export type Form = z.infer<typeof formSchema>;

/** A form to begin with. */
export function newForm(name: string): Form {
  return {
    schema: 'viatic.form/1',
    name,
    title: name,
    intro: '',
    fields: [
      { id: 'email', attribute: 'email', type: 'email', label: 'Email address', required: true },
      { id: 'first-name', attribute: 'firstName', type: 'text', label: 'First name', required: false },
    ],
    consents: [{ channel: 'email', wording: 'Yes, send me news by email. I can stop at any time.', required: true }],
    hidden: [],
    button: 'Sign up',
    after: { kind: 'page', title: 'Thank you', text: 'You are on the list.' },
    doubleOptIn: {
      subject: 'One click and you are on the list',
      text: 'You asked for our news. Press the button so that we know it was you.',
    },
    sites: [],
    offer: null,
    list: null,
    tag: null,
    promise: null,
  };
}

/** What somebody filled in, checked: attributes, and which channels they agreed to. */
export type Filled =
  | {
      readonly email: string;
      readonly attributes: { readonly [name: string]: Value };
      readonly agreed: readonly { readonly channel: (typeof CHANNELS)[number]; readonly wording: string }[];
    }
  | { readonly problems: { readonly [field: string]: string } };

/** Reads a submission: every field by its type; problems are said by field, in words for whoever fills it in. */
export function readSubmission(form: Form, given: { readonly [name: string]: string }): Filled {
  const attributes: Record<string, Value> = {};
  const problems: Record<string, string> = {};
  let email = '';
  const country = form.fields.find((field) => field.type === 'country');
  const land = country ? countryCode((given[country.id] ?? '').slice(0, 60)) : null;
  for (const field of form.fields) {
    const said = (given[field.id] ?? '').trim();
    if (!said) {
      if (field.required) problems[field.id] = field.type === 'yesno' ? 'Please tick this box.' : 'Please fill this in.';
      continue;
    }
    if (said.length > 500 || said.includes('\u0000') || !isWhole(said)) {
      problems[field.id] = 'This is too long.';
      continue;
    }
    let value: Value | undefined;
    switch (field.type) {
      case 'email':
        value = normaliseEmail(said) ?? undefined;
        if (value === undefined) problems[field.id] = 'This is not an email address. One looks like robin@example.com.';
        else email = value as string;
        break;
      case 'phone':
        value = normalisePhone(said, land) ?? undefined;
        if (value === undefined) problems[field.id] = 'This is not a phone number. Begin with + and the country code.';
        break;
      case 'number':
        value = fitAttribute('number', said);
        if (value === undefined) problems[field.id] = 'This is not a number.';
        break;
      case 'date':
        value = readDate(said) ?? undefined;
        if (value === undefined) problems[field.id] = 'This is not a date.';
        break;
      case 'country':
        value = countryCode(said) ?? undefined;
        if (value === undefined) problems[field.id] = 'Please choose a country.';
        break;
      case 'choice':
        value = field.options?.includes(said) ? said : undefined;
        if (value === undefined) problems[field.id] = 'Please choose one of these.';
        break;
      case 'yesno':
        value = said === 'yes';
        break;
      case 'text':
        value = said;
    }
    if (value !== undefined) attributes[field.attribute] = value;
  }
  const agreed = form.consents
    .filter((consent) => given[`consent-${consent.channel}`] === 'yes')
    .map(({ channel, wording }) => ({ channel, wording }));
  for (const consent of form.consents)
    if (consent.required && !agreed.some((one) => one.channel === consent.channel))
      problems[`consent-${consent.channel}`] = 'Please tick this box to sign up.';
  if (Object.keys(problems).length) return { problems };
  return { email, attributes, agreed };
}

/** Whether a text is one in every encoding: no half of a surrogate pair stands alone (Unicode 16, §3.8, D75). */
const isWhole = (text: string): boolean => !/[\ud800-\udbff](?![\udc00-\udfff])|(?<![\ud800-\udbff])[\udc00-\udfff]/.test(text);
