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
  /** properties of what starts the flow, in one */
  readonly started: readonly { readonly name: string; readonly kind: 'number' | 'text' }[];
}

export const NOTHING_KNOWN: Known = { events: [], attributes: [], lists: [], tags: [], segments: [], started: [] };

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
  for (const channel of CHANNELS)
    if (has(`can be reached consent agreed emailed ${channel} ${CHANNEL_WORDS[channel].noun}`))
      add(1e9, { test: 'consent', channel, reachable: !isNot }, 'consent');
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
