import * as z from 'zod';
import { DAY, isZone, parseInstant, type Instant } from '@/core/time';
import { currencyDigits, isCurrency, LARGEST_MINOR } from '@/core/money';
import {
  consentSchema,
  consentWords,
  countryCode,
  externalIdProblem,
  normaliseEmail,
  normalisePhone,
  PLAIN_DETAIL,
  type ConsentDetail,
  type ConsentWord,
} from '@/core/people';
import { CHANNELS, eventTypeSchema, type Channel, type Value } from '@/core/rules';
import { problemsOf, unstorable, type FieldProblem } from '../http';

/** An event as it stands after the door: typed, checked, its person's words apart from its properties. */
export interface ParsedEvent {
  readonly id: string;
  readonly source: string;
  readonly type: string;
  readonly time: Instant;
  readonly externalId: string | null;
  readonly email: string | null;
  /** E.164, when the number can be read */
  readonly phone: string | null;
  /** the browser or app from which it came */
  readonly device: string | null;
  readonly said: { readonly [name: string]: Value };
  readonly consents: readonly ConsentWord[];
  readonly detail: ConsentDetail;
  readonly properties: { readonly [name: string]: Value };
}

const LARGEST_EVENT = 64 * 1024;
export const MOST_EVENTS = 1000;

const email = z
  .string()
  .max(320)
  .transform((text, ctx) => {
    const normal = normaliseEmail(text);
    if (normal === null) ctx.addIssue({ code: 'custom', message: 'is not an email address' });
    return normal ?? '';
  });
/** An external id that can stand in an address and is not mistaken for a number of ours. */
function externalId(id: string, ctx: z.RefinementCtx): void {
  const wrong = externalIdProblem(id);
  if (wrong) ctx.addIssue({ code: 'custom', message: wrong });
}
const currency = z.string().refine(isCurrency, 'is not a currency of ISO 4217');
const amount = z.number().min(0).max(LARGEST_MINOR);
const name = z.string().max(200);

const personSchema = z.looseObject({
  email: z.union([email, z.literal('')]).nullish(),
  firstName: name.nullish(),
  lastName: name.nullish(),
  phone: z.string().max(40).nullish(),
  country: z.string().max(100).nullish(),
  zone: z.string().refine(isZone, 'is not a zone of the IANA database').nullish(),
  device: z.string().min(8, 'is too short to tell devices apart').max(100).nullish(),
  consent: consentSchema.nullish(),
});

const item = z.looseObject({
  sku: z.string().max(200).optional(),
  name: z.string().max(500).optional(),
  quantity: z.number().min(0).max(1_000_000).optional(),
  price: amount.optional(),
  url: z.string().max(2000).nullish(),
  image: z.string().max(2000).nullish(),
});
const base = { person: personSchema.nullish() };
const items = z.array(item).max(500);

/** What the data of each known type must hold; a type that is not here may hold anything. */
const DATA: Record<string, z.ZodType<Record<string, unknown>>> = {
  'cart.updated': z.looseObject({
    ...base,
    cartId: z.string().min(1).max(200),
    currency,
    value: amount,
    items: items.optional(),
    checkoutUrl: z.string().max(2000).nullish(),
  }),
  'order.placed': z.looseObject({
    ...base,
    orderId: z.string().min(1).max(200),
    cartId: z.string().max(200).nullish(),
    currency,
    value: amount,
    discount: amount.nullish(),
    codes: z.array(z.string().max(100)).max(50).nullish(),
    items: items.optional(),
  }),
  'order.cancelled': z.looseObject({ ...base, orderId: z.string().min(1).max(200), value: amount.optional() }),
  'order.refunded': z.looseObject({ ...base, orderId: z.string().min(1).max(200), value: amount.optional() }),
  'consent.changed': z.looseObject({ ...base, channel: z.enum(CHANNELS), state: z.enum(['given', 'withdrawn']) }),
};
const anyData: z.ZodType<Record<string, unknown>> = z.looseObject(base);

/** CloudEvents 1.0.2 §3.1: id, source, type are required; we take plain JSON of the same shape without specversion. */
export const envelopeSchema = z.looseObject({
  specversion: z.literal('1.0').optional(),
  id: z.string().min(1).max(255),
  source: z.string().min(1).max(255),
  type: eventTypeSchema,
  subject: z.string().min(1).max(255).superRefine(externalId).nullish(),
  time: z.string().max(64).nullish(),
  datacontenttype: z.string().max(200).nullish(),
  data: z.record(z.string(), z.unknown()).nullish(),
});

