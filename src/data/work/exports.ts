import type { Knex } from 'knex';
import { query, type Db } from '../db';
import { filterToSql, type Filter } from '../people';

export const EXPORTS = ['people', 'events', 'orders', 'consent'] as const;
export type ExportKind = (typeof EXPORTS)[number];

export interface ExportColumn {
  readonly name: string;
  readonly sql: string;
  readonly isAttribute?: boolean;
}

const literal = (text: string): string => `'${text.replaceAll("'", "''")}'`;
const iso = (column: string): string => `to_char(${column} at time zone 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS"Z"')`;
const WHO: readonly ExportColumn[] = [
  { name: 'personId', sql: `coalesce(p.external_id, '~' || p.id)` },
  { name: 'email', sql: 'p.email' },
];

const COLUMNS: Record<Exclude<ExportKind, 'people'>, { from: string; columns: readonly ExportColumn[] }> = {
  events: {
    from: 'events x join people p on p.id = x.person_id',
    columns: [
      ...WHO,
      { name: 'type', sql: 'x.type' },
      { name: 'time', sql: iso('x.time') },
      { name: 'source', sql: 'x.source' },
      { name: 'id', sql: 'x.event_id' },
      { name: 'properties', sql: 'x.properties' },
    ],
  },
  orders: {
    from: 'orders x join people p on p.id = x.person_id',
    columns: [
      ...WHO,
      { name: 'orderId', sql: 'x.order_id' },
      { name: 'placedAt', sql: iso('x.placed_at') },
      { name: 'currency', sql: 'x.currency' },
      { name: 'valueMinor', sql: 'x.value_minor' },
      { name: 'discountMinor', sql: 'x.discount_minor' },
      { name: 'refundedMinor', sql: 'x.refunded_minor' },
      { name: 'isCancelled', sql: 'x.is_cancelled' },
      { name: 'cartId', sql: 'x.cart_id' },
    ],
  },
  consent: {
    from: 'consent_log x join people p on p.id = x.person_id',
    columns: [
      ...WHO,
      ...['channel', 'state'].map((name) => ({ name, sql: `x.${name}` })),
      { name: 'at', sql: iso('x.at') },
      { name: 'recordedAt', sql: iso('x.recorded_at') },
      ...['how', 'place', 'wording', 'box', 'country', 'address'].map((name) => ({ name, sql: `x.${name}` })),
      { name: 'enteredBy', sql: 'x.actor' },
    ],
  },
};

/** The columns of an export. People have one for each attribute that is on record. */
export async function exportColumns(db: Db, kind: ExportKind): Promise<readonly ExportColumn[]> {
  if (kind !== 'people') return COLUMNS[kind].columns;
  const names = (
    await query<{ name: string }>(
      db,
      `select name from attributes where goes_to is null and retired_at is null and name not in ('email')
        order by name in ('firstName', 'lastName', 'phone', 'country', 'zone') desc, name`,
    )
  ).map((row) => row.name);
  return [
    { name: 'externalId', sql: 'p.external_id' },
    { name: 'email', sql: 'p.email' },
    ...names.map((name) => ({ name, sql: `p.attributes->>${literal(name)}`, isAttribute: true })),
    { name: 'tags', sql: `(select string_agg(t.tag, ', ' order by t.tag) from person_tags t where t.person_id = p.id)` },
    {
      name: 'lists',
      sql: `(select string_agg(l.name, ', ' order by l.name) from list_members m join lists l on l.id = m.list_id where m.person_id = p.id)`,
    },
    { name: 'consentEmail', sql: `(select c.state from consents c where c.person_id = p.id and c.channel = 'email')` },
    { name: 'consentSms', sql: `(select c.state from consents c where c.person_id = p.id and c.channel = 'sms')` },
    { name: 'orders', sql: `coalesce((select s.orders from standing s where s.person_id = p.id), 0)` },
    { name: 'netMinor', sql: `coalesce((select s.net_minor from standing s where s.person_id = p.id), 0)` },
    { name: 'createdAt', sql: iso('p.created_at') },
    { name: 'seenAt', sql: iso('p.seen_at') },
  ];
}

/** How many columns a statement can have: PostgreSQL holds 1,664, and some are used up by us. */
export const MOST_COLUMNS = 1500;

/** People with more attributes than a statement has columns: a JSON object a line, each attribute as text under its name. */
export function wideStatement(db: Db, columns: readonly ExportColumn[], filter: Filter): string {
  const { condition, bindings } = filterToSql(filter);
  const own = columns.filter((column) => !column.isAttribute);
  const names = columns.filter((column) => column.isAttribute).map(({ name }) => name);
  return db
    .raw(
      `select jsonb_build_object(${own.map(({ sql, name }) => `${literal(name)}, cast(${sql} as text)`).join(', ')})
       || coalesce((select jsonb_object_agg(a.key, a.value) from jsonb_each_text(p.attributes) a where a.key in (${names.map(literal).join(', ')})), '{}')
     from people p where ${condition}`,
      bindings as Knex.ValueDict,
    )
    .toQuery();
}

/** The statement of an export, for COPY: bindings are written into it, quoted by the driver, since COPY takes none. */
export function exportStatement(
  db: Db,
  kind: ExportKind,
  columns: readonly ExportColumn[],
  filter: Filter,
  format: 'csv' | 'ndjson',
): string {
  const { condition, bindings } = filterToSql(filter);
  const from = kind === 'people' ? 'people p' : COLUMNS[kind].from;
  const list =
    format === 'csv'
      ? columns.map(({ sql, name }) => `csv_safe(cast(${sql} as text)) as ${quoted(name)}`).join(', ')
      : `json_build_object(${columns.map(({ sql, name }) => `${literal(name)}, ${sql}`).join(', ')})`;
  // more than 50 columns are more than a function takes
  const body =
    format === 'ndjson' && columns.length > 48
      ? `to_json(r) from (select ${columns.map(({ sql, name }) => `${sql} as ${quoted(name)}`).join(', ')} from ${from} where ${condition}) r`
      : `${list} from ${from} where ${condition}`;
  return db.raw(`select ${body}`, bindings as Knex.ValueDict).toQuery();
}

const quoted = (name: string): string => `"${name.replaceAll('"', '""')}"`;
