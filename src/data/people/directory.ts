import { CHANNELS, type Channel, type Facts, type Rule, type Value, type World } from '@/core/rules';
import type { Instant } from '@/core/time';
import { query, type Sql } from '../db';
import { REACH_COLUMNS, reachOf, ruleToSql, type Compiled } from '../rules';

export interface DirectoryRow {
  id: string;
  external_id: string | null;
  email: string | null;
  attributes: Record<string, Value>;
  seen_at: Date;
  created_at: Date;
  is_known: boolean;
  reach: Facts['reach'];
  orders: number;
  minor: string;
  last_order_at: Date | null;
  tags: string[];
}

/** Columns by which people can be sorted, and `attribute:NAME` for any attribute. */
export const SORTS = ['seen', 'created', 'name', 'email', 'id', 'orders', 'value', 'lastOrder'] as const;
export type Sort = (typeof SORTS)[number] | `attribute:${string}`;

const EXPRESSIONS: Record<'seen' | 'created' | 'name' | 'email' | 'id', string> = {
  seen: 'p.seen_at',
  created: 'p.created_at',
  name: `lower(coalesce(p.attributes->>'lastName', p.attributes->>'firstName', p.email, p.external_id))`,
  email: 'p.email',
  id: 'p.external_id',
};
const STANDING: Record<string, string> = { orders: 'o.orders', value: 'o.net_minor', lastOrder: 'o.last_at' };

export interface Filter {
  readonly words: string | null;
  readonly rule: Compiled | null;
  readonly insideFlow: string | null;
  /** just these people, by our own numbers */
  readonly ids?: readonly string[] | null;
}

/** The condition over `people p` that a filter stands for. */
export function filterToSql(filter: Filter): Compiled {
  const conditions: string[] = ['p.erased_at is null'];
  const bindings: Record<string, unknown> = {};
  // each word must be found: "lotte dorn" is a first and a last name
  filter.words
    ?.toLowerCase()
    .split(/\s+/)
    .filter(Boolean)
    .slice(0, 6)
    .forEach((word, index) => {
      conditions.push(`p.search like :word${index}`);
      // trigrams need three characters: a shorter word is looked for at the beginning of one
      bindings[`word${index}`] = `%${word.length < 3 ? ' ' : ''}${word.replace(/[\\%_]/g, '\\$&')}%`;
    });
  if (filter.rule) {
    conditions.push(filter.rule.condition);
    Object.assign(bindings, filter.rule.bindings);
  }
  if (filter.insideFlow) {
    conditions.push(
      `exists (select 1 from runs r join flows f on f.id = r.flow_id where r.person_id = p.id and r.phase = 'inside' and f.key = :insideFlow)`,
    );
    bindings.insideFlow = filter.insideFlow;
  }
  if (filter.ids) {
    conditions.push('p.id = any(cast(:chosenIds as bigint[]))');
    bindings.chosenIds = filter.ids;
  }
  return { condition: conditions.join(' and '), bindings };
}

/** How many people match. */
export async function countPeople(sql: Sql, filter: Filter): Promise<number> {
  const { condition, bindings } = filterToSql(filter);
  const [row] = await query<{ count: number }>(sql, `select count(*)::int as count from people p where ${condition}`, bindings);
  return row!.count;
}

/** How many people pass one condition after another, and how many of those who pass all can be reached on each channel. */
export interface Narrowed {
  readonly everybody: number;
  /** after each condition, in order */
  readonly left: readonly number[];
  /** ten who pass all, whoever was seen last first, and ten who fall out at the last */
  readonly some: readonly string[];
  readonly nearly: readonly string[];
  readonly reachable: { readonly [channel in Channel]: number };
}