/** Reads one event, or says what is wrong with it. `now` is store time: what carries no time happened now. */
export function parseEvent(input: unknown, now: Instant): { event: ParsedEvent } | { problems: FieldProblem[] } {
  if (input === null || typeof input !== 'object' || Array.isArray(input))
    return { problems: [{ field: 'body', wrong: 'is not an object', right: 'an event with id, source, type and data' }] };
  const tally = { characters: 0 };
  const bad = unstorable(input, '', tally);
  if (bad) return { problems: [bad] };
  const envelope = envelopeSchema.safeParse(input);
  if (!envelope.success) return { problems: problemsOf(envelope.error) };
  const { id, source, type, subject, data: raw } = envelope.data;
  const problems: FieldProblem[] = [];
  const at = envelope.data.time ? parseInstant(envelope.data.time) : now;
  if (at === null || at > now + DAY)
    problems.push({
      field: 'time',
      wrong: 'is not a time',
      right: 'RFC 3339 with its offset, between 2000 and tomorrow, such as 2026-11-24T09:30:00Z',
    });

  const data = (DATA[type] ?? anyData).safeParse(raw ?? {});
  if (!data.success) problems.push(...problemsOf(data.error, 'data'));
  if (problems.length) return { problems };

  const { person, ...properties } = data.data as { person?: z.infer<typeof personSchema> | null } & Record<string, Value>;
  const { consent, device, ...said } = person ?? {};
  // what we tell ourselves would otherwise be anybody's word
  if (/^(attribute|call|code|flow|message|segment|task)\./.test(type))
    return {
      problems: [
        { field: 'type', wrong: 'is reserved for what Viatic itself reports', right: 'a type of your own, such as app.message_read' },
      ],
    };
  const beyond = tooMuch(properties);
  if (beyond) return { problems: [beyond] };
  if (tally.characters > LARGEST_EVENT && JSON.stringify(properties).length + JSON.stringify(said).length > LARGEST_EVENT) {
    return { problems: [{ field: 'data', wrong: 'is larger than 64 kB', right: 'the facts of one event' }] };
  }
  const words = said as Record<string, Value>;
  const own: ConsentWord[] =
    type === 'consent.changed' ? [{ channel: properties.channel as Channel, state: properties.state as 'given' | 'withdrawn' }] : [];
  const country = typeof words.country === 'string' ? countryCode(words.country) : null;
  const phone = typeof words.phone === 'string' && words.phone ? normalisePhone(words.phone, country) : null;
  if (phone) words.phone = phone;
  if (!subject && !words.email && !phone && !device && !(type.startsWith('order.') && type !== 'order.placed')) {
    return {
      problems: [
        {
          field: 'subject',
          wrong: 'is missing, and so is data.person.email',
          right: 'whose event it is: an external id as subject, an email address, a phone number with its country code, or a device',
        },
      ],
    };
  }
  return {
    event: {
      id,
      source,
      type,
      time: at!,
      externalId: subject ?? null,
      email: (words.email as string) || null,
      phone,
      device: device ?? null,
      said: words,
      properties,
      consents: [...own, ...consentWords(consent)],
      detail: {
        ...PLAIN_DETAIL,
        how: consent?.how ?? '',
        place: consent?.place ?? null,
        wording: consent?.wording ?? null,
        box: consent?.box ?? null,
        country: consent?.country ? countryCode(consent.country) : country,
      },
    },
  };
}

/** An amount that fits a double but not the ledger, once it is in minor units. */
function tooMuch(properties: Record<string, Value>): FieldProblem | null {
  const digits = typeof properties.currency === 'string' ? (currencyDigits(properties.currency) ?? 2) : 2;
  for (const field of ['value', 'discount']) {
    const value = properties[field];
    if (typeof value === 'number' && value * 10 ** digits > LARGEST_MINOR)
      return { field: `data.${field}`, wrong: 'is more than an order can be worth', right: `at most ${LARGEST_MINOR / 10 ** digits}` };
  }
  return null;
}
