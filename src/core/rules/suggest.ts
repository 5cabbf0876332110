import { CHANNEL_WORDS, CHANNELS } from './channel';
import type { Rule } from './rule';
import { sayRule } from './sentence';
import { sayEvent, sayName } from './wording';

/** What there is to build conditions of: what has occurred, and how often. */
export interface Known {
  readonly events: readonly { readonly type: string; readonly count: number }[];
  readonly attributes: readonly {
    readonly name: string;
    readonly values: readonly { readonly value: string; readonly count: number }[];
    readonly isDate?: boolean;
  }[];
  readonly lists: readonly { readonly key: string; readonly name: string }[];
  readonly tags: readonly { readonly tag: string; readonly people: number }[];
  readonly segments: readonly { readonly key: string; readonly name: string }[];
  readonly flows: readonly { readonly key: string; readonly name: string }[];
  readonly topics: readonly { readonly key: string; readonly name: string }[];
  /** groups of countries of the store's own */
  readonly groups: readonly { readonly key: string; readonly name: string }[];
  /** properties of what starts the flow, in one */
  readonly started: readonly { readonly name: string; readonly kind: 'number' | 'text' }[];
  /** earlier steps of which something comes, in a flow: with their names */
  readonly answers: readonly { readonly step: string; readonly says: string; readonly properties?: readonly string[] }[];
}

export const NOTHING_KNOWN: Known = {
  events: [],
  attributes: [],
  lists: [],
  tags: [],
  segments: [],
  flows: [],
  topics: [],
  groups: [],
  started: [],
  answers: [],
};

/** A condition that can be meant by what was typed. */
export interface Suggestion {
  readonly says: string;
  /** how often it occurs, and of what: "1,204 people" */
  readonly note: string;
  readonly rule: Rule;
}

const GROUPS: readonly { readonly says: string; readonly words: string; readonly rule: Rule }[] = [
  { says: 'any of …', words: 'any of or', rule: { any: [] } },
  { says: 'all of …', words: 'all of and', rule: { all: [] } },
  { says: 'none of …', words: 'none of not', rule: { none: [] } },
];
type Ready = readonly [words: string, note: string, rule: Rule];
/** What is only asked inside a flow. */
const IN_FLOW = (count: number | undefined): readonly Ready[] => [
  [
    'weekday hour time of the week now clock',
    'this moment',
    { test: 'clock', hours: { weekdays: [1, 2, 3, 4, 5], from: '09:00', to: '17:00' } },
  ],
  [
    'which order number the present one is third first',
    'order',
    { test: 'did', event: 'order.placed', times: { exactly: count ?? 1 }, since: 'start' },
  ],
];

const SAID: Rule = { test: 'said', channel: 'email', state: 'given', is: true, how: { op: 'contains', value: 'checkout' } };
/** Near a place that is still to be named. */
const NEAR: Rule = { test: 'near', name: 'location', place: { latitude: 0, longitude: 0 }, within: 25, unit: 'km', is: true };
const number = new Intl.NumberFormat('en-IE');

/** Other words for what happens most, as they are typed: "ordered", "bought". */
const ALSO: { readonly [type: string]: string } = {
  'order.placed': 'ordered bought purchase order',
  'cart.updated': 'left a cart basket',
  'message.opened': 'opened open read',
  'message.clicked': 'clicked click',
  'message.delivered': 'received delivered got a message',
  'product.viewed': 'viewed looked browsed product',
};

/**
 * Conditions that can be meant by words typed: "ordered 3" is an order at least three times, "Netherlands" an attribute that
 * has this value, "clicked" an event. All words have to be found; the commonest come first.
 */
