import type { Rule } from '@/core/rules';
import { FIRST_COLUMNS } from './columns';

const REACH: Record<string, Rule> = {
  yes: { test: 'consent', channel: 'email', reachable: true },
  no: { test: 'consent', channel: 'email', reachable: false },
};
/** Filters by orders that every shop asks for. */
export const ORDERED: Record<string, { name: string; rule: Rule }> = {
  month: { name: 'ordered in the last 30 days', rule: { test: 'did', event: 'order.placed', since: { last: 'P30D' } } },
  twice: { name: 'ordered twice or more', rule: { test: 'did', event: 'order.placed', times: 2, since: 'ever' } },
  quiet: {
    name: 'ordered, but not in the last 90 days',
    rule: {
      all: [
        { test: 'did', event: 'order.placed', since: 'ever' },
        { test: 'didNot', event: 'order.placed', since: { last: 'P90D' } },
      ],
    },
  },
  never: { name: 'never ordered', rule: { test: 'didNot', event: 'order.placed', since: 'ever' } },
  left: {
    name: 'left a cart in the last 7 days',
    rule: {
      all: [
        { test: 'did', event: 'cart.updated', since: { last: 'P7D' } },
        { test: 'didNot', event: 'order.placed', since: { last: 'P7D' } },
      ],
    },
  },
};
/** How an attribute can be asked for. */
export const OPS = [
  ['is', 'is'],
  ['isNot', 'is not'],
  ['contains', 'contains'],
  ['atLeast', 'is at least'],
  ['atMost', 'is at most'],
  ['known', 'is known'],
  ['unknown', 'is not known'],
] as const;

export interface AttributeFilter {
  readonly name: string;
  readonly op: (typeof OPS)[number][0];
  readonly value: string | number | boolean;
}
/** What the table of people shows, as it stands in the address: filters, order and columns. */
export interface View {
  q: string;
  reach: string;
  ordered: string;
  inside: string;
  segment: string;
  list: string;
  tag: string;
  rule: string;
  sort: string;
  direction: string;
  columns: string;
  where: string;
}
export const EMPTY: View = {
  q: '',
  reach: '',
  ordered: '',
  inside: '',
  segment: '',
  list: '',
  tag: '',
  rule: '',
  sort: 'seen',
  direction: 'down',
  columns: FIRST_COLUMNS.join(','),
  where: '',
};

export const readView = (query: string): View => ({
  ...EMPTY,
  ...Object.fromEntries([...new URLSearchParams(query)].filter(([name]) => name in EMPTY)),
});
export const writeView = (view: View): string =>
  new URLSearchParams(Object.entries(view).filter(([name, value]) => value !== EMPTY[name as keyof View])).toString();

/** The filters by attributes; what cannot be read is none. */
export function conditionsOf(view: View): AttributeFilter[] {
  try {
    const list: unknown = view.where ? JSON.parse(view.where) : [];
    return Array.isArray(list) ? (list as AttributeFilter[]) : [];
  } catch {
    return [];
  }
}

/** The filters as one rule; null where nothing is filtered. */
export function ruleOf(view: View): Rule | null {
  const parts: Rule[] = [];
  if (view.rule) {
    try {
      parts.push(JSON.parse(view.rule) as Rule);
    } catch {
      // the server reads the address again and says what is wrong
    }
  }
  if (REACH[view.reach]) parts.push(REACH[view.reach]!);
  if (ORDERED[view.ordered]) parts.push(ORDERED[view.ordered]!.rule);
  if (view.segment) parts.push({ test: 'segment', segment: view.segment, member: true });
  if (view.list) parts.push({ test: 'list', list: view.list, member: true });
  if (view.tag) parts.push({ test: 'tag', tag: view.tag, has: true });
  for (const { name, op, value } of conditionsOf(view)) {
    parts.push({ test: 'attribute', name, op, ...(op !== 'known' && op !== 'unknown' && { value }) });
  }
  return parts.length ? (parts.length === 1 ? parts[0]! : { all: parts }) : null;
}
