'use client';

import { useQuery } from '@tanstack/react-query';
import { Fragment, type ReactNode } from 'react';
import {
  CHANNELS,
  CHANNEL_WORDS,
  sayDays,
  sayDone,
  sayHours,
  sayName,
  sayTriggerProperty,
  type Comparison,
  type PropertyTest,
  type Rule,
  type Since,
  type Test,
  type Times,
  type WhereTest,
} from '@/core/rules';
import { sayCount, plural } from '../kit';
import { CountWord, DurationWord, FindWord, PickWord, TypeWord } from './words';
import { type useKnown, valuesQuery } from './useKnown';

type Catalogue = ReturnType<typeof useKnown>;
interface Props<T> {
  readonly test: T;
  readonly known: Catalogue;
  /** the event that starts the flow, in one */
  readonly startedBy: string | undefined;
  readonly put: (test: Rule, field: string) => void;
}
type OfKind<K extends Test['test']> = Extract<Test, { test: K }>;

/** One test as a sentence whose words can be changed. */
export function Line(props: Props<Test>): ReactNode {
  const { test } = props;
  switch (test.test) {
    case 'did':
    case 'didNot':
      return <Did {...props} test={test} />;
    case 'total':
      return <Total {...props} test={test} />;
    case 'attribute':
      return <Attribute {...props} test={test} />;
    case 'date':
      return <Dated {...props} test={test} />;
    case 'consent':
      return (
        <>
          {is(test.reachable, 'can', 'cannot', 'Whether', (reachable) => props.put({ ...test, reachable }, 'reachable'))} be reached by{' '}
          <PickWord
            label="Channel"
            value={test.channel}
            options={CHANNELS.map((channel) => [channel, CHANNEL_WORDS[channel].noun] as const)}
            onChange={(channel) => props.put({ ...test, channel }, 'channel')}
          />
        </>
      );
    case 'list':
      return (
        <>
          {is(test.member, 'is', 'is not', 'Whether', (member) => props.put({ ...test, member }, 'member'))} on the list{' '}
          <FindWord
            label="List"
            value={test.list}
            shown={props.known.lists.find((one) => one.key === test.list)?.name ?? test.list}
            options={props.known.lists}
            onChange={(list) => props.put({ ...test, list }, 'list')}
          />
        </>
      );
    case 'segment':
      return (
        <>
          {is(test.member, 'is', 'is not', 'Whether', (member) => props.put({ ...test, member }, 'member'))} in the segment{' '}
          <FindWord
            label="Segment"
            value={test.segment}
            shown={props.known.segments.find((one) => one.key === test.segment)?.name ?? test.segment}
            options={props.known.segments}
            onChange={(segment) => props.put({ ...test, segment }, 'segment')}
          />
        </>
      );
    case 'tag':
      return (
        <>
          {is(test.has, 'has', 'has not', 'Whether', (has) => props.put({ ...test, has }, 'has'))} the tag{' '}
          <FindWord
            label="Tag"
            value={test.tag}
            shown={`“${test.tag}”`}
            takesOther
            options={props.known.tags.map(({ tag, people }) => ({ key: tag, name: tag, note: plural(people, 'person', 'people') }))}
            onChange={(tag) => props.put({ ...test, tag }, 'tag')}
          />
        </>
      );
    case 'trigger':
      return (
        <>
          {sayTriggerProperty(test.property, { triggerType: props.startedBy })}{' '}
          <Compared test={test} onChange={(change, field) => props.put({ ...test, ...change } as Rule, field)} />
        </>
      );
    case 'answer':
      return 'came' in test ? (
        <>what was waited for {is(test.came, 'came', 'did not come', 'Whether', (came) => props.put({ ...test, came }, 'came'))}</>
      ) : (
        <>
          {sayName(test.property)} of what came{' '}
          <Compared test={test} onChange={(change, field) => props.put({ ...test, ...change } as Rule, field)} />
        </>
      );
  }
}

function is(value: boolean, yes: string, no: string, label: string, onChange: (value: boolean) => void): ReactNode {
  return (
    <PickWord
      label={label}
      value={value ? 'yes' : 'no'}
      options={[
        ['yes', yes],
        ['no', no],
      ]}
      onChange={(one) => onChange(one === 'yes')}
    />
  );
}

