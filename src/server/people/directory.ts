import * as z from 'zod';
import type { DirectoryView } from '@/core/api';
import { barrierOf, ruleSchema, sayRule, unreachableBecause, type Rule } from '@/core/rules';
import { isName } from '@/core/text';
import type { Db } from '@/data/db';
import { countPeople, listPeople, SORTS, type Filter, type Sort } from '@/data/people';
import { NotForLists, ruleToSql, type Compiled } from '@/data/rules';
import { readStore, type StoreNow } from '@/data/store';
import { Problem, problemsOf, unstorable, wholeNumber } from '../http';
import { nameOf, publicId } from './who';

/** From when and where rules are looked at. */
type Scene = Pick<StoreNow, 'now' | 'zone' | 'world'>;

/** A rule as SQL; one that has no meaning outside of a flow is refused in words. */
export function forLists(rule: Rule, { now, zone, world }: Scene, how?: Parameters<typeof ruleToSql>[3]): Compiled {
  try {
    return ruleToSql(rule, now, zone, { ...how, world });
  } catch (error) {
    if (!(error instanceof NotForLists)) throw error;
    throw new Problem(422, 'Not a rule for lists', `This rule cannot pick people from a list: ${error.message}.`);
  }
}

/** Reads the filter of a list of people from an address: words, a rule as JSON, a flow, or named people. */
export function filterOf(params: URLSearchParams, scene: Scene): { filter: Filter; says: string | null } {
  const text = params.get('rule');
  let rule: Compiled | null = null;
  let says: string | null = null;
  if (text) {
    const parsed = readRule(text);
    rule = forLists(parsed, scene);
    says = sayRule(parsed);
  }
  const ids = params.get('ids');
  if (ids !== null && !/^\d{1,18}(,\d{1,18})*$/.test(ids))
    throw new Problem(400, 'Not people', 'These are not numbers of people.', [
      { field: 'ids', wrong: 'is not a list of numbers', right: 'numbers with commas, such as 12,15' },
    ]);
  return {
    filter: { words: params.get('q')?.trim() || null, rule, insideFlow: params.get('inside') || null, ids: ids?.split(',') ?? null },
    says,
  };
}

function readRule(text: string): Rule {
  let input: unknown;
  try {
    input = JSON.parse(text);
  } catch {
    throw new Problem(400, 'Malformed JSON', 'The rule is not JSON.', [
      { field: 'rule', wrong: 'is not JSON', right: 'a rule such as {"test":"consent","channel":"email","reachable":true}' },
    ]);
  }
  const bad = unstorable(input, 'rule');
  if (bad) throw new Problem(422, 'Not a rule', 'The rule holds what cannot be stored.', [bad]);
  const parsed = ruleSchema.safeParse(input);
  if (!parsed.success) throw new Problem(422, 'Not a rule', 'This is not a rule.', problemsOf(parsed.error, 'rule'));
  return parsed.data;
}

const sortSchema = z.union([z.enum(SORTS), z.string().refine((text) => text.startsWith('attribute:') && isName(text.slice(10)))]);
/** Columns in which the greatest comes first unless asked otherwise. */
const DOWN_FIRST = new Set(['seen', 'created', 'orders', 'value', 'lastOrder']);

/** People who match a search, a rule and a flow: a page of them, and how many there are unless `count=no`. */
export async function directory(db: Db, url: URL): Promise<DirectoryView> {
  const store = await readStore(db);
  const { filter, says } = filterOf(url.searchParams, store);
  const sort = sortSchema.safeParse(url.searchParams.get('sort') ?? 'seen');
  if (!sort.success)
    throw new Problem(400, 'Not a column', 'People cannot be sorted by that.', [
      { field: 'sort', wrong: 'is not a column', right: `${SORTS.join(', ')}, or attribute:NAME` },
    ]);
  const direction = url.searchParams.get('direction');
  const isDown = direction === null ? DOWN_FIRST.has(sort.data) : direction === 'down';
  const limit = wholeNumber(url, 'limit', { least: 0, most: 200, otherwise: 50 });
  const offset = wholeNumber(url, 'offset', { least: 0, most: 10_000_000, otherwise: 0 });
  const isCounted = url.searchParams.get('count') !== 'no';
  const [total, rows] = await Promise.all([
    isCounted ? countPeople(db, filter) : null,
    limit ? listPeople(db, filter, sort.data as Sort, isDown, limit, offset) : [],
  ]);
  return {
    total,
    offset,
    rule: says,
    people: rows.map((row) => ({
      id: publicId(row),
      number: row.id,
      externalId: row.external_id,
      email: row.email,
      name: nameOf(row.attributes),
      country: typeof row.attributes.country === 'string' ? row.attributes.country : null,
      orders: row.orders,
      value: { currency: store.currency, minor: Number(row.minor) },
      lastOrderAt: row.last_order_at?.toISOString() ?? null,
      seenAt: row.seen_at.toISOString(),
      createdAt: row.created_at.toISOString(),
      tags: row.tags,
      attributes: row.attributes,
      unreachable: unreachableBecause(row.reach.email, store.now),
      barrier: barrierOf(row.reach.email, store.now)?.kind ?? null,
    })),
  };
}
