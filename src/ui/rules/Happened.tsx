'use client';

import { sayName, type Closer, type Rule, type Then, type Times } from '@/core/rules';
import { Menu } from '../kit';
import { asNumber, is, OPS, type Catalogue, type LineProps, type OfKind } from './compared';
import { EventWord, Off, withList, without } from './parts';
import { Hours, NEW_HOURS, When } from './When';
import { NEW_ITEM, NEW_TEST, PropertyWord, useProperties, Where } from './Where';
import { CountWord, DurationWord, PickWord, TypeWord } from './words';

const TIMES = [
  ['least', 'at least'],
  ['exactly', 'exactly'],
  ['atMost', 'at most'],
  ['between', 'between'],
] as const;

/** How often it has to have happened. */
function Often({ times, onChange }: { times: Times; onChange: (times: Times) => void }) {
  const kind = typeof times === 'number' ? 'least' : 'exactly' in times ? 'exactly' : 'atMost' in times ? 'atMost' : 'between';
  const n = typeof times === 'number' ? times : 'exactly' in times ? times.exactly : 'atMost' in times ? times.atMost : times.from;
  const make = (to: (typeof TIMES)[number][0], count: number): Times =>
    to === 'least'
      ? Math.max(1, count)
      : to === 'exactly'
        ? { exactly: count }
        : to === 'atMost'
          ? { atMost: count }
          : { from: count, to: Math.max(count, typeof times === 'object' && 'to' in times ? times.to : count + 1) };
  return (
    <>
      <PickWord label="How often" value={kind} options={TIMES} onChange={(to) => onChange(make(to, n))} />{' '}
      <CountWord label="Times" least={kind === 'least' ? 1 : 0} value={n} onChange={(count) => onChange(make(kind, count))} />
      {typeof times === 'object' && 'to' in times && (
        <>
          {' '}
          and <CountWord label="Times at most" least={times.from} value={times.to} onChange={(to) => onChange({ from: times.from, to })} />
        </>
      )}{' '}
      {n === 1 && kind !== 'between' ? 'time' : 'times'}
    </>
  );
}

export function Did({ test, known, startedBy, put }: LineProps<OfKind<'did' | 'didNot'>>) {
  const { where = [] } = test;
  const more = [
    { name: 'Whose …', onSelect: () => put({ ...test, where: [...where, NEW_TEST] }, 'where') },
    { name: 'With one of its items whose …', onSelect: () => put({ ...test, where: [...where, NEW_ITEM] }, 'where') },
    ...(test.times === undefined ? [{ name: 'So many times', onSelect: () => put({ ...test, times: 2 }, 'times') }] : []),
    ...(test.pick ? [] : [{ name: 'Only the first or the last', onSelect: () => put({ ...test, pick: { last: 1 } }, 'pick') }]),
    ...(test.then ? [] : [{ name: 'And then …', onSelect: () => put({ ...test, then: { event: 'order.placed', did: true } }, 'then') }]),
    ...(test.hours ? [] : [{ name: 'At certain times of the week', onSelect: () => put({ ...test, hours: NEW_HOURS }, 'hours') }]),
  ];
  return (
    <>
      {is(test.test === 'did', 'has', 'has not', 'Whether', (did) => put({ ...test, test: did ? 'did' : 'didNot' }, 'test'))}{' '}
      <EventWord type={test.event} known={known} onChange={(event) => put({ test: test.test, event, since: test.since }, 'event')} />
      <Where event={test.event} where={where} onChange={(next, field) => put(withList(test, 'where', next), field)} />
      <Picked test={test} put={(next, field) => put(next as Rule, field)} />
      {test.then && (
        <Chain
          then={test.then}
          known={known}
          onChange={(next, field) => put(next ? { ...test, then: next } : without(test, 'then'), `then.${field}`)}
        />
      )}
      {test.times !== undefined && (
        <>
          {' '}
          <Often times={test.times} onChange={(times) => put({ ...test, times }, 'times')} />{' '}
          <Off onClick={() => put(without(test, 'times'), 'times')} />
        </>
      )}{' '}
      <When
        since={test.since}
        isInFlow={startedBy !== undefined}
        known={known}
        onChange={(since, field) => put({ ...test, since }, field)}
      />
      {test.hours && <Hours hours={test.hours} onChange={(hours) => put(hours ? { ...test, hours } : without(test, 'hours'), 'hours')} />}{' '}
      <Menu groups={[more]} align="start">
        <button type="button" className="text-xs text-accent underline" aria-label="Ask more of it">
          more …
        </button>
      </Menu>
    </>
  );
}