/** Counts, looking at each person once and at a condition only for who has passed those before it. */
export async function countNarrowing(
  sql: Sql,
  conditions: readonly Compiled[],
  reach: { readonly [channel in Channel]: Compiled },
  /** just these people; everybody where it is null */
  among: readonly string[] | null = null,
): Promise<Narrowed> {
  const passed = conditions.map(({ condition }, place) => `when not ${condition} then ${place}`).join(' ');
  const isReachable = (channel: Channel) => `count(*) filter (where passed = ${conditions.length} and ${channel})::int as ${channel}`;
  const rows = await query<{ passed: number; count: number; some: string[] | null } & Record<Channel, number>>(
    sql,
    `select passed, count(*)::int as count, ${CHANNELS.map(isReachable).join(', ')},
       (array_agg(id order by seen_at desc, id desc) filter (where passed >= ${conditions.length - 1}))[1:10] as some
     from (
       select p.id, p.seen_at, passed, ${CHANNELS.map((channel) => `passed = ${conditions.length} and ${reach[channel].condition} as ${channel}`).join(', ')}
       from (
         -- looked at once, however often it is asked for how far somebody has come
         select p.id, p.seen_at, p.email, p.attributes, p.paused_until, ${passed ? `case ${passed} else ${conditions.length} end` : '0'} as passed
         from people p where p.erased_at is null${among ? ' and p.id = any(cast(:among as bigint[]))' : ''} offset 0
       ) p
     ) looked group by passed`,
    Object.assign(among ? { among } : {}, ...[...conditions, ...Object.values(reach)].map((one) => one.bindings)) as Record<
      string,
      unknown
    >,
  );
  const atLeast = (place: number) => rows.filter((row) => row.passed >= place).reduce((sum, row) => sum + row.count, 0);
  const last = rows.find((row) => row.passed === conditions.length);
  return {
    everybody: atLeast(0),
    left: conditions.map((_, place) => atLeast(place + 1)),
    some: last?.some ?? [],
    nearly: rows.find((row) => row.passed === conditions.length - 1)?.some ?? [],
    reachable: { email: last?.email ?? 0, sms: last?.sms ?? 0, push: last?.push ?? 0 },
  };
}

/**
 * People drawn evenly from all on file, by their numbers; null where there are fewer than `least`. Numbers are drawn and those
 * that nobody has are passed over, so nobody is likelier than another.
 */
export async function samplePeople(sql: Sql, size: number, least: number): Promise<{ ids: string[]; everybody: number } | null> {
  const [about] = await query<{ people: number; first: string; last: string }>(
    sql,
    `select (select greatest(reltuples, 0)::float8 from pg_class where oid = 'people'::regclass) as people,
       (select min(id) from people) as first, (select max(id) from people) as last`,
  );
  if (!about || about.people < least) return null;
  const rows = await query<{ id: string }>(
    sql,
    `select distinct p.id from (select cast(:first as bigint) + floor(random() * (cast(:last as bigint) - cast(:first as bigint) + 1))::bigint as id
       from generate_series(1, cast(:draws as int))) drawn join people p on p.id = drawn.id where p.erased_at is null`,
    {
      first: about.first,
      last: about.last,
      draws: Math.ceil(size * Math.min(10, (Number(about.last) - Number(about.first) + 1) / about.people)),
    },
  );
  // all that were found: the first so many of them would be the oldest
  return { ids: rows.map(({ id }) => id), everybody: Math.round(about.people) };
}

/** Numbers of people for whom a rule holds (of everybody where it is null), above a number, ascending. */
export async function peopleFor(
  sql: Sql,
  rule: Rule | null,
  {
    now,
    zone,
    world,
    clocks,
  }: {
    readonly now: Instant;
    readonly zone: string;
    readonly world?: World;
    /** only people of one zone, or of none of these */
    readonly clocks?: { readonly is: string } | { readonly isNone: readonly string[] } | undefined;
  },
  after: string,
  limit: number,
): Promise<string[]> {
  const { condition, bindings } = rule ? ruleToSql(rule, now, zone, { ...(world && { world }) }) : { condition: 'true', bindings: {} };
  const ofZone = !clocks
    ? ''
    : 'is' in clocks
      ? `and p.attributes ->> 'zone' = :ofZone`
      : `and coalesce(p.attributes ->> 'zone', '') <> all(cast(:ofZone as text[]))`;
  const rows = await query<{ id: string }>(
    sql,
    `select p.id from people p where p.id > :after and p.erased_at is null and ${condition} ${ofZone} order by p.id limit :limit`,
    { ...bindings, after, limit, ...(clocks && { ofZone: 'is' in clocks ? clocks.is : clocks.isNone }) },
  );
  return rows.map(({ id }) => id);
}

/** How many people a rule holds of, after one of them: how many {@link peopleFor} would still name. */
export async function countFor(
  sql: Sql,
  rule: Rule | null,
  { now, zone, world }: { readonly now: Instant; readonly zone: string; readonly world?: World },
  after = '0',
): Promise<number> {
  const { condition, bindings } = rule ? ruleToSql(rule, now, zone, { ...(world && { world }) }) : { condition: 'true', bindings: {} };
  const [row] = await query<{ count: number }>(
    sql,
    `select count(*)::int as count from people p where p.id > :after and p.erased_at is null and ${condition}`,
    { ...bindings, after },
  );
  return row!.count;
}

