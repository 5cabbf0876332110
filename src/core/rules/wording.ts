import { sayMoney, toMinor } from '../money';
import type { Comparison, PropertyTest, WhereTest } from './compare';
import type { NamedKind, OnFile } from './named';
import type { Times } from './tests';
import type { Value } from './value';

/** Words for saying a rule: what the trigger event is about, and the currency of its `value`. */
export interface Wording {
  readonly triggerType?: string;
  readonly currency?: string;
  /** the sentence goes on from people: "whose country is" instead of "country is" */
  readonly isWhose?: boolean;
  /** what lists, segments, flows and the like are called; by their keys where it is left out */
  readonly names?: OnFile;
}

/** What something on file is called. */
export function sayNamed(kind: NamedKind, key: string, { names }: Wording): string {
  const name = names?.[kind].get(key);
  return name === undefined ? key : `“${name}”`;
}

const DID: { readonly [type: string]: string } = {
  'cart.updated': 'updated a cart',
  'checkout.started': 'started a checkout',
  'order.placed': 'placed an order',
  'order.cancelled': 'cancelled an order',
  'order.refunded': 'had an order refunded',
  'order.paid': 'paid an order',
  'order.shipped': 'had an order sent',
  'order.delivered': 'had an order delivered',
  'product.viewed': 'viewed a product',
  'product.restocked': 'was told that a product is there again',
  'product.repriced': 'was told that a product costs something else',
  'page.viewed': 'viewed a page',
  'message.sent': 'was sent a message',
  'message.delivered': 'received a message',
  'message.bounced': 'had a message bounce',
  'message.opened': 'opened a message',
  'message.unsubscribed': 'unsubscribed by a message',
  'message.clicked': 'clicked a message',
  'message.answered': 'answered a message',
  'account.created': 'created an account',
  'app.trial_started': 'started a trial',
  'app.subscribed': 'subscribed',
  'app.project_created': 'created a project',
  'app.invited': 'invited somebody',
  'form.submitted': 'submitted a form',
  'page.left': 'left a page',
  'list.joined': 'joined a list',
  'list.left': 'left a list',
  'segment.joined': 'joined a segment',
  'segment.left': 'left a segment',
  'attribute.changed': 'changed on file',
  'code.issued': 'got a code of an offer',
  'code.used': 'used a code of an offer',
  'code.expired': 'let a code of an offer expire',
  'call.ended': 'had a call to a system of ours',
  'task.closed': 'had a task of ours closed',
  'flow.called': 'was put into a flow by hand',
  'flow.handed': 'was handed over by another flow',
  'flow.due': 'was due for a flow',
};

/** What an event is called in a sentence: "placed an order", or the type itself for one of the app's own. */
export function sayEvent(type: string): string {
  return DID[type] ?? `did ${type}`;
}

/** The same as it reads after "has": "been put into a flow by hand", "done lesson.finished". */
export function sayDone(type: string): string {
  return (DID[type] ?? `done ${type}`).replace(/^was /, 'been ');
}

const dayFormat = new Intl.DateTimeFormat('en-GB', { day: 'numeric', month: 'short', year: 'numeric', timeZone: 'UTC' });
/** A day as it is read: "24 Nov 2026". */
export const sayDay = (date: string): string => dayFormat.format(new Date(`${date}T12:00:00Z`));

const plainNumber = new Intl.NumberFormat('en-IE', { maximumFractionDigits: 6 });

/** A value as it is read: texts in quotation marks, yes and no, amounts of money where the currency is known. */
export function sayValue(value: Value | undefined, currency?: string): string {
  if (value === undefined || value === null) return 'not known';
  if (typeof value === 'boolean') return value ? 'yes' : 'no';
  if (typeof value === 'number') {
    return currency ? sayMoney({ currency, minor: toMinor(value, currency) }) : plainNumber.format(value);
  }
  if (typeof value === 'string') return `“${value}”`;
  return Array.isArray(value) ? `${value.length} ${value.length === 1 ? 'entry' : 'entries'}` : 'a group of values';
}

/** A comparison as it stands behind the name of what is compared: "is at least 50". */
export function sayComparison(test: Comparison, currency?: string): string {
  const value = Array.isArray(test.value)
    ? test.value.map((one) => sayValue(one, currency)).join(test.op === 'between' ? ' and ' : ' or ')
    : sayValue(test.value as Value | undefined, currency);
  switch (test.op) {
    case 'known':
      return 'is known';
    case 'unknown':
      return 'is not known';
    case 'is':
      return `is ${value}`;
    case 'isNot':
      return `is not ${value}`;
    case 'oneOf':
      return `is ${value}`;
    case 'noneOf':
      return `is none of ${value}`;
    case 'contains':
      return `contains ${value}`;
    case 'startsWith':
      return `begins with ${value}`;
    case 'atLeast':
      return `is at least ${value}`;
    case 'above':
      return `is above ${value}`;
    case 'atMost':
      return `is at most ${value}`;
    case 'below':
      return `is below ${value}`;
    case 'onOrAfter':
      return `is on ${sayDay(test.value as string)} or after`;
    case 'onOrBefore':
      return `is on ${sayDay(test.value as string)} or before`;
    case 'between':
      return `is between ${value}`;
  }
}

/** Whether a property is an amount of money in the store's currency. */
export const isAmount = (property: string) => property === 'value';

/** Turns `firstName` into "first name". */
export function sayName(name: string): string {
  return name
    .replace(/([a-z])([A-Z])/g, '$1 $2')
    .replace(/[_.]/g, ' ')
    .toLowerCase();
}

/** The tests of an event's properties, behind the event: " whose value is at least 50". */
export function sayWhere(where: readonly WhereTest[] | undefined, currency?: string): string {
  const say = (tests: readonly PropertyTest[]) =>
    tests.map((test) => `${sayName(test.property)} ${sayComparison(test, isAmount(test.property) ? currency : undefined)}`).join(' and ');
  const own = (where ?? []).filter((test): test is PropertyTest => !('any' in test));
  const phrases = [
    ...(own.length ? [`whose ${say(own)}`] : []),
    ...(where ?? []).flatMap((test) => ('any' in test ? [`with one of its ${sayName(test.property)} whose ${say(test.any)}`] : [])),
  ];
  return phrases.length ? ` ${phrases.join(' and ')}` : '';
}

/** An event with what is asked of it: "placed an order whose value is at least 50". */
export const sayEventOf = ({ event, where }: { event: string; where?: readonly WhereTest[] }, currency?: string): string =>
  `${sayEvent(event)}${sayWhere(where, currency)}`;

const often = (times: number) => (times === 1 ? 'once' : times === 2 ? 'twice' : `${times} times`);

/** How often, behind the event; nothing for once at least. */
export function sayTimes(times: Times = 1): string {
  if (typeof times === 'number') return times === 1 ? '' : ` at least ${often(times)}`;
  if ('exactly' in times) return ` exactly ${often(times.exactly)}`;
  if ('atMost' in times) return ` at most ${often(times.atMost)}`;
  return ` ${times.from} to ${times.to} times`;
}

/** The name of a property of the event that started the run: "cart value". */
export function sayTriggerProperty(property: string, wording: Wording): string {
  const subject = wording.triggerType?.split('.')[0] ?? 'event';
  return `${subject} ${sayName(property)}`;
}
