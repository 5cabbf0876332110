import { sayDuration } from '../time';
import { sayMoney, toMinor } from '../money';
import { CHANNEL_WORDS } from './channel';
import { partsOf, type Comparison, type PropertyTest, type Rule, type Test, type Value } from './rule';

/** Words for saying a rule: what the trigger event is about, and the currency of its `value`. */
export interface Wording {
  readonly triggerType?: string;
  readonly currency?: string;
}

const DID: { readonly [type: string]: string } = {
  'cart.updated': 'updated a cart',
  'checkout.started': 'started a checkout',
  'order.placed': 'placed an order',
  'order.cancelled': 'cancelled an order',
  'order.refunded': 'had an order refunded',
  'product.viewed': 'viewed a product',
  'page.viewed': 'viewed a page',
  'message.opened': 'opened a message',
  'message.clicked': 'clicked a message',
  'account.created': 'created an account',
  'form.submitted': 'submitted a form',
  'page.left': 'left a page',
  'list.joined': 'joined a list',
  'list.left': 'left a list',
  'flow.called': 'was put into a flow by hand',
};

/** What an event is called in a sentence: "placed an order", or the type itself for one of the app's own. */
export function sayEvent(type: string): string {
  return DID[type] ?? `did ${type}`;
}

/** The same as it reads after "has": "been put into a flow by hand", "done lesson.finished". */
export function sayDone(type: string): string {
  return type === 'flow.called' ? 'been put into a flow by hand' : (DID[type] ?? `done ${type}`);
}

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

function sayComparison(test: Comparison, currency?: string): string {
  const value = Array.isArray(test.value)
    ? test.value.map((one) => sayValue(one, currency)).join(' or ')
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
    case 'contains':
      return `contains ${value}`;
    case 'atLeast':
      return `is at least ${value}`;
    case 'above':
      return `is above ${value}`;
    case 'atMost':
      return `is at most ${value}`;
    case 'below':
      return `is below ${value}`;
  }
}

const isAmount = (property: string) => property === 'value';

/** Turns `firstName` into "first name". */
export function sayName(name: string): string {
  return name
    .replace(/([a-z])([A-Z])/g, '$1 $2')
    .replace(/[_.]/g, ' ')
    .toLowerCase();
}

function sayWhere(where: readonly PropertyTest[] | undefined, currency?: string): string {
  if (!where?.length) return '';
  return ` whose ${where.map((test) => `${sayName(test.property)} ${sayComparison(test, isAmount(test.property) ? currency : undefined)}`).join(' and ')}`;
}

function sayTimes(times: number): string {
  if (times <= 1) return '';
  return times === 2 ? ' at least twice' : ` at least ${times} times`;
}

function sayTest(test: Test, wording: Wording): string {
  switch (test.test) {
    case 'attribute':
      return `${sayName(test.name)} ${sayComparison(test)}`;
    case 'trigger':
      return `${sayTriggerProperty(test.property, wording)} ${sayComparison(test, isAmount(test.property) ? wording.currency : undefined)}`;
    case 'consent':
      return `${test.reachable ? 'can' : 'cannot'} ${CHANNEL_WORDS[test.channel].able}`;
    case 'list':
      return `${test.member ? 'is' : 'is not'} on the list ${test.list}`;
    case 'tag':
      return `${test.has ? 'has the tag' : 'does not have the tag'} ${test.tag}`;
    case 'did':
    case 'didNot': {
      const times = sayTimes(test.times ?? 1);
      const since =
        test.since === 'ever'
          ? ''
          : test.since === 'entry'
            ? ' since entering'
            : ` in the last ${sayDuration(test.since.last).replace(/^1 (\w+)$/, '$1')}`;
      const phrase = `${test.test === 'did' ? 'has' : 'has not'} ${sayDone(test.event)}`;
      return `${phrase}${sayWhere(test.where, wording.currency)}${times}${since}`;
    }
  }
}

/** The name of a property of the event that started the run: "cart value". */
export function sayTriggerProperty(property: string, wording: Wording): string {
  const subject = wording.triggerType?.split('.')[0] ?? 'event';
  return `${subject} ${sayName(property)}`;
}

/** Says a rule as a sentence without its subject: "can be emailed and has not placed an order since entering". */
export function sayRule(rule: Rule, wording: Wording = {}): string {
  // a rule that is looked at for a million people is said once
  const id = `${wording.triggerType ?? ''} ${wording.currency ?? ''}`;
  let known = said.get(rule);
  if (!known) said.set(rule, (known = new Map()));
  let sentence = known.get(id);
  if (sentence === undefined) known.set(id, (sentence = compose(rule, wording)));
  return sentence;
}

const said = new WeakMap<Rule, Map<string, string>>();

function compose(rule: Rule, wording: Wording): string {
  const parts = partsOf(rule);
  if (!parts) return sayTest(rule as Test, wording);
  if ('none' in rule) return parts.length ? `none of: ${parts.map((part) => nested(part, wording)).join('; ')}` : 'anyone';
  if (!parts.length) return 'all' in rule ? 'anyone' : 'no one';
  if (parts.length === 1) return sayRule(parts[0]!, wording);
  return parts.map((part) => nested(part, wording)).join('all' in rule ? ' and ' : ' or ');
}

function nested(rule: Rule, wording: Wording): string {
  const parts = partsOf(rule);
  return parts && parts.length > 1 ? `(${sayRule(rule, wording)})` : sayRule(rule, wording);
}
