import type { Rule } from '../rules';

/** A segment that every shop can use. */
export interface Ready {
  readonly key: string;
  readonly name: string;
  readonly about: string;
  readonly rule: Rule;
}

const bought = (more: object): Rule => ({ test: 'did', event: 'order.placed', since: 'ever', ...more }) as Rule;
const notBought = (more: object): Rule => ({ ...bought(more), test: 'didNot' }) as Rule;
const last = (duration: string) => ({ since: { last: duration } });

/**
 * Segments of ours. `highValue` is what the orders of somebody have to come to, in the store's currency, to be among the
 * tenth who bought most; null where nobody has bought yet. Ninety days of silence and the like are common practice.
 */
export function readyMade(highValue: number | null): Ready[] {
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
      rule: { all: [bought({ times: { exactly: 1 } }), bought(last('P30D'))] },
    },
    { key: 'one-order', name: 'One order only', about: 'Bought once and not again', rule: bought({ times: { exactly: 1 } }) },
    { key: 'regulars', name: 'Regulars', about: 'Two orders or more', rule: bought({ times: 2 }) },
    {
      key: 'about-to-lapse',
      name: 'About to lapse',
      about: 'The last order is 60 to 90 days ago',
      rule: { all: [bought(last('P90D')), notBought(last('P60D'))] },
    },
    {
      key: 'lapsed',
      name: 'Lapsed',
      about: 'Bought before, and nothing for 90 days',
      rule: { all: [bought({}), notBought(last('P90D'))] },
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
  if (highValue !== null)
    ready.splice(4, 0, {
      key: 'high-value',
      name: 'High value',
      about: 'The tenth whose orders come to most',
      rule: { test: 'total', event: 'order.placed', of: 'value', take: 'sum', op: 'atLeast', value: highValue, since: 'ever' },
    });
  return ready;
}