export function suggest(typed: string, known: Known, most = 8): Suggestion[] {
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  if (!words.length) return [];
  const count = words.map(Number).find((one) => Number.isInteger(one) && one > 0 && one <= 1000);
  const isNot = words.includes('not') || words.includes('never') || words.includes('no');
  const asked = words.filter((word) => !/^\d+$/.test(word) && !['not', 'never', 'no', 'times'].includes(word));
  const has = (text: string, all: readonly string[] = asked) => {
    const within = text.toLowerCase();
    return all.length > 0 && all.every((word) => within.includes(word));
  };
  const found: (Suggestion & { readonly rank: number })[] = [];
  const add = (rank: number, rule: Rule, note: string, says = sayRule(rule)) => found.push({ says, note, rule, rank });
  for (const { type, count: times } of known.events) {
    if (!has(`${type} ${sayEvent(type)} ${ALSO[type] ?? ''}`)) continue;
    const test = isNot ? 'didNot' : 'did';
    const note = `${number.format(times)} ever`;
    // what every shop asks for comes before what merely occurs often
    const rank = (ALSO[type] && has(ALSO[type]) ? 2 : 1) * 1e9 + times;
    add(rank, { test, event: type, ...(count && count > 1 && { times: count }), since: 'ever' }, note);
    if (!count) add(rank - 1, { test, event: type, since: { last: 'P30D' } }, note);
  }
  for (const { name, values, isDate } of known.attributes) {
    for (const { value, count: people } of values)
      if (
        has(
          `${sayName(name)} ${value}`,
          words.filter((word) => !['not', 'no'].includes(word)),
        ) &&
        has(value, asked.slice(-1))
      )
        add(
          people,
          { test: 'attribute', name, op: isNot ? 'isNot' : 'is', value },
          people === 1 ? '1 person' : `${number.format(people)} people`,
        );
    if (
      has(`${name} ${sayName(name)} changed rose fell risen fallen`) &&
      asked.some((word) => /^(chang|rose|risen|fell|fall)/.test(word))
    ) {
      const way = asked.some((word) => /^(rose|risen)/.test(word))
        ? 'rose'
        : asked.some((word) => /^(fell|fall)/.test(word))
          ? 'fell'
          : 'any';
      add(7e8, { test: 'changed', name, way, since: { last: 'P30D' } }, 'attribute');
    }
    if (isDate && has(`${name} ${sayName(name)} age years old`))
      add(4e8, { test: 'age', name, op: 'atLeast', value: count ?? 18 }, 'attribute');
    if (isDate && has(`${name} ${sayName(name)} birthday date`)) {
      add(6e8, { test: 'date', name, yearly: true, from: 0, to: 7 }, 'attribute');
      add(5e8, { test: 'date', name, yearly: false, from: -30, to: 0 }, 'attribute');
    }
    if (has(`${name} ${sayName(name)}`)) add(0, { test: 'attribute', name, op: isNot ? 'unknown' : 'known' }, 'attribute');
  }
  for (const { name, kind } of known.started)
    if (has(`${name} ${sayName(name)} start started trigger`))
      add(
        2e9,
        kind === 'number'
          ? { test: 'trigger', property: name, op: 'atLeast', value: words.map(Number).find((one) => Number.isFinite(one)) ?? 0 }
          : { test: 'trigger', property: name, op: 'known' },
        'of what starts the flow',
      );
  for (const { step, says, properties = ['value'] } of known.answers) {
    const words = `answer answered came what of step found ${says}`;
    if (has(words)) add(1.9e9, { test: 'answer', step, came: !isNot }, says);
    for (const property of properties)
      if (has(`${words} ${property} ${sayName(property)}`)) add(1.8e9, { test: 'answer', step, property, op: 'known' }, says);
  }
  for (const channel of CHANNELS)
    if (has(`can be reached consent agreed emailed ${channel} ${CHANNEL_WORDS[channel].noun}`))
      add(1e9, { test: 'consent', channel, reachable: !isNot }, 'consent');
  const event = (type: string, more: object): Rule => ({ test: 'did', event: type, since: 'ever', ...more }) as Rule;
  const ready: readonly Ready[] = [
    ['last order ordered days since', 'order', event('order.placed', { pick: { last: 1 }, since: { ago: 'P30D' } })],
    ['first order ordered', 'order', event('order.placed', { pick: { first: 1 }, since: { last: 'P30D' } })],
    [
      'viewed browsed and then not ordered bought',
      'one after another',
      event('product.viewed', { then: { event: 'order.placed', did: false } }),
    ],
    [
      'cart left open still and then not ordered',
      'cart',
      event('cart.updated', { pick: { last: 1 }, then: { event: 'order.placed', by: 'cartId', did: false } }),
    ],
    [
      'last messages not opened sleeping',
      'messages',
      {
        test: 'did',
        event: 'message.delivered',
        pick: { last: count && count > 1 && count <= 100 ? count : 3 },
        then: { event: 'message.opened', by: 'sendId', did: false },
        times: { exactly: count && count > 1 && count <= 100 ? count : 3 },
        since: 'ever',
      },
    ],
    ['total spent orders net value', 'orders', { test: 'orders', take: 'total', op: 'atLeast', value: count ?? 100, since: 'ever' }],
    ['number of orders', 'orders', { test: 'orders', take: 'number', op: 'atLeast', value: count ?? 2, since: 'ever' }],
    ['average order value', 'orders', { test: 'orders', take: 'average', op: 'atLeast', value: count ?? 50, since: 'ever' }],
    ['near within km miles of a place distance', 'place', NEAR],
    ['bounced address email', 'reach', { test: 'reach', channel: 'email', state: 'bounced', is: !isNot }],
    ['suppressed address email', 'reach', { test: 'reach', channel: 'email', state: 'suppressed', is: !isNot }],
    ['withdrawn consent unsubscribed email', 'reach', { test: 'reach', channel: 'email', state: 'withdrawn', is: !isNot }],
    ['agreed consent given how where at the checkout form import', 'consent', SAID],
    [
      'agreed consent given recently when',
      'consent',
      { test: 'said', channel: 'email', state: 'given', is: !isNot, since: { last: 'P30D' } },
    ],
    ['no consent on file never asked email', 'reach', { test: 'reach', channel: 'email', state: 'notAsked', is: true }],
    [
      'chance of buying again within a year predicted expected',
      'expected',
      { test: 'predicted', of: 'chanceOfBuying', op: 'atLeast', value: 0.5 },
    ],
    ['orders expected predicted', 'expected', { test: 'predicted', of: 'ordersExpected', op: 'atLeast', value: 1 }],
    ...(known.started.length ? IN_FLOW(count) : []),
  ];
  for (const [words, note, rule] of ready) if (has(words)) add(0.9e9, rule, note);
  for (const [key, name] of [
    ['EU', 'the EU European Union'],
    ['EEA', 'the EEA European Economic Area'],
    ...known.groups.map((one) => [one.key, one.name]),
  ])
    if (has(`country group ${name} ${key}`))
      add(6e8, { test: 'country', name: 'country', group: key!, member: !isNot }, 'group of countries');
  for (const { key, name } of known.flows)
    if (has(`flow in now inside been ${name} ${key}`)) {
      add(5e8 + 1, { test: 'flow', flow: key, was: 'inside', is: !isNot }, 'flow');
      add(5e8, { test: 'flow', flow: key, was: 'entered', is: !isNot }, 'flow');
    }
  if (has('tracking allowed lets openings clicks be counted measured')) add(3e8, { test: 'tracking', allowed: !isNot }, 'counting');
  for (const { key, name } of known.topics)
    if (has(`topic wants ${name} ${key}`)) add(4e8, { test: 'topic', topic: key, wants: !isNot }, 'topic');
  for (const { key, name } of known.segments)
    if (has(`segment ${name} ${key}`)) add(5e8, { test: 'segment', segment: key, member: !isNot }, 'segment');
  for (const { key, name } of known.lists) if (has(`list ${name} ${key}`)) add(4e8, { test: 'list', list: key, member: !isNot }, 'list');
  for (const { tag, people } of known.tags) if (has(`tag ${tag}`)) add(people, { test: 'tag', tag, has: !isNot }, 'tag');
  for (const { says, words: group, rule } of GROUPS) if (words.every((word) => group.includes(word))) add(3e9, rule, 'group', says);
  return found
    .sort((a, b) => b.rank - a.rank)
    .slice(0, most)
    .map(({ rank: _, ...one }) => one);
}
