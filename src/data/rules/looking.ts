import { spanOf, type Hours, type PropertyTest, type Since, type Test, type WhereTest, type World } from '@/core/rules';
import type { Instant } from '@/core/time';

/** A rule as a SQL condition over `people p`, with its named bindings. */
export interface Compiled {
  readonly condition: string;
  readonly bindings: Record<string, unknown>;
}

/** A rule that has no meaning for a list of people, such as one that looks at the event which started a run. */
export class NotForLists extends Error {}

/** Gathers the bindings of a condition, and gives each its place in it. */
export function binder(prefix: string) {
  const bindings: Record<string, unknown> = {};
  let count = 0;
  const bind = (value: unknown, cast = ''): string => {
    const name = `${prefix}${count++}`;
    bindings[name] = value;
    // not `:name::type`: the query builder reads `:name:` as an identifier
    return cast ? `cast(:${name} as ${cast})` : `:${name}`;
  };
  return { bind, bindings };
}
export type Bind = ReturnType<typeof binder>['bind'];

/** The jsonb value at a path that may be one name with dots in it or a path of names. */
export const at = (bind: Bind, object: string, path: string): string =>
  path.includes('.')
    ? `(case when jsonb_exists(${object}, ${bind(path, 'text')}) then ${object} -> ${bind(path, 'text')}
        else ${object} #> ${bind(path.split('.'), 'text[]')} end)`
    : `(${object} -> ${bind(path, 'text')})`;

export function compareSql(bind: Bind, value: string, test: Pick<PropertyTest, 'op' | 'value'>): string {
  const known = `(${value} is not null and jsonb_typeof(${value}) <> 'null')`;
  const literal = (one: unknown) => bind(JSON.stringify(one), 'jsonb');
  const number = (operator: string) =>
    `(case when jsonb_typeof(${value}) = 'number' then (${value})::text::numeric ${operator} ${bind(String(test.value), 'numeric')} else false end)`;
  switch (test.op) {
    case 'known':
      return known;
    case 'unknown':
      return `(not ${known})`;
    case 'is':
      return `coalesce(${value} = ${literal(test.value)}, false)`;
    case 'isNot':
      return `coalesce(${value} <> ${literal(test.value)}, true)`;
    case 'oneOf': {
      const list = test.value as unknown[];
      return list.length ? `coalesce(${value} in (${list.map(literal).join(', ')}), false)` : 'false';
    }
    case 'noneOf': {
      const list = test.value as unknown[];
      return list.length ? `coalesce(${value} not in (${list.map(literal).join(', ')}), true)` : 'true';
    }
    case 'startsWith':
      return `(case when jsonb_typeof(${value}) = 'string' then starts_with(${value} #>> '{}', ${bind(test.value, 'text')}) else false end)`;
    case 'between': {
      const [least, most] = test.value as [number, number];
      const bounds = `${bind(String(least), 'numeric')} and ${bind(String(most), 'numeric')}`;
      return `(case when jsonb_typeof(${value}) = 'number' then (${value})::text::numeric between ${bounds} else false end)`;
    }
    case 'contains':
      return `(case jsonb_typeof(${value}) when 'string' then position(${bind(test.value, 'text')} in (${value} #>> '{}')) > 0
        when 'array' then ${value} @> ${literal(test.value)} else false end)`;
    case 'onOrAfter':
    case 'onOrBefore': {
      const text = `(${value} #>> '{}')`;
      const operator = test.op === 'onOrAfter' ? '>=' : '<=';
      return `(case when jsonb_typeof(${value}) = 'string' then ${text} ~ '^\\d{4}-\\d{2}-\\d{2}([T ]|$)'
        and left(${text}, 10) collate "C" ${operator} ${bind(test.value, 'text')} else false end)`;
    }
    case 'atLeast':
      return number('>=');
    case 'above':
      return number('>');
    case 'atMost':
      return number('<=');
    case 'below':
      return number('<');
  }
}

export function whereTestSql(bind: Bind, object: string, test: WhereTest): string {
  const value = at(bind, object, test.property);
  if (!('any' in test)) return compareSql(bind, value, test);
  const item = test.any.map((one) => compareSql(bind, at(bind, 'item.value', one.property), one));
  return `exists (select 1 from jsonb_array_elements(case when jsonb_typeof(${value}) = 'array' then ${value} else cast('[]' as jsonb) end) as item(value)
    where jsonb_typeof(item.value) = 'object' and ${item.join(' and ')})`;
}

/** Tests of an event (an alias of `events`) as a SQL condition: `true` without any. */
export function whereSql(event: string, where: readonly WhereTest[], within: (Hours & { readonly zone: string }) | null = null): Compiled {
  const { bind, bindings } = binder('w');
  const parts = where.map((test) => whereTestSql(bind, `${event}.properties`, test));
  if (within) parts.push(hoursSql(bind, `${event}.time`, within, within.zone));
  return { condition: parts.join(' and ') || 'true', bindings };
}

/** Whether a moment is at some times of the week, by the clocks of a zone. */
export function hoursSql(bind: Bind, moment: string, { weekdays, from, to }: Hours, zone: string): string {
  const local = `(${moment} at time zone ${bind(zone, 'text')})`;
  const parts = weekdays ? [`extract(isodow from ${local}) = any(${bind(weekdays, 'int[]')})`] : [];
  if (from !== undefined && to !== undefined) {
    const [clock, first, last] = [`cast(${local} as time)`, bind(from, 'time'), bind(to, 'time')];
    parts.push(`(${clock} >= ${first} ${from < to ? 'and' : 'or'} ${clock} < ${last})`);
  }
  return `(${parts.join(' and ')})`;
}

/** What a test compiles with: the place of a value, and the moment and zone from which it is looked at. */
export interface Looking {
  readonly bind: Bind;
  readonly now: Instant;
  readonly nowSql: string;
  readonly zone: string;
  readonly world: World;
  /** everybody is looked at: what happened is gathered once for all, instead of looked up for each */
  readonly isWhole: boolean;
}
export type OfKind<K extends Test['test']> = Extract<Test, { test: K }>;

/** Compares a number with what a rule asks, as {@link compareSql} does a value. */
export function numberSql(number: string, { op, value }: Pick<OfKind<'orders'>, 'op' | 'value'>, bound: (asked: number) => string): string {
  const [least, most] = Array.isArray(value) ? value : [value, value];
  if (op === 'between') return `${number} between ${bound(least)} and ${bound(most)}`;
  return `${number} ${{ is: '=', atLeast: '>=', above: '>', atMost: '<=', below: '<' }[op]} ${bound(least)}`;
}

export const not = (isIt: boolean, condition: string) => (isIt ? condition : `(not ${condition})`);

/** Whether a moment is within what a rule means by since, as conditions; none where that is ever. */
export function sinceSql(since: Since, moment: string, { bind, now, nowSql, zone }: Looking): string[] {
  if (since === 'entry' || since === 'start') throw new NotForLists('what started a run, and when it entered, is only known inside a flow');
  const { after, isFrom, to } = spanOf(since, { now, zone });
  const at = (one: Instant) => bind(new Date(one), 'timestamptz');
  const conditions = [`${moment} <= ${to === now ? nowSql : at(to)}`];
  if (Number.isFinite(after)) conditions.push(`${moment} ${isFrom ? '>=' : '>'} ${at(after)}`);
  return conditions;
}