type Op = Comparison['op'];
const OPS: readonly (readonly [Op, string])[] = [
  ['is', 'is'],
  ['isNot', 'is not'],
  ['oneOf', 'is one of'],
  ['noneOf', 'is none of'],
  ['contains', 'contains'],
  ['startsWith', 'begins with'],
  ['atLeast', 'is at least'],
  ['above', 'is above'],
  ['atMost', 'is at most'],
  ['below', 'is below'],
  ['between', 'is between'],
  ['known', 'is known'],
  ['unknown', 'is not known'],
];
const NUMERIC = new Set<Op>(['atLeast', 'above', 'atMost', 'below', 'between']);
const TEXTUAL = new Set<Op>(['contains', 'startsWith']);

const asNumber = (text: string): number | undefined =>
  /^-?\d+([.,]\d+)?$/.test(text.trim()) ? Number(text.trim().replace(',', '.')) : undefined;
/** What is typed as a value: a number where it is one and numbers are meant, yes or no, else a text. */
const asScalar = (text: string, isText: boolean): string | number | boolean => {
  if (isText) return text;
  if (text === 'yes' || text === 'true') return true;
  if (text === 'no' || text === 'false') return false;
  return asNumber(text) ?? text;
};
const sayScalar = (value: unknown): string => (value === true ? 'yes' : value === false ? 'no' : value === undefined ? '' : String(value));

/** A comparison: how, and with what. */
function Compared({
  test,
  values,
  isText = false,
  onChange,
}: {
  test: Comparison;
  values?: readonly { readonly value: string; readonly count: number }[];
  /** whether only texts are meant */
  isText?: boolean;
  onChange: (change: Comparison, field: string) => void;
}) {
  const { op, value } = test;
  const setOp = (next: Op) => {
    const list = Array.isArray(value) ? value : value === undefined ? [] : [value];
    const number = list.map((one) => (typeof one === 'number' ? one : asNumber(String(one)))).find((one) => one !== undefined) ?? 0;
    const to =
      next === 'known' || next === 'unknown'
        ? undefined
        : next === 'oneOf' || next === 'noneOf'
          ? list
          : next === 'between'
            ? [number, number]
            : NUMERIC.has(next)
              ? number
              : TEXTUAL.has(next)
                ? sayScalar(list[0])
                : (list[0] ?? '');
    onChange({ op: next, ...(to !== undefined && { value: to as Comparison['value'] }) }, 'op');
  };
  const put = (to: unknown, field = 'value') => onChange({ op, value: to as Comparison['value'] }, field);
  return (
    <>
      <PickWord label="How" value={op} options={OPS} onChange={setOp} />{' '}
      {op === 'between' && Array.isArray(value) ? (
        <>
          <TypeWord
            label="From"
            isNumber
            value={String(value[0])}
            read={asNumber}
            onChange={(text) => put([asNumber(text), Math.max(asNumber(text)!, Number(value[1]))])}
          />{' '}
          and{' '}
          <TypeWord
            label="Up to"
            isNumber
            value={String(value[1])}
            read={(text) => (asNumber(text) !== undefined && asNumber(text)! >= Number(value[0]) ? true : undefined)}
            onChange={(text) => put([value[0], asNumber(text)])}
          />
        </>
      ) : NUMERIC.has(op) ? (
        <TypeWord label="Value" isNumber value={String(value)} read={asNumber} onChange={(text) => put(asNumber(text))} />
      ) : op === 'oneOf' || op === 'noneOf' ? (
        <TypeWord
          label="Values, with commas between"
          value={(value as unknown[]).map(sayScalar).join(', ')}
          read={() => true}
          onChange={(text) =>
            put(
              text
                .split(',')
                .map((one) => one.trim())
                .filter(Boolean)
                .map((one) => asScalar(one, isText)),
            )
          }
        />
      ) : op === 'known' || op === 'unknown' ? null : (
        <TypeWord
          label="Value"
          value={sayScalar(value)}
          options={values}
          read={() => true}
          onChange={(text) => put(TEXTUAL.has(op) ? text : asScalar(text, isText))}
        />
      )}
    </>
  );
}

