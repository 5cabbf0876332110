import { isCurrency, LARGEST_MINOR } from '../money';
import {
  countryCode,
  externalIdProblem,
  fitAttribute,
  normaliseEmail,
  normalisePhone,
  readDate,
  readNumber,
  type AttributeType,
  type ConsentWord,
} from '../people';
import type { Channel, Value } from '../rules';
import { cut } from '../text';
import { isZone, parseInstant, type Instant } from '../time';
import type { ImportPlan } from './plan';

export interface RowProblem {
  readonly column: string;
  readonly wrong: string;
  readonly right: string;
}

/** One row of a people or consent file, ready to be stored. */
export interface PersonRecord {
  readonly externalId: string | null;
  readonly email: string | null;
  readonly phone: string | null;
  readonly attributes: { readonly [name: string]: Value };
  readonly tags: readonly string[];
  readonly consents: readonly ConsentWord[];
  readonly consentAt: Instant | null;
  readonly consentHow: string | null;
  readonly consentWording: string | null;
  readonly consentPlace: string | null;
}

export type ReadRow<T> = { readonly record: T } | { readonly problems: readonly RowProblem[] };

const LONGEST_CELL = 5000;
const YES_NO = (text: string): boolean | null => {
  const fitted = fitAttribute('yesno', text);
  return typeof fitted === 'boolean'
    ? fitted
    : /^(given|subscribed|opted? ?in|agreed)$/i.test(text.trim())
      ? true
      : /^(withdrawn|unsubscribed|opted? ?out|revoked)$/i.test(text.trim())
        ? false
        : null;
};

/** Reads cells by the plan's columns: trimmed, respelled, without what PostgreSQL cannot keep. */
function cellsOf(
  plan: ImportPlan,
  row: readonly string[],
  problems: RowProblem[],
): Map<string, { text: string; type: AttributeType | undefined; name: string }> {
  const cells = new Map<string, { text: string; type: AttributeType | undefined; name: string }>();
  for (const column of plan.columns) {
    const raw = row[column.index];
    if (raw === undefined) continue;
    if (raw.length > LONGEST_CELL) {
      problems.push({ column: column.to, wrong: `is ${raw.length} characters long`, right: `at most ${LONGEST_CELL} characters` });
      continue;
    }
    if (raw.includes('\u0000')) {
      problems.push({ column: column.to, wrong: 'holds the character U+0000', right: 'text without control characters' });
      continue;
    }
    const trimmed = raw.trim();
    const text = column.respell && Object.hasOwn(column.respell, trimmed) ? column.respell[trimmed]! : trimmed;
    if (text !== '') cells.set(column.to, { text, type: column.type, name: column.to });
  }
  return cells;
}

/** A moment as files write it: RFC 3339, a date, or a date with a time without a zone, read as UTC. */
export function readMoment(text: string, dayFirst: boolean): Instant | null {
  const exact = parseInstant(text);
  if (exact !== null) return exact;
  const [, date, time] = /^(\S+?)(?:[T ](\d{1,2}:\d{2}(?::\d{2})?))?(?: ?UTC|Z)?$/.exec(text.trim()) ?? [];
  const day = date ? readDate(date, dayFirst) : null;
  if (!day) return null;
  const [hour, minute, second] = (time ?? '00:00').split(':').map(Number);
  if (hour! > 23 || minute! > 59 || (second ?? 0) > 59) return null;
  return Date.parse(`${day}T00:00:00Z`) + (hour! * 3600 + minute! * 60 + (second ?? 0)) * 1000;
}

interface Whose {
  externalId: string | null;
  email: string | null;
  phone: string | null;
}

function whose(plan: ImportPlan, cells: ReadonlyMap<string, { text: string }>, problems: RowProblem[]): Whose {
  const of = (name: string) => cells.get(name)?.text;
  const rawEmail = of('email');
  const email = rawEmail ? normaliseEmail(rawEmail) : null;
  if (rawEmail && !email)
    problems.push({
      column: 'email',
      wrong: `“${rawEmail.slice(0, 80)}” is not an email address`,
      right: 'one address such as robin@example.com',
    });
  const country = of('country') ? countryCode(of('country')!) : null;
  const rawPhone = of('phone');
  const phone = rawPhone ? normalisePhone(rawPhone, country ?? plan.country ?? null) : null;
  if (rawPhone && !phone)
    problems.push({
      column: 'phone',
      wrong: `“${rawPhone.slice(0, 40)}” is not a phone number`,
      right: plan.country
        ? `a number of ${plan.country}, or one with its country code`
        : 'a number with its country code, such as +31 6 12345678',
    });
  const externalId = of('externalId') ?? null;
  const wrong = externalId && externalIdProblem(externalId);
  if (wrong) problems.push({ column: 'externalId', wrong, right: 'an id of the shop' });
  if (externalId && externalId.length > 255)
    problems.push({ column: 'externalId', wrong: 'is longer than 255 characters', right: 'an id of the shop' });
  if (!externalId && !email && !phone && !problems.length)
    problems.push({ column: 'email', wrong: 'nothing tells whose this is', right: 'an external id, an email address or a phone number' });
  return { externalId, email, phone };
}

