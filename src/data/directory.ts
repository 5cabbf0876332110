import type { Value } from '@/core/rules';
import { query, type Sql } from './db';
import type { Compiled } from './rules';

export interface DirectoryRow {
  id: string;
  external_id: string | null;
  email: string | null;
  attributes: Record<string, Value>;
  seen_at: Date;
  created_at: Date;
  consent: 'given' | 'withdrawn' | null;
  suppressed: string | null;
  orders: number;
  minor: string;
}

export const SORTS = { seen: 'p.seen_at desc, p.id desc', created: 'p.created_at desc, p.id desc', name: `lower(coalesce(p.attributes->>'lastName', p.attributes->>'firstName', p.email, p.external_id)) asc nulls last, p.id`, value: 'coalesce(o.minor, 0) desc, p.id desc', orders: 'coalesce(o.orders, 0) desc, p.id desc' } as const;
export type Sort = keyof typeof SORTS;

export interface Filter {
  readonly words: string | null;
  readonly rule: Compiled | null;
  readonly insideFlow: string | null;
}

function where(filter: Filter): { condition: string; bindings: Record<string, unknown> } {
  const conditions: string[] = [];
  const bindings: Record<string, unknown> = {};
  if (filter.words) {
    conditions.push(`(p.email ilike :words or p.external_id ilike :words or (coalesce(p.attributes->>'firstName', '') || ' ' || coalesce(p.attributes->>'lastName', '')) ilike :words)`);
    bindings.words = `%${filter.words.replace(/[\\%_]/g, '\\$&')}%`;
  }
  if (filter.rule) {
    conditions.push(filter.rule.condition);
    Object.assign(bindings, filter.rule.bindings);
  }
  if (filter.insideFlow) {
    conditions.push(`exists (select 1 from runs r join flows f on f.id = r.flow_id where r.person_id = p.id and r.phase = 'inside' and f.key = :insideFlow)`);
    bindings.insideFlow = filter.insideFlow;
  }
  return { condition: conditions.length ? conditions.join(' and ') : 'true', bindings };
}

/** How many people match. */
export async function countPeople(sql: Sql, filter: Filter): Promise<number> {
  const { condition, bindings } = where(filter);
  const [row] = await query<{ count: number }>(sql, `select count(*)::int as count from people p where ${condition}`, bindings);
  return row!.count;
}

/** A page of people who match, with their orders and what those came to in the store's currency. */
export async function listPeople(sql: Sql, filter: Filter, sort: Sort, currency: string, limit: number, offset: number): Promise<DirectoryRow[]> {
  const { condition, bindings } = where(filter);
  const totals = `select person_id, count(*)::int as orders, sum(case when is_cancelled or currency <> :currency then 0 else greatest(0, value_minor - refunded_minor) end) as minor from orders where placed_at is not null`;
  const needsTotals = sort === 'value' || sort === 'orders';
  // totals are computed for the page's people alone, unless it is sorted by them
  return query<DirectoryRow>(
    sql,
    `with page as (
       select p.* ${needsTotals ? ', o.orders, o.minor' : ''} from people p ${needsTotals ? `left join (${totals} group by 1) o on o.person_id = p.id` : ''}
       where ${condition} order by ${SORTS[sort]} limit :limit offset :offset
     )
     select p.id, p.external_id, p.email, p.attributes, p.seen_at, p.created_at, c.state as consent, s.reason as suppressed, coalesce(o.orders, 0) as orders, coalesce(o.minor, 0) as minor
     from page p left join consents c on c.person_id = p.id and c.channel = 'email'
     left join suppressions s on s.channel = 'email' and s.address = p.email
     left join lateral (${totals} and person_id = p.id group by 1) o on true
     order by ${SORTS[sort]}`,
    { ...bindings, currency, limit, offset },
  );
}