/** Names and addresses of a few people, in the order in which they were asked for. */
export async function fewPeople(
  sql: Sql,
  ids: readonly string[],
): Promise<{ id: string; external_id: string | null; email: string | null; attributes: Record<string, Value> }[]> {
  return query(
    sql,
    `select p.id, p.external_id, p.email, p.attributes from people p where p.id = any(cast(:ids as bigint[]))
     order by array_position(cast(:ids as bigint[]), p.id)`,
    { ids },
  );
}

/** How many hits of a search are sorted one by one. */
const FEW = 2000;

/** A page of people who match, with their orders and what those came to in the store's currency. */
export async function listPeople(
  sql: Sql,
  filter: Filter,
  sort: Sort,
  isDown: boolean,
  limit: number,
  offset: number,
): Promise<DirectoryRow[]> {
  const { condition, bindings } = filterToSql(filter);
  const down = isDown ? 'desc' : 'asc';
  const standing = STANDING[sort];
  const isAttribute = sort.startsWith('attribute:');
  const key = standing ?? (isAttribute ? 'p.attributes->:sortName' : EXPRESSIONS[sort as keyof typeof EXPRESSIONS]);
  const paged = { ...bindings, limit, offset, ...(isAttribute && { sortName: sort.slice(10) }) };
  if (filter.words && !filter.ids) {
    // words that few people have are found by the index of words and sorted afterwards; of words that many have, the
    // first page is found soon in the order asked for. Which it is, counting a little tells: the planner cannot know.
    const hits = await query<{ id: string; found: number }>(
      sql,
      `with hits as materialized (select p.id, ${key} as key from people p ${standing ? 'left join standing o on o.person_id = p.id' : ''}
        where ${condition} limit ${FEW + 1})
       select id, (select count(*)::int from hits) as found from hits order by key ${down} nulls last, id ${down} limit :limit offset :offset`,
      paged,
    );
    if (!hits.length && !offset) return [];
    if (hits[0] && hits[0].found <= FEW)
      return pageOf(
        sql,
        'select cast(id as bigint) as id from unnest(cast(:hitIds as bigint[])) with ordinality as h(id, place) order by place',
        { hitIds: hits.map((hit) => hit.id) },
      );
  }
  if (!standing) {
    // a person's number breaks ties, so that no page repeats another; who lacks the value comes last either way
    const order = `${key} ${down}${sort === 'seen' || sort === 'created' ? '' : ' nulls last'}, p.id ${down}`;
    return pageOf(sql, `select p.id from people p where ${condition} order by ${order} limit :limit offset :offset`, paged);
  }
  // those who have ordered stand in an index of their own; the others come after them, or before
  const ordered = `select p.id from standing o join people p on p.id = o.person_id where ${condition}`;
  const others = `select p.id from people p where ${condition} and not exists (select 1 from standing o where o.person_id = p.id)`;
  const parts = [
    { from: ordered, order: `${standing} ${down}, o.person_id ${down}` },
    { from: others, order: `p.id ${down}` },
  ];
  if (!isDown) parts.reverse();
  const rows: DirectoryRow[] = [];
  let skip = offset;
  for (const { from, order } of parts) {
    if (rows.length >= limit) break;
    const found = await pageOf(sql, `${from} order by ${order} limit :limit offset :offset`, {
      ...bindings,
      limit: limit - rows.length,
      offset: skip,
    });
    if (!found.length && skip > 0) {
      const [count] = await query<{ count: number }>(sql, `select count(*)::int as count from (${from}) x`, bindings);
      skip = Math.max(0, skip - count!.count);
    } else skip = 0;
    rows.push(...found);
  }
  return rows;
}

async function pageOf(sql: Sql, page: string, bindings: Record<string, unknown>): Promise<DirectoryRow[]> {
  const rows = await query<Omit<DirectoryRow, 'reach'> & Parameters<typeof reachOf>[0]>(
    sql,
    `with page as materialized (select id, row_number() over () as place from (${page}) x)
     select p.id, p.external_id, p.email, p.attributes, p.seen_at, p.created_at, p.is_known, ${REACH_COLUMNS},
       coalesce(o.orders, 0) as orders, coalesce(o.net_minor, 0) as minor, o.last_at as last_order_at,
       array(select t.tag from person_tags t where t.person_id = p.id order by t.tag) as tags
     from page join people p using (id) left join standing o on o.person_id = p.id order by page.place`,
    bindings,
  );
  return rows.map((row) => ({ ...row, reach: reachOf(row) }));
}