/** Reads a row of a people or consent file. `now` stands in where no moment is given. */
export function readPersonRow(plan: ImportPlan, row: readonly string[], now: Instant): ReadRow<PersonRecord> {
  const problems: RowProblem[] = [];
  const cells = cellsOf(plan, row, problems);
  const { externalId, email, phone } = whose(plan, cells, problems);
  const attributes: Record<string, Value> = {};
  if (email) attributes.email = email;
  if (phone) attributes.phone = phone;
  for (const name of ['firstName', 'lastName', 'country'] as const) {
    const text = cells.get(name)?.text;
    if (text) attributes[name] = cut(text, 200);
  }
  const zone = cells.get('zone')?.text;
  if (zone) {
    if (isZone(zone)) attributes.zone = zone;
    else
      problems.push({
        column: 'zone',
        wrong: `“${zone.slice(0, 60)}” is not a zone of the IANA database`,
        right: 'a name such as Europe/Amsterdam',
      });
  }
  for (const [to, { text, type }] of cells) {
    if (!to.startsWith('attribute:')) continue;
    const fitted =
      type === 'date'
        ? (readDate(text, plan.dayFirst) ?? undefined)
        : type === 'moment'
          ? toIso(readMoment(text, plan.dayFirst))
          : fitAttribute(type ?? 'text', text);
    if (fitted === undefined)
      problems.push({
        column: to.slice(10),
        wrong: `“${text.slice(0, 60)}” is no ${type === 'yesno' ? 'yes or no' : type}`,
        right: EXAMPLES[type ?? 'text'],
      });
    else attributes[to.slice(10)] = fitted;
  }
  const consents: ConsentWord[] = [];
  const say = (channel: Channel, text: string | undefined, column: string) => {
    if (!text) return;
    const agreed = YES_NO(text);
    if (agreed === null) problems.push({ column, wrong: `“${text.slice(0, 40)}” is neither yes nor no`, right: 'yes or no' });
    else consents.push({ channel, state: agreed ? 'given' : 'withdrawn' });
  };
  say('email', cells.get('consent.email')?.text, 'consent.email');
  say('sms', cells.get('consent.sms')?.text, 'consent.sms');
  if (plan.kind === 'consent') {
    const channel = (cells.get('channel')?.text ?? 'email').toLowerCase();
    if (channel === 'email' || channel === 'sms' || channel === 'push') say(channel, cells.get('state')?.text ?? 'yes', 'state');
    else problems.push({ column: 'channel', wrong: `“${channel.slice(0, 40)}” is no channel`, right: 'email, sms or push' });
  } else if (plan.consent && !consents.some((word) => word.channel === plan.consent!.channel))
    consents.push({ channel: plan.consent.channel, state: 'given' });
  const at = cells.get(plan.kind === 'consent' ? 'at' : 'consent.at');
  const consentAt = at ? readMoment(at.text, plan.dayFirst) : null;
  if (at && (consentAt === null || consentAt > now))
    problems.push({
      column: at.name,
      wrong: `“${at.text.slice(0, 60)}” is not a moment in the past`,
      right: 'a date such as 2026-03-31, or one with a time',
    });
  if (problems.length) return { problems };
  const tags = (cells.get('tags')?.text ?? '')
    .split(',')
    .map((tag) => cut(tag.trim(), 60))
    .filter(Boolean);
  return {
    record: {
      externalId,
      email,
      phone,
      attributes,
      tags: [...new Set(plan.tag ? [...tags, plan.tag] : tags)],
      consents,
      consentAt,
      consentHow: cells.get('how')?.text ?? plan.consent?.how ?? null,
      consentWording: cells.get('consent.wording')?.text ?? cells.get('wording')?.text ?? plan.consent?.wording ?? null,
      consentPlace: cells.get('place')?.text ?? null,
    },
  };
}