function Attribute({ test, known, put }: Props<OfKind<'attribute'>>) {
  const isText = known.attributeTypes.get(test.name) === 'text';
  const values = useQuery({ ...valuesQuery(test.name), enabled: isText || !known.attributeTypes.has(test.name) });
  const all = values.data?.values;
  const asked = typeof test.value === 'string' ? test.value : null;
  // a value that nobody has is pointed out, with the nearest that do
  const isMissing =
    test.op === 'is' && asked !== null && asked !== '' && all && all.length < 100 && !all.some((one) => one.value === asked);
  const near = isMissing ? nearest(asked, all) : [];
  return (
    <>
      <FindWord
        label="Attribute"
        value={test.name}
        shown={sayName(test.name)}
        options={known.attributes.map(({ name }) => ({ key: name, name: sayName(name) }))}
        onChange={(name) => put({ test: 'attribute', name, op: 'known' }, 'name')}
      />{' '}
      <Compared
        test={test}
        values={all}
        isText={isText}
        onChange={(change, field) => put({ test: 'attribute', name: test.name, ...change }, field)}
      />
      {isMissing && (
        <span className="ml-1 text-xs text-caution">
          Nobody’s {sayName(test.name)} is “{asked}”.{' '}
          {near.length > 0 && (
            <button
              type="button"
              className="underline"
              onClick={() => put({ test: 'attribute', name: test.name, op: 'oneOf', value: near.map((one) => one.value) }, 'spellings')}
            >
              Take {near.map((one) => `“${one.value}” (${sayCount(one.count)})`).join(', ')}
            </button>
          )}
        </span>
      )}
    </>
  );
}

/** Values that are nearly what was asked for: the same but for case, accents and signs, or with the same beginning. */
function nearest(asked: string, values: readonly { readonly value: string; readonly count: number }[]) {
  const plain = (text: string) =>
    text
      .normalize('NFD')
      .replace(/[^\p{L}\p{N}]/gu, '')
      .toLowerCase();
  const wanted = plain(asked);
  const isNear = (value: string) => {
    const one = plain(value);
    return (
      one !== '' &&
      wanted !== '' &&
      (one === wanted || one.startsWith(wanted) || wanted.startsWith(one) || one.slice(0, 2) === wanted.slice(0, 2))
    );
  };
  return values.filter((one) => isNear(one.value)).slice(0, 4);
}

/** A day that is on file, how far off. */
function Dated({ test, known, put }: Props<OfKind<'date'>>) {
  const { name, yearly, from, to } = test;
  const kind = from === undefined ? 'until' : to === undefined ? 'since' : 'between';
  const dates = known.attributes.filter((one) => known.attributeTypes.get(one.name) === 'date');
  const set = (next: typeof kind) => {
    const [low, high] = [from ?? Math.min(0, to ?? 0), to ?? Math.max(7, from ?? 0)];
    put({ test: 'date', name, yearly, ...(next !== 'until' && { from: low }), ...(next !== 'since' && { to: high }) }, 'kind');
  };
  const days = (label: string, value: number, onChange: (value: number) => void, isSound: (value: number) => boolean) => (
    <TypeWord
      label={label}
      isNumber
      value={String(value)}
      read={(text) => (/^-?\d{1,5}$/.test(text) && isSound(Number(text)) ? true : undefined)}
      onChange={(text) => onChange(Number(text))}
    />
  );
  return (
    <>
      <FindWord
        label="Attribute"
        value={name}
        shown={sayName(name)}
        takesOther
        options={(dates.length ? dates : known.attributes).map((one) => ({ key: one.name, name: sayName(one.name) }))}
        onChange={(next) => put({ ...test, name: next }, 'name')}
      />{' '}
      <PickWord
        label="Each year or once"
        value={yearly ? 'yearly' : 'once'}
        options={[
          ['once', 'is'],
          ['yearly', 'comes round'],
        ]}
        onChange={(next) =>
          put({ test: 'date', name, yearly: next === 'yearly', from: from ?? 0, to: to ?? Math.max(7, from ?? 0) }, 'yearly')
        }
      />{' '}
      {yearly ? (
        'from '
      ) : (
        <>
          <PickWord
            label="When"
            value={kind}
            options={[
              ['between', 'from'],
              ['since', 'not before'],
              ['until', 'not after'],
            ]}
            onChange={set}
          />{' '}
        </>
      )}
      {from !== undefined &&
        days(
          'First day',
          from,
          (next) => put({ ...test, from: next }, 'from'),
          (next) => to === undefined || next <= to,
        )}
      {from !== undefined && to !== undefined && ' to '}
      {to !== undefined &&
        days(
          'Last day',
          to,
          (next) => put({ ...test, to: next }, 'to'),
          (next) => from === undefined || next >= from,
        )}{' '}
      days from today <span className="text-xs text-soft">({sayDays(test)}; days gone by are below 0)</span>
    </>
  );
}

