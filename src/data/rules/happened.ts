import { isCloser, MOST_ADDED, rangeOf, type Closer, type Then, type WhereTest } from '@/core/rules';
import { approximateMs } from '@/core/time';
import { at, hoursSql, not, numberSql, sinceSql, whereTestSql, type Bind, type Looking, type OfKind } from './looking';

/** Events of a type for which tests hold, as a condition on an alias of `events`. */
const happenedSql = (
  event: string,
  { event: type, where = [] }: { event: string; where?: readonly WhereTest[] | undefined },
  bind: Bind,
): string => [`${event}.type = ${bind(type)}`, ...where.map((test) => whereTestSql(bind, `${event}.properties`, test))].join(' and ');

/** When the events that a test counts have to have happened, as conditions on `e`, whoever’s they are. */
function whenSql(test: Pick<Closer, 'since' | 'hours'>, looking: Looking): string[] {
  const { bind, nowSql, zone } = looking;
  const { since } = test;
  const conditions =
    typeof since === 'object' && 'after' in since
      ? [
          `e.time <= ${nowSql}`,
          `(e.time, e.id) > (select a.time, a.id from events a where a.person_id = e.person_id and a.time <= ${nowSql}
            and ${happenedSql('a', since.after, bind)} order by a.time desc, a.id desc limit 1)`,
        ]
      : sinceSql(since, 'e.time', looking);
  return test.hours ? [...conditions, hoursSql(bind, 'e.time', test.hours, zone)] : conditions;
}

/** The events that a test counts, as conditions on `e`, whoever’s they are. */
const countedSql = (test: OfKind<'did' | 'didNot' | 'total'>, looking: Looking): string =>
  [happenedSql('e', test, looking.bind), ...whenSql(test, looking)].join(' and ');

/** Whether that came after an event (an alias of `events`) which is asked for. */
function thenSql(event: string, then: Then, looking: Looking, depth = 0): string {
  const { bind, nowSql } = looking;
  const [next, between] = [`n${depth}`, `b${depth}`];
  const over =
    then.within === undefined ? null : `${event}.time + ${bind(approximateMs(then.within), 'double precision')} * interval '1 millisecond'`;
  const conditions = [
    `${next}.person_id = ${event}.person_id`,
    // the first of the two leaves months aside that lie before
    `${next}.time >= ${event}.time`,
    `(${next}.time, ${next}.id) > (${event}.time, ${event}.id)`,
    `${next}.time <= ${nowSql}`,
    happenedSql(next, then, bind),
  ];
  if (over) conditions.push(`${next}.time < ${over}`);
  if (then.by !== undefined) {
    const [own, other] = [at(bind, `${event}.properties`, then.by), at(bind, `${next}.properties`, then.by)];
    conditions.push(`jsonb_typeof(${own}) in ('string', 'number') and ${own} = ${other}`);
  }
  if (then.without)
    conditions.push(`not exists (select 1 from events ${between} where ${between}.person_id = ${event}.person_id
      and (${between}.time, ${between}.id) > (${event}.time, ${event}.id) and (${between}.time, ${between}.id) < (${next}.time, ${next}.id)
      and ${happenedSql(between, then.without, bind)})`);
  if (then.then) conditions.push(thenSql(next, then.then, looking, depth + 1));
  const came = `exists (select 1 from events ${next} where ${conditions.join(' and ')})`;
  if (then.did) return came;
  return `(not ${came}${over ? ` and ${over} <= ${nowSql}` : ''})`;
}

/** The events that count: those of one person, or of everybody where it is not said whose, as what stands behind `from`. */
function closerSql(test: OfKind<'did' | 'didNot'>, whose: string | null, looking: Looking): string {
  const { bind, nowSql } = looking;
  const happened = happenedSql('e', test, bind);
  const more = [
    ...whenSql(test, looking),
    ...(test.meets ?? []).map((one) => whereTestSql(bind, 'e.properties', one)),
    ...(test.then ? [thenSql('e', test.then, looking)] : []),
  ].join(' and ');
  if (!test.pick) return `events e where ${whose ? `e.person_id = ${whose} and ` : ''}${happened} and ${more}`;
  const [n, way] = 'first' in test.pick ? [test.pick.first, 'asc'] : [test.pick.last, 'desc'];
  const order = `e.time ${way}, e.id ${way}`;
  const all = `${happened} and e.time <= ${nowSql}`;
  const picked = whose
    ? `select e.* from events e where e.person_id = ${whose} and ${all} order by ${order} limit ${bind(n, 'int')}`
    : `select e.*, row_number() over (partition by e.person_id order by ${order}) as nth from events e where ${all}`;
  return `(${picked}) e where ${whose ? '' : `e.nth <= ${bind(n, 'int')} and `}${more}`;
}

export function eventSql(test: OfKind<'did' | 'didNot'>, looking: Looking): string {
  const { bind, isWhole } = looking;
  const { least, most, enough } = rangeOf(test.times);
  const often = (n: number) => bind(n, 'int');
  const from = (whose: string | null) =>
    isCloser(test)
      ? closerSql(test, whose, looking)
      : `events e where ${whose ? `e.person_id = ${whose} and ` : ''}${countedSql(test, looking)}`;
  let did: string;
  if (isWhole) {
    const all = from(null);
    // those who did it often enough, or, where nobody has to have done it at all, all but those who did it too often
    const who = (having: string) => `p.id in (select e.person_id from ${all}${having && ` group by 1 having ${having}`})`;
    if (least === 0) did = `(not ${who(most === 0 ? '' : `count(*) > ${often(most)}`)})`;
    else if (most === Infinity) did = who(least === 1 ? '' : `count(*) >= ${often(least)}`);
    else did = who(`count(*) between ${often(least)} and ${often(most)}`);
  } else {
    const found = `from ${from('p.id')}`;
    // no further than is asked for is counted
    const count = `(select count(*) from (select 1 ${found} limit ${often(enough)}) counted)`;
    if (most === Infinity) did = least === 1 ? `exists (select 1 ${found})` : `(${count} >= ${often(least)})`;
    else did = most === 0 ? `(not exists (select 1 ${found}))` : `(${count} between ${often(least)} and ${often(most)})`;
  }
  return not(test.test === 'did', did);
}

/** What is made of the values `v` of a property: a number, or null where there is nothing to take it of. */
const TAKES: { readonly [K in OfKind<'total'>['take']]: string } = {
  sum: 'round(coalesce(sum(n), 0), 6)',
  average: 'round(avg(n), 6)',
  largest: 'max(n)',
  smallest: 'min(n)',
  different: `count(distinct v) filter (where jsonb_typeof(v) in ('string', 'number', 'boolean'))`,
};

export function totalSql(test: OfKind<'total'>, looking: Looking): string {
  const { bind } = looking;
  const isAgo = typeof test.since === 'object' && 'ago' in test.since;
  const way = isAgo ? 'asc' : 'desc';
  const value = at(bind, 'e.properties', test.of);
  const taken = `(select ${TAKES[test.take]} from (
    select v, case when jsonb_typeof(v) = 'number' then cast(cast(v as text) as numeric) end as n from (
      select ${value} as v from events e where e.person_id = p.id and ${countedSql(test, looking)}
      order by e.time ${way}, e.id ${way} limit ${bind(MOST_ADDED, 'int')}
    ) found) numbers)`;
  const holds = numberSql(taken, test, (n) => bind(String(n), 'numeric'));
  return `coalesce(${holds}, false)`;
}
