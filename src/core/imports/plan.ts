import * as z from 'zod';
import { ATTRIBUTE_TYPES, readDate, readNumber, type AttributeType } from '../people';
import { CHANNELS, eventTypeSchema } from '../rules';
import { parseInstant } from '../time';

export const IMPORT_KINDS = ['people', 'consent', 'orders', 'events'] as const;
export type ImportKind = (typeof IMPORT_KINDS)[number];

/** What a column of a file can be, by what is imported. `attribute:` and `property:` take a name of one's own. */
export const TARGETS: { readonly [kind in ImportKind]: readonly string[] } = {
  people: [
    'externalId',
    'email',
    'phone',
    'firstName',
    'lastName',
    'country',
    'zone',
    'tags',
    'consent.email',
    'consent.sms',
    'consent.at',
    'consent.wording',
  ],
  consent: ['externalId', 'email', 'phone', 'channel', 'state', 'at', 'how', 'wording', 'place'],
  orders: [
    'externalId',
    'email',
    'phone',
    'firstName',
    'lastName',
    'country',
    'orderId',
    'cartId',
    'at',
    'value',
    'currency',
    'discount',
    'refunded',
    'status',
  ],
  events: ['externalId', 'email', 'phone', 'id', 'type', 'at'],
};

export const TARGET_WORDS: { readonly [target: string]: string } = {
  externalId: 'External id',
  email: 'Email address',
  phone: 'Phone number',
  firstName: 'First name',
  lastName: 'Last name',
  country: 'Country',
  zone: 'Time zone',
  tags: 'Tags, with commas',
  'consent.email': 'Agreed to email (yes or no)',
  'consent.sms': 'Agreed to SMS (yes or no)',
  'consent.at': 'When they agreed',
  'consent.wording': 'Wording they agreed to',
  channel: 'Channel',
  state: 'Given or withdrawn',
  at: 'When',
  how: 'How',
  wording: 'Wording',
  place: 'Where',
  orderId: 'Order id',
  cartId: 'Cart id',
  value: 'Order value',
  currency: 'Currency',
  discount: 'Discount',
  refunded: 'Refunded amount',
  status: 'Status (cancelled or not)',
  id: 'Event id',
  type: 'Event type',
};

const target = z
  .string()
  .refine(
    (text) =>
      Object.values(TARGETS).some((list) => list.includes(text)) || /^(attribute|property):[\p{L}_][\p{L}\p{N}_.-]{0,79}$/u.test(text),
    'is nothing that a column can be',
  );
const columnSchema = z.strictObject({
  /** the column's place in the file, from 0 */
  index: z.int().min(0).max(2000),
  to: target,
  type: z.enum(ATTRIBUTE_TYPES).optional(),
  /** spellings that mean the same, and what each becomes */
  respell: z.record(z.string().max(500), z.string().max(500)).optional(),
});

/** How a file is imported, `viatic.import/1`. */
export const importSchema = z
  .strictObject({
    schema: z.literal('viatic.import/1'),
    kind: z.enum(IMPORT_KINDS),
    upload: z.string().min(1).max(100),
    name: z.string().trim().min(1).max(120),
    format: z.strictObject({
      kind: z.enum(['csv', 'ndjson']),
      encoding: z.string().max(40),
      delimiter: z.string().length(1),
      hasHeader: z.boolean(),
    }),
    columns: z.array(columnSchema).max(300),
    /** the day stands before the month in dates such as 3/4/2026 */
    dayFirst: z.boolean().default(true),
    /** for phone numbers without a country code */
    country: z
      .string()
      .regex(/^[A-Z]{2}$/)
      .nullish(),
    /** for orders without a currency, and values as whole minor units */
    currency: z.string().length(3).nullish(),
    eventType: eventTypeSchema.nullish(),
    /** values on file are replaced, or only gaps are filled */
    existing: z.enum(['replace', 'fill']).default('replace'),
    /** everybody in the file is put on this list and gets this tag */
    list: z.string().max(60).nullish(),
    tag: z.string().max(60).nullish(),
    /** everybody in the file has agreed, and how */
    consent: z
      .strictObject({
        channel: z.enum(CHANNELS),
        how: z.string().trim().min(3, 'is too short: say how they agreed').max(200),
        wording: z.string().max(2000).nullish(),
      })
      .nullish(),
  })
  .superRefine((plan, ctx) => {
    if (plan.format.kind === 'ndjson') {
      if (plan.kind !== 'events')
        ctx.addIssue({ code: 'custom', path: ['kind'], message: 'must be events: NDJSON files hold CloudEvents' });
      return;
    }
    const has = (...targets: string[]) => plan.columns.some((column) => targets.includes(column.to));
    const need = (isThere: boolean, message: string) => {
      if (!isThere) ctx.addIssue({ code: 'custom', path: ['columns'], message });
    };
    need(has('externalId', 'email', 'phone'), 'lack what tells people apart: an external id, an email address or a phone number');
    if (plan.kind === 'orders') {
      need(has('orderId'), 'lack the order id');
      need(has('value'), 'lack the order value');
      need(has('at'), 'lack when the order was placed');
    }
    if (plan.kind === 'events') {
      need(has('type') || Boolean(plan.eventType), 'lack the event type');
      need(has('at'), 'lack when it happened');
    }
    const seen = new Set<string>();
    for (const column of plan.columns) {
      if (seen.has(column.to)) ctx.addIssue({ code: 'custom', path: ['columns'], message: `give ${column.to} twice` });
      seen.add(column.to);
    }
  });
