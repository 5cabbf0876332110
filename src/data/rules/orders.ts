import { currencyDigits, toMinor } from '@/core/money';
import { compare, type Comparison, type OrdersTest } from '@/core/rules';
import { numberSql, sinceSql, type Looking } from './looking';

/** What is made of the amounts `minor` of orders; null where there is nothing to take it of. */
const TAKES: { readonly [K in OrdersTest['take']]: string } = {
  number: 'count(*)',
  total: 'coalesce(sum(minor), 0)',
  average: 'round(avg(minor))',
  largest: 'max(minor)',
  last: '(array_agg(minor order by placed_at desc, order_id collate "C" desc) filter (where minor is not null))[1]',
};

/** What orders come to, as a condition on `people p`: the same as the test’s `look` in core. */
export function ordersSql(test: OrdersTest, looking: Looking): string {
  const { bind, zone, world, isWhole } = looking;
  const currency = bind(world.currency, 'text');
  const digits = bind(currencyDigits(world.currency) ?? 2, 'int');
  const net = '(o.value_minor - o.refunded_minor)';
  const others = [...new Set(world.rates.map((rate) => rate.currency))];
  // in whole numbers, half a unit rounded up
  const converted = others.length
    ? `(select div(${net}::numeric * r.micro * power(10::numeric, ${digits}) * 2 + d.down, d.down * 2)
        from currency_rates r cross join lateral (select 1000000 * power(10::numeric, case o.currency ${others
          .map((one) => `when ${bind(one, 'text')} then ${bind(currencyDigits(one) ?? 2, 'int')}`)
          .join(' ')} else 2 end) as down) d
        where r.currency = o.currency and r.day <= cast(o.placed_at at time zone ${bind(zone, 'text')} as date) order by r.day desc limit 1)`
    : 'null::numeric';
  const orders = (
    whose: string,
  ) => `select o.person_id, o.placed_at, o.order_id, case when o.currency = ${currency} then ${net}::numeric else ${converted} end as minor
    from orders o where ${whose}not o.is_cancelled and ${sinceSql(test.since, 'o.placed_at', looking).join(' and ')}`;
  const asked = (one: number) => bind(String(test.take === 'number' ? one : toMinor(one, world.currency)), 'numeric');
  const holds = numberSql(TAKES[test.take], test, asked);
  // of whoever has none, the number and the total are 0; of these, too, something can be asked
  const isOfNone = test.take === 'number' || test.take === 'total';
  if (!isWhole) return `coalesce((select ${holds} from (${orders('o.person_id = p.id and ')}) o), false)`;
  const who = (having: string) => `p.id in (select o.person_id from (${orders('')}) o group by 1 having ${having})`;
  return isOfNone
    ? `(not ${who(`not coalesce(${holds}, false)`)} and (${who('true')} or ${compare(0, test as Comparison) ? 'true' : 'false'}))`
    : who(holds);
}