const SINCE = [
  ['ever', 'ever'],
  ['last', 'in the last'],
  ['ago', 'more than'],
  ['dates', 'on days from'],
] as const;
type SinceKind = (typeof SINCE)[number][0] | 'entry';

const kindOfSince = (since: Since): SinceKind =>
  typeof since === 'string' ? since : 'last' in since ? 'last' : 'ago' in since ? 'ago' : 'dates';

/** When it has to have happened. */
function When({ since, isInFlow, onChange }: { since: Since; isInFlow: boolean; onChange: (since: Since, field: string) => void }) {
  const kind = kindOfSince(since);
  const set = (next: SinceKind) => {
    const duration = typeof since === 'object' && ('last' in since || 'ago' in since) ? ('last' in since ? since.last : since.ago) : 'P30D';
    const today = new Date().toISOString().slice(0, 10);
    onChange(
      next === 'last' ? { last: duration } : next === 'ago' ? { ago: duration } : next === 'dates' ? { from: today, to: today } : next,
      'since',
    );
  };
  const options: readonly (readonly [SinceKind, string])[] = isInFlow || kind === 'entry' ? [...SINCE, ['entry', 'since entering']] : SINCE;
  return (
    <>
      <PickWord label="When" value={kind} options={options} onChange={set} />
      {typeof since === 'object' && 'last' in since && (
        <>
          {' '}
          <DurationWord label="How long" value={since.last} onChange={(last) => onChange({ last }, 'since.last')} />
        </>
      )}
      {typeof since === 'object' && 'ago' in since && (
        <>
          {' '}
          <DurationWord label="How long" value={since.ago} onChange={(ago) => onChange({ ago }, 'since.ago')} /> ago
        </>
      )}
      {typeof since === 'object' && !('last' in since) && !('ago' in since) && (
        <>
          {' '}
          <Day label="First day" value={since.from} onChange={(from) => onChange({ ...since, from }, 'since.from')} /> to{' '}
          <Day label="Last day" value={since.to} onChange={(to) => onChange({ ...since, to }, 'since.to')} />
        </>
      )}
    </>
  );
}

function Day({ label, value, onChange }: { label: string; value: string | undefined; onChange: (day: string) => void }) {
  return (
    <input
      type="date"
      aria-label={label}
      value={value ?? ''}
      onChange={(event) => event.target.value && onChange(event.target.value)}
      className="h-5 rounded-sm border-b border-dashed border-accent bg-transparent font-semibold leading-5"
    />
  );
}

const TIMES = [
  ['least', 'at least'],
  ['exactly', 'exactly'],
  ['atMost', 'at most'],
  ['between', 'between'],
] as const;