export type ImportPlan = z.infer<typeof importSchema>;

const GUESSES: readonly (readonly [string, RegExp])[] = [
  ['externalId', /^(external|customer|client|user|person|member|account|shopper)?[\s_-]*(id|number|no|nr)$/i],
  ['email', /e-?mail/i],
  ['phone', /(phone|mobile|tel(efoon)?|cell)/i],
  ['firstName', /(first|given|voor|vor)[\s_-]*(name|naam)|^vorname$|^pr[ée]nom$/i],
  ['lastName', /(last|family|sur|achter|nach)[\s_-]*(name|naam)|^surname$|^nachname$|^nom$/i],
  ['country', /^(country|land|pays)([\s_-]*code)?$/i],
  ['zone', /(time)?[\s_-]?zone$/i],
  ['tags', /^(tags?|labels?)$/i],
  ['orderId', /order[\s_-]*(id|number|no|nr|name)$|^order$/i],
  ['cartId', /(cart|basket)[\s_-]*(id|token)/i],
  ['value', /^(order[\s_-]*)?(total|value|amount|revenue|grand[\s_-]*total|sum)([\s_-]*(price|incl.*))?$/i],
  ['currency', /^currency([\s_-]*code)?$/i],
  ['discount', /discount/i],
  ['refunded', /refund/i],
  ['status', /^(order[\s_-]*)?(status|state)$/i],
  ['at', /(^|[\s_-])(at|date|time|timestamp|when|placed|created|occurred|datum)([\s_-]*(at|on))?$/i],
  ['type', /^(event[\s_-]*)?(type|name|action)$/i],
  ['id', /^(event[\s_-]*)?id$/i],
  ['channel', /^channel$/i],
  ['state', /^(state|status|consent|opt[\s_-]*in)$/i],
  ['how', /^(how|source|origin|method)$/i],
  ['wording', /(wording|text|statement)/i],
  ['place', /^(place|where|page|url)$/i],
  ['consent.email', /(accepts?|agreed|consent|opt[\s_-]*in|newsletter|subscribed)/i],
];

/** Whether the text of a cell can be read as a type; an empty one says nothing against it. */
function fits(type: AttributeType, cell: string): boolean {
  const value = cell.trim();
  if (!value) return true;
  switch (type) {
    case 'date':
      return readDate(value) !== null || readDate(value, false) !== null;
    case 'moment':
      return parseInstant(value) !== null;
    case 'yesno':
      return /^(yes|no|true|false|y|n|1|0)$/i.test(value);
    // numbers that begin with a zero are codes
    case 'number':
      return readNumber(value) !== null && !/^0\d/.test(value);
    default:
      return true;
  }
}

/** How many cells of a column cannot be read as a type. */
export const misfitsOf = (type: AttributeType, values: readonly string[]): number => values.filter((value) => !fits(type, value)).length;

/** How many of its cells must fit for a column to be taken for a type: a few odd ones are pointed out, not followed. */
const MOST = 0.75;

/** The type that most values of a column look like, beyond plain text; undefined for text. */
export function guessColumnType(values: readonly string[]): AttributeType | undefined {
  const given = values.map((value) => value.trim()).filter(Boolean);
  if (!given.length) return undefined;
  const isMostly = (type: AttributeType) => given.length - misfitsOf(type, given) >= MOST * given.length;
  // 1 and 0 alone are numbers
  const isWord = given.some((value) => !/^[01]$/.test(value));
  return (['date', 'moment', 'yesno', 'number'] as const).find((type) => isMostly(type) && (type !== 'yesno' || isWord));
}

/** The name of an attribute or a property made of a column's: `Favourite fish` is `favouriteFish`. */
export function ownName(column: string): string {
  return column
    .trim()
    .replace(/[^\p{L}\p{N}]+(.)?/gu, (_all, next: string | undefined) => next?.toUpperCase() ?? '')
    .replace(/^\p{Lu}/u, (c) => c.toLowerCase())
    .replace(/^(\p{N})/u, '_$1');
}

/** Guesses what the columns of a file are, from their names and the first values. Only a proposal: somebody looks at it. */
export function guessColumns(kind: ImportKind, names: readonly string[], rows: readonly (readonly string[])[]): (string | null)[] {
  const taken = new Set<string>();
  return names.map((name, index) => {
    const values = rows
      .map((row) => row[index] ?? '')
      .filter(Boolean)
      .slice(0, 20);
    const found =
      GUESSES.find(([to, pattern]) => TARGETS[kind].includes(to) && !taken.has(to) && pattern.test(name.trim()))?.[0] ??
      (!taken.has('email') && values.length > 0 && values.every((value) => /^[^@\s]+@[^@\s]+\.[^@\s]+$/.test(value)) ? 'email' : null);
    if (found) {
      taken.add(found);
      return found;
    }
    const plain = ownName(name);
    if (!/^[\p{L}_][\p{L}\p{N}_]{0,79}$/u.test(plain) || kind === 'consent' || kind === 'orders') return null;
    const own = `${kind === 'people' ? 'attribute' : 'property'}:${plain}`;
    if (taken.has(own)) return null;
    taken.add(own);
    return own;
  });
}
