import type { Rule } from '../rules';

/** A segment that every shop can use. */
export interface Ready {
  readonly key: string;
  readonly name: string;
  readonly about: string;
  readonly rule: Rule;
}

const bought = (more: object): Rule => ({ test: 'did', event: 'order.placed', since: 'ever', ...more }) as Rule;
const last = (duration: string) => ({ since: { last: duration } });

/**
 * Segments of ours. `highValue` is what the orders of somebody have to come to, in the store's currency, to be among the
 * tenth who bought most, null where nobody has bought yet; `birthday` the attribute that holds one, null where none does.
 * Ninety days of silence and the like are common practice.
 */
export function readyMade(highValue: number | null, birthday: string | null): Ready[] {
  const ready: Ready[] = [
    {
      key: 'never-bought',
      name: 'Never bought',
      about: 'On file, and no order yet',
      rule: { test: 'didNot', event: 'order.placed', since: 'ever' },
    },
    {
      key: 'new-customers',
      name: 'New customers',
      about: 'Their first order was in the last 30 days',
      rule: bought({ pick: { first: 1 }, ...last('P30D') }),
    },
    { key: 'one-order', name: 'One order only', about: 'Bought once and not again', rule: bought({ times: { exactly: 1 } }) },
    { key: 'regulars', name: 'Regulars', about: 'Two orders or more', rule: bought({ times: 2 }) },
    {
      key: 'about-to-lapse',
      name: 'About to lapse',
      about: 'The last order is 60 to 90 days ago',
      rule: { all: [bought({ pick: { last: 1 }, since: { ago: 'P60D' } }), bought(last('P90D'))] },
    },
    {
      key: 'lapsed',
      name: 'Lapsed',
      about: 'Bought before, and nothing for 90 days',
      rule: bought({ pick: { last: 1 }, since: { ago: 'P90D' } }),
    },
    {
      key: 'engaged',
      name: 'Engaged',
      about: 'Opened or clicked a message in the last 60 days',
      rule: {
        any: [
          { test: 'did', event: 'message.opened', ...last('P60D') },
          { test: 'did', event: 'message.clicked', ...last('P60D') },
        ],
      },
    },
    {
      key: 'slept-through-three',
      name: 'Slept through three',
      about: 'Opened none of the last three messages',
      rule: {
        test: 'did',
        event: 'message.delivered',
        pick: { last: 3 },
        then: { event: 'message.opened', by: 'sendId', did: false },
        times: { exactly: 3 },
        since: 'ever',
      },
    },
    {
      key: 'asleep',
      name: 'Asleep',
      about: 'Had three messages or more in 90 days and opened none',
      rule: {
        all: [
          { test: 'did', event: 'message.delivered', times: 3, ...last('P90D') },
          { test: 'didNot', event: 'message.opened', ...last('P90D') },
        ],
      },
    },
    {
      key: 'can-be-emailed',
      name: 'Can be emailed',
      about: 'Agreed to email and can be reached by it',
      rule: { test: 'consent', channel: 'email', reachable: true },
    },
  ];
  if (birthday !== null)
    ready.push({
      key: 'birthday-this-week',
      name: 'Birthday this week',
      about: 'A birthday in the next seven days',
      rule: { test: 'date', name: birthday, yearly: true, from: 0, to: 6 },
    });
  if (highValue !== null)
    ready.splice(4, 0, {
      key: 'high-value',
      name: 'High value',
      about: 'The tenth whose orders come to most',
      rule: { test: 'orders', take: 'total', op: 'atLeast', value: highValue, since: 'ever' },
    });
  return ready;
}