/** How often it has to have happened. */
function Often({ times = 1, onChange }: { times: Times | undefined; onChange: (times: Times | undefined) => void }) {
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

/** An event of the catalogue. */
function EventWord({ type, known, onChange }: { type: string; known: Catalogue; onChange: (type: string) => void }) {
  const isKnown = !known.events.length || known.events.some((one) => one.type === type);
  return (
    <>
      <FindWord
        label="Event"
        value={type}
        shown={sayDone(type)}
        takesOther
        options={known.events.map((one) => ({ key: one.type, name: sayDone(one.type), note: `${sayCount(one.count)} ever` }))}
        onChange={onChange}
      />
      {!isKnown && <span className="ml-1 text-xs text-caution">No such event has arrived yet.</span>}
    </>
  );
}

function Did({ test, known, startedBy, put }: Props<OfKind<'did' | 'didNot'>>) {
  return (
    <>
      {is(test.test === 'did', 'has', 'has not', 'Whether', (did) => put({ ...test, test: did ? 'did' : 'didNot' }, 'test'))}{' '}
      <EventWord type={test.event} known={known} onChange={(event) => put({ test: test.test, event, since: test.since }, 'event')} />{' '}
      <Often
        times={test.times}
        onChange={(times) => {
          const { times: _, ...rest } = test;
          put(times === 1 ? rest : { ...rest, times }, 'times');
        }}
      />{' '}
      <Where where={test.where} onChange={(where, field) => put({ ...test, where }, field)} />{' '}
      <When since={test.since} isInFlow={startedBy !== undefined} onChange={(since, field) => put({ ...test, since }, field)} />
      {test.hours && <Hours says={sayHours(test.hours)} onRemove={() => put(without(test, 'hours'), 'hours')} />}
    </>
  );
}

function without<T extends object, K extends keyof T>(test: T, name: K): Omit<T, K> {
  const { [name]: _, ...rest } = test;
  return rest;
}

function Hours({ says, onRemove }: { says: string; onRemove: () => void }) {
  return (
    <>
      {' '}
      {says}{' '}
      <button type="button" className="text-xs text-accent underline" onClick={onRemove}>
        at any time
      </button>
    </>
  );
}

/** What is asked of an event's properties. */
function Where({
  where = [],
  onChange,
}: {
  where: readonly WhereTest[] | undefined;
  onChange: (where: WhereTest[], field: string) => void;
}) {
  const put = (index: number, one: WhereTest, field: string) =>
    onChange(
      where.map((old, at) => (at === index ? one : old)),
      `where.${index}.${field}`,
    );
  const remove = (index: number) =>
    onChange(
      where.filter((_, at) => at !== index),
      'where',
    );
  return (
    <>
      {where.map((one, index) => (
        <Fragment key={index}>
          {index ? ' and ' : ''}
          {'any' in one ? (
            <>
              with one of its {sayName(one.property)} whose{' '}
              {one.any.map((item, at) => (
                <Fragment key={at}>
                  {at > 0 && ' and '}
                  <Property
                    test={item}
                    onChange={(next, field) =>
                      put(index, { ...one, any: one.any.map((old, n) => (n === at ? next : old)) }, `${at}.${field}`)
                    }
                  />
                </Fragment>
              ))}
            </>
          ) : (
            <>
              whose <Property test={one} onChange={(next, field) => put(index, next, field)} />
            </>
          )}{' '}
          <button type="button" className="text-xs text-accent underline" onClick={() => remove(index)}>
            leave out
          </button>
        </Fragment>
      ))}{' '}
      <button
        type="button"
        className="text-xs text-accent underline"
        onClick={() => onChange([...where, { property: 'value', op: 'atLeast', value: 50 }], 'where')}
      >
        {where.length ? 'and whose …' : 'whose …'}
      </button>
    </>
  );
}

function Property({ test, onChange }: { test: PropertyTest; onChange: (test: PropertyTest, field: string) => void }) {
  return (
    <>
      <TypeWord
        label="Property"
        value={test.property}
        read={(text) => (/^[\p{L}_][\p{L}\p{N}_.]{0,119}$/u.test(text) ? text : undefined)}
        onChange={(property) => onChange({ ...test, property }, 'property')}
      />{' '}
      <Compared test={test} onChange={(change, field) => onChange({ property: test.property, ...change }, field)} />
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

function Total({ test, known, startedBy, put }: Props<OfKind<'total'>>) {
  const [low, high] = Array.isArray(test.value) ? test.value : [test.value, test.value];
  return (
    <>
      of all the times the person has <EventWord type={test.event} known={known} onChange={(event) => put({ ...test, event }, 'event')} />{' '}
      <When since={test.since} isInFlow={startedBy !== undefined} onChange={(since, field) => put({ ...test, since }, field)} />,{' '}
      <PickWord label="What is taken" value={test.take} options={TAKES} onChange={(take) => put({ ...test, take }, 'take')} /> of{' '}
      <TypeWord
        label="Property"
        value={test.of}
        read={(text) => (/^[\p{L}_][\p{L}\p{N}_.]{0,119}$/u.test(text) ? text : undefined)}
        onChange={(of) => put({ ...test, of }, 'of')}
      />{' '}
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
      <Where where={test.where} onChange={(where, field) => put({ ...test, where }, field)} />
      {test.hours && <Hours says={sayHours(test.hours)} onRemove={() => put(without(test, 'hours'), 'hours')} />}
    </>
  );
}