const toIso = (at: Instant | null): string | undefined => (at === null ? undefined : new Date(at).toISOString());
const EXAMPLES: Record<AttributeType, string> = {
  text: 'a text',
  number: 'a number such as 12.5',
  money: 'an amount such as 12.50',
  yesno: 'yes or no',
  date: 'a date such as 2026-03-31',
  moment: 'a date with a time and its offset',
  place: 'latitude and longitude, such as 52.37, 4.89',
  texts: 'texts with commas',
};

/** Reads a row of an orders or events file into events as the public interface takes them; the door checks the rest. */
export function readEventRow(
  plan: ImportPlan,
  row: readonly string[],
  context: { source: string; storeCurrency: string; rowNumber: number },
): ReadRow<readonly Record<string, Value>[]> {
  const problems: RowProblem[] = [];
  const cells = cellsOf(plan, row, problems);
  const { externalId, email, phone } = whose(plan, cells, problems);
  const of = (name: string) => cells.get(name)?.text;
  const at = of('at') ? readMoment(of('at')!, plan.dayFirst) : null;
  if (at === null)
    problems.push({
      column: 'at',
      wrong: of('at') ? `“${of('at')!.slice(0, 60)}” is not a moment` : 'is missing',
      right: 'a date such as 2026-03-31, or one with a time',
    });
  const person: Record<string, Value> = {};
  if (email) person.email = email;
  if (phone) person.phone = phone;
  for (const name of ['firstName', 'lastName', 'country']) if (of(name)) person[name] = of(name)!;
  const base = {
    source: context.source,
    ...(externalId && { subject: externalId }),
    ...(at !== null && { time: new Date(at).toISOString() }),
  };

  if (plan.kind === 'events') {
    const type = of('type') ?? plan.eventType ?? '';
    const data: Record<string, Value> = {};
    for (const [to, cell] of cells) {
      if (!to.startsWith('property:')) continue;
      const value = cell.type ? fitAttribute(cell.type, cell.text) : cell.text;
      if (value === undefined)
        problems.push({ column: to.slice(9), wrong: `“${cell.text.slice(0, 60)}” is no ${cell.type}`, right: EXAMPLES[cell.type!] });
      else data[to.slice(9)] = value;
    }
    if (problems.length) return { problems };
    return {
      record: [
        { ...base, id: of('id') ?? `row-${context.rowNumber}`, type, data: { ...data, ...(Object.keys(person).length && { person }) } },
      ],
    };
  }

  const money = (name: string): number | null => {
    const text = of(name);
    if (!text) return null;
    const amount = readNumber(text.replace(/[€$£¥]|[A-Z]{3}/g, ''));
    if (amount === null || amount < 0 || amount > LARGEST_MINOR)
      problems.push({ column: name, wrong: `“${text.slice(0, 40)}” is not an amount`, right: 'an amount such as 1249.50' });
    return amount;
  };
  const orderId = of('orderId');
  if (!orderId) problems.push({ column: 'orderId', wrong: 'is missing', right: 'the shop’s id of the order' });
  const value = money('value');
  if (value === null && !problems.some((one) => one.column === 'value'))
    problems.push({ column: 'value', wrong: 'is missing', right: 'what the order came to, such as 49.90' });
  const [discount, refunded] = [money('discount'), money('refunded')];
  const currency = (of('currency') ?? plan.currency ?? context.storeCurrency).toUpperCase();
  if (!isCurrency(currency))
    problems.push({
      column: 'currency',
      wrong: `“${currency.slice(0, 20)}” is not a currency of ISO 4217`,
      right: 'three capital letters such as EUR',
    });
  if (problems.length) return { problems };
  const placed = {
    ...base,
    id: `order/${orderId}`,
    type: 'order.placed',
    data: {
      orderId: orderId!,
      currency,
      value: value!,
      ...(of('cartId') && { cartId: of('cartId')! }),
      ...(discount !== null && { discount }),
      ...(Object.keys(person).length && { person }),
    },
  };
  const about = { ...base, data: { orderId: orderId!, ...(Object.keys(person).length && { person }) } };
  const after: Record<string, Value>[] = [];
  if (/cancel|annul|void|storn/i.test(of('status') ?? ''))
    after.push({ ...about, id: `order/${orderId}/cancelled`, type: 'order.cancelled' });
  else if (refunded)
    after.push({ ...about, id: `order/${orderId}/refunded`, type: 'order.refunded', data: { ...about.data, value: refunded } });
  return { record: [placed, ...after] };
}
