'use client';

import { useQuery } from '@tanstack/react-query';
import type { ReactNode } from 'react';
import { nearValues } from '@/core/people';
import { CHANNELS, CHANNEL_WORDS, sayDays, sayName, sayTriggerProperty, type Rule, type Test } from '@/core/rules';
import { plural, sayCount } from '../kit';
import { Compared, is, type LineProps, type OfKind } from './compared';
import {
  Aged,
  AtTheClock,
  Changed,
  Expected,
  InFlow,
  MemberSince,
  Near,
  OfCountry,
  OfOrders,
  OfSaid,
  Counted,
  OfTopic,
  Reached,
} from './About';
import { Answered } from './Answered';
import { Did, Total } from './Happened';
import { AttributeWord, without } from './parts';
import { valuesQuery } from './useKnown';
import { FindWord, PickWord, TypeWord } from './words';

/** One test as a sentence whose words can be changed. */
export function Line(props: LineProps<Test>): ReactNode {
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
          />{' '}
          <MemberSince
            since={test.since}
            onChange={(since) => props.put({ ...without(test, 'since'), ...(since && { since }) }, 'since')}
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
          />{' '}
          <MemberSince
            since={test.since}
            onChange={(since) => props.put({ ...without(test, 'since'), ...(since && { since }) }, 'since')}
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
          />{' '}
          <MemberSince
            since={test.since}
            onChange={(since) => props.put({ ...without(test, 'since'), ...(since && { since }) }, 'since')}
          />
        </>
      );
    case 'reach':
      return <Reached {...props} test={test} />;
    case 'said':
      return <OfSaid {...props} test={test} />;
    case 'tracking':
      return <Counted {...props} test={test} />;
    case 'topic':
      return <OfTopic {...props} test={test} />;
    case 'changed':
      return <Changed {...props} test={test} />;
    case 'age':
      return <Aged {...props} test={test} />;
    case 'country':
      return <OfCountry {...props} test={test} />;
    case 'near':
      return <Near {...props} test={test} />;
    case 'predicted':
      return <Expected {...props} test={test} />;
    case 'orders':
      return <OfOrders {...props} test={test} />;
    case 'flow':
      return <InFlow {...props} test={test} />;
    case 'clock':
      return <AtTheClock {...props} test={test} />;
    case 'trigger':
      return (
        <>
          {sayTriggerProperty(test.property, { triggerType: props.startedBy })}{' '}
          <Compared test={test} onChange={(change, field) => props.put({ ...test, ...change } as Rule, field)} />
        </>
      );
    case 'answer':
      return <Answered {...props} test={test} />;
  }
}

function Attribute({ test, known, put }: LineProps<OfKind<'attribute'>>) {
  const isText = known.attributeTypes.get(test.name) === 'text';
  const values = useQuery({ ...valuesQuery(test.name), enabled: isText || !known.attributeTypes.has(test.name) });
  const all = values.data?.values;
  const asked = typeof test.value === 'string' ? test.value : null;
  // a value that nobody has is pointed out, with the nearest that do
  const isMissing =
    test.op === 'is' && asked !== null && asked !== '' && all && all.length < 100 && !all.some((one) => one.value === asked);
  const near = isMissing ? nearValues(asked, all, test.name === 'country' ? 'country' : null) : [];
  return (
    <>
      <AttributeWord value={test.name} known={known} onChange={(name) => put({ test: 'attribute', name, op: 'known' }, 'name')} />{' '}
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

/** A day that is on file, how far off. */
function Dated({ test, known, put }: LineProps<OfKind<'date'>>) {
  const { name, yearly, from, to } = test;
  const kind = from === undefined ? 'until' : to === undefined ? 'since' : 'between';
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
      <AttributeWord value={name} known={known} isDate onChange={(next) => put({ ...test, name: next }, 'name')} />{' '}
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