/** Which of all that match are looked at. */
function Picked<T extends Closer>({ test, put }: { test: T; put: (test: T, field: string) => void }) {
  const { pick, meets } = test;
  if (!pick) return null;
  const which = 'first' in pick ? 'first' : 'last';
  const n = 'first' in pick ? pick.first : pick.last;
  return (
    <>
      , only the{' '}
      <PickWord
        label="First or last"
        value={which}
        options={[
          ['first', 'first'],
          ['last', 'last'],
        ]}
        onChange={(to) => put({ ...test, pick: to === 'first' ? { first: n } : { last: n } }, 'pick')}
      />{' '}
      <CountWord
        label="How many of them"
        value={n}
        onChange={(to) => put({ ...test, pick: which === 'first' ? { first: to } : { last: to } }, 'pick.n')}
      />{' '}
      ever <Off onClick={() => put({ ...test, pick: undefined, meets: undefined }, 'pick')} />
      <Where
        event={test.event}
        where={meets ?? []}
        lead={n === 1 ? 'one whose' : 'those whose'}
        onChange={(next, field) => put(withList(test, 'meets', next), `meets.${field}`)}
      />
      {!meets && (
        <>
          {' '}
          <Off says="one whose …" onClick={() => put({ ...test, meets: [NEW_TEST] }, 'meets')} />
        </>
      )}
    </>
  );
}

const SAME = [
  ['', 'anything'],
  ['sendId', 'the same message'],
  ['cartId', 'the same cart'],
  ['orderId', 'the same order'],
  ['sku', 'the same product'],
] as const;

/** What came after it, link by link. */
function Chain({ then, known, onChange }: { then: Then; known: Catalogue; onChange: (then: Then | null, field: string) => void }) {
  const by = then.by ?? '';
  const more = [
    { name: 'Whose …', onSelect: () => onChange({ ...then, where: [...(then.where ?? []), NEW_TEST] }, 'where') },
    ...(then.within ? [] : [{ name: 'Within a time', onSelect: () => onChange({ ...then, within: 'P1D' }, 'within') }]),
    ...(then.without
      ? []
      : [{ name: 'With nothing of a kind between', onSelect: () => onChange({ ...then, without: { event: 'order.placed' } }, 'without') }]),
    ...(then.then
      ? []
      : [{ name: 'And then …', onSelect: () => onChange({ ...then, then: { event: 'order.placed', did: true } }, 'then') }]),
  ];
  return (
    <>
      , and then {is(then.did, 'has', 'has not', 'Whether that followed', (did) => onChange({ ...then, did }, 'did'))}{' '}
      <EventWord
        label="What followed"
        type={then.event}
        known={known}
        onChange={(event) => onChange({ ...without(then, 'where'), event }, 'event')}
      />
      <Where event={then.event} where={then.where ?? []} onChange={(next, field) => onChange(withList(then, 'where', next), field)} />
      {' about '}
      <PickWord
        label="About the same thing"
        value={by}
        options={SAME.some(([key]) => key === by) ? SAME : [...SAME, [by, `the same ${sayName(by)}`] as const]}
        onChange={(to) => onChange(to ? { ...then, by: to } : without(then, 'by'), 'by')}
      />
      {then.within && (
        <>
          {' '}
          within <DurationWord
            label="Within how long"
            value={then.within}
            onChange={(within) => onChange({ ...then, within }, 'within')}
          />{' '}
          <Off onClick={() => onChange(without(then, 'within'), 'within')} />
        </>
      )}
      {then.without && (
        <>
          {' '}
          and has not{' '}
          <EventWord
            label="What did not come between"
            type={then.without.event}
            known={known}
            onChange={(event) => onChange({ ...then, without: { event } }, 'without')}
          />{' '}
          between <Off onClick={() => onChange(without(then, 'without'), 'without')} />
        </>
      )}
      {then.then && (
        <Chain
          then={then.then}
          known={known}
          onChange={(next, field) => onChange(next ? { ...then, then: next } : without(then, 'then'), `then.${field}`)}
        />
      )}{' '}
      <Menu groups={[more, [{ name: 'Leave out', takes: true, onSelect: () => onChange(null, 'then') }]]} align="start">
        <button type="button" className="text-xs text-accent underline" aria-label="Ask more of what followed">
          more …
        </button>
      </Menu>
    </>
  );
}

const TAKES = [
  ['sum', 'the sum'],
  ['average', 'the average'],
  ['largest', 'the largest'],
  ['smallest', 'the smallest'],
  ['different', 'how many different'],
] as const;
const TOTAL_OPS = OPS.filter(([op]) => ['is', 'atLeast', 'above', 'atMost', 'below', 'between'].includes(op)) as readonly (readonly [
  OfKind<'total'>['op'],
  string,
])[];

export function Total({ test, known, startedBy, put }: LineProps<OfKind<'total'>>) {
  const properties = useProperties(test.event);
  const [low, high] = Array.isArray(test.value) ? test.value : [test.value, test.value];
  return (
    <>
      of all the times the person has <EventWord type={test.event} known={known} onChange={(event) => put({ ...test, event }, 'event')} />{' '}
      <When
        since={test.since}
        isInFlow={startedBy !== undefined}
        known={known}
        onChange={(since, field) => put({ ...test, since }, field)}
      />
      , <PickWord label="What is taken" value={test.take} options={TAKES} onChange={(take) => put({ ...test, take }, 'take')} /> of{' '}
      <PropertyWord value={test.of} properties={properties} onChange={(of) => put({ ...test, of }, 'of')} />{' '}
      <PickWord
        label="How"
        value={test.op}
        options={TOTAL_OPS}
        onChange={(op) => put({ ...test, op, value: op === 'between' ? [low, high] : low } as Rule, 'op')}
      />{' '}
      <TypeWord
        label="Value"
        isNumber
        value={String(low)}
        read={asNumber}
        onChange={(text) =>
          put(
            { ...test, value: test.op === 'between' ? [asNumber(text)!, Math.max(asNumber(text)!, high)] : asNumber(text)! } as Rule,
            'value',
          )
        }
      />
      {test.op === 'between' && (
        <>
          {' '}
          and{' '}
          <TypeWord
            label="Up to"
            isNumber
            value={String(high)}
            read={(text) => (asNumber(text) !== undefined && asNumber(text)! >= low ? true : undefined)}
            onChange={(text) => put({ ...test, value: [low, asNumber(text)!] } as Rule, 'value.to')}
          />
        </>
      )}{' '}
      <Where event={test.event} where={test.where ?? []} onChange={(where, field) => put(withList(test, 'where', where), field)} />
      {test.hours && (
        <Hours hours={test.hours} onChange={(hours) => put(hours ? { ...test, hours } : without(test, 'hours'), 'hours')} />
      )}{' '}
      <Menu
        align="start"
        groups={[
          [
            { name: 'Whose …', onSelect: () => put({ ...test, where: [...(test.where ?? []), NEW_TEST] }, 'where') },
            { name: 'With one of its items whose …', onSelect: () => put({ ...test, where: [...(test.where ?? []), NEW_ITEM] }, 'where') },
            ...(test.hours ? [] : [{ name: 'At certain times of the week', onSelect: () => put({ ...test, hours: NEW_HOURS }, 'hours') }]),
          ],
        ]}
      >
        <button type="button" className="text-xs text-accent underline" aria-label="Ask more of it">
          more …
        </button>
      </Menu>
    </>
  );
}
