'use client';

import { useQuery } from '@tanstack/react-query';
import type { PlaceView } from '@/core/api';
import { CHANNELS, CHANNEL_WORDS, FLOW_OUTCOMES, PREDICTIONS, REACH_STATES, sayReachState, type Rule } from '@/core/rules';
import { COUNTRY_GROUPS } from '@/core/places';
import { api } from '../kit';
import { asNumber, Compared, is, OPS, type LineProps, type OfKind } from './compared';
import { AttributeWord, Off, without } from './parts';
import { Hours, When } from './When';
import { DurationWord, FindWord, PickWord, TypeWord } from './words';

const channels = CHANNELS.map((channel) => [channel, CHANNEL_WORDS[channel].noun] as const);

/** One thing that stands between us and a person on a channel. */
export function Reached({ test, put }: LineProps<OfKind<'reach'>>) {
  return (
    <>
      <PickWord
        label="What stands between"
        value={`${test.state}/${test.is}`}
        options={REACH_STATES.flatMap((state) =>
          [true, false].map((so) => [`${state}/${so}`, sayReachState(state, so, test.channel)] as const),
        )}
        onChange={(to) => {
          const [state, so] = to.split('/') as [typeof test.state, string];
          put({ ...test, state, is: so === 'true' }, 'state');
        }}
      />{' '}
      (<PickWord label="Channel" value={test.channel} options={channels} onChange={(channel) => put({ ...test, channel }, 'channel')} />)
    </>
  );
}

const TEXTS = OPS.filter(([op]) => ['is', 'isNot', 'contains', 'startsWith', 'oneOf', 'noneOf', 'known', 'unknown'].includes(op));

/** What somebody's consent rests on: how and where it was said, and since when it stands. */
export function OfSaid({ test, put }: LineProps<OfKind<'said'>>) {
  const { noun } = CHANNEL_WORDS[test.channel];
  const part = (words: string, name: 'how' | 'place') => {
    const asked = test[name];
    if (!asked) return <Off says={`${words} …`} onClick={() => put({ ...test, [name]: { op: 'contains', value: '' } }, name)} />;
    return (
      <>
        {words}{' '}
        <Compared
          test={asked}
          ops={TEXTS}
          onChange={(change, field) => put({ ...test, [name]: { ...without(asked, 'value'), ...change } } as Rule, `${name}.${field}`)}
        />{' '}
        <Off onClick={() => put(without(test, name) as Rule, name)} />
      </>
    );
  };
  return (
    <>
      {is(test.is, 'has', 'has not', 'Whether', (so) => put({ ...test, is: so }, 'is'))}{' '}
      <PickWord
        label="What they said"
        value={test.state}
        options={[
          ['given', `agreed to ${noun}`],
          ['withdrawn', `withdrawn consent to ${noun}`],
        ]}
        onChange={(state) => put({ ...test, state }, 'state')}
      />{' '}
      (<PickWord label="Channel" value={test.channel} options={channels} onChange={(channel) => put({ ...test, channel }, 'channel')} />){' '}
      {part('how', 'how')} {part('where', 'place')}{' '}
      <MemberSince since={test.since} onChange={(since) => put({ ...without(test, 'since'), ...(since && { since }) } as Rule, 'since')} />
    </>
  );
}

export function Counted({ test, put }: LineProps<OfKind<'tracking'>>) {
  return (
    <>
      {is(test.allowed, 'lets', 'does not let', 'Whether', (allowed) => put({ ...test, allowed }, 'allowed'))} openings and clicks be
      counted
    </>
  );
}

export function OfTopic({ test, known, put }: LineProps<OfKind<'topic'>>) {
  return (
    <>
      {is(test.wants, 'wants', 'does not want', 'Whether', (wants) => put({ ...test, wants }, 'wants'))} to read about{' '}
      <FindWord
        label="Topic"
        value={test.topic}
        shown={known.topics.find((one) => one.key === test.topic)?.name ?? test.topic}
        options={known.topics}
        onChange={(topic) => put({ ...test, topic }, 'topic')}
      />
    </>
  );
}

export function Changed({ test, known, startedBy, put }: LineProps<OfKind<'changed'>>) {
  const texts = known.attributeTypes.get(test.name) !== 'number' && known.attributeTypes.get(test.name) !== 'money';
  const value = (label: string, side: 'from' | 'to') =>
    test[side] === undefined ? (
      <Off says={`${side} …`} onClick={() => put({ ...test, [side]: texts ? '' : 0 }, side)} />
    ) : (
      <>
        {side}{' '}
        <TypeWord
          label={label}
          value={String(test[side])}
          read={() => true}
          onChange={(text) => put({ ...test, [side]: texts ? text : (asNumber(text) ?? text) }, side)}
        />{' '}
        <Off onClick={() => put(without(test, side) as Rule, side)} />
      </>
    );
  return (
    <>
      <AttributeWord
        value={test.name}
        known={known}
        onChange={(name) => put({ test: 'changed', name, way: test.way, since: test.since }, 'name')}
      />{' '}
      has{' '}
      <PickWord
        label="How it changed"
        value={test.way}
        options={[
          ['any', 'changed'],
          ['rose', 'risen'],
          ['fell', 'fallen'],
        ]}
        onChange={(way) => put(way === 'any' ? { ...without(test, 'by'), way } : { ...test, way }, 'way')}
      />{' '}
      {test.way !== 'any' &&
        (test.by === undefined ? (
          <Off says="by at least …" onClick={() => put({ ...test, by: 1 }, 'by')} />
        ) : (
          <>
            by at least{' '}
            <TypeWord
              label="By at least"
              isNumber
              value={String(test.by)}
              read={(text) => (asNumber(text) !== undefined && asNumber(text)! > 0 ? true : undefined)}
              onChange={(text) => put({ ...test, by: asNumber(text)! }, 'by')}
            />{' '}
            <Off onClick={() => put(without(test, 'by') as Rule, 'by')} />
          </>
        ))}{' '}
      {value('From the value', 'from')} {value('To the value', 'to')}{' '}
      <When since={test.since} isInFlow={startedBy !== undefined} onChange={(since, field) => put({ ...test, since }, field)} />
    </>
  );
}

const NUMBERS = OPS.filter(([op]) => ['is', 'atLeast', 'above', 'atMost', 'below', 'between'].includes(op));

export function Aged({ test, known, put }: LineProps<OfKind<'age'>>) {
  return (
    <>
      years since <AttributeWord value={test.name} known={known} isDate onChange={(name) => put({ ...test, name }, 'name')} />{' '}
      <Compared test={test} ops={NUMBERS} onChange={(change, field) => put({ ...without(test, 'value'), ...change } as Rule, field)} />
    </>
  );
}

export function OfCountry({ test, known, put }: LineProps<OfKind<'country'>>) {
  const groups = [...Object.entries(COUNTRY_GROUPS).map(([key, { name }]) => ({ key, name })), ...known.groups];
  return (
    <>
      <AttributeWord value={test.name} known={known} onChange={(name) => put({ ...test, name }, 'name')} />{' '}
      {is(test.member, 'is', 'is not', 'Whether', (member) => put({ ...test, member }, 'member'))} in{' '}
      <FindWord
        label="Group of countries"
        value={test.group}
        shown={groups.find((one) => one.key === test.group)?.name ?? test.group}
        options={groups}
        onChange={(group) => put({ ...test, group }, 'group')}
      />
    </>
  );
}

const degrees = (text: string, most: number): number | undefined => {
  const number = /^-?\d{1,3}(\.\d+)?$/.test(text.trim()) ? Number(text) : NaN;
  return Math.abs(number) <= most ? number : undefined;
};

/** Within so far of a place: by its coordinates, or by a postcode that the table of places knows. */
export function Near({ test, put }: LineProps<OfKind<'near'>>) {
  const { place } = test;
  const asked = /^[A-Z]{2}[ /-]\s*\S/.test(place.name ?? '') ? place.name! : null;
  const found = useQuery({
    queryKey: ['places', asked],
    queryFn: () => api<PlaceView>(`/places/${encodeURIComponent(asked!.slice(0, 2))}/${encodeURIComponent(asked!.slice(3).trim())}`),
    enabled: asked !== null,
    retry: false,
    staleTime: 60_000,
  });
  const isThere = found.data && found.data.latitude === place.latitude && found.data.longitude === place.longitude;
  const number = (label: string, name: 'latitude' | 'longitude', most: number) => (
    <TypeWord
      label={label}
      isNumber
      value={String(place[name])}
      read={(text) => degrees(text, most)}
      onChange={(text) => put({ ...test, place: { ...place, [name]: degrees(text, most)! } }, name)}
    />
  );
  return (
    <>
      {is(test.is, 'is', 'is further than', 'Whether', (so) => put({ ...test, is: so }, 'is'))} {test.is ? 'within ' : ''}
      <TypeWord
        label="How far"
        isNumber
        value={String(test.within)}
        read={(text) => (asNumber(text) !== undefined && asNumber(text)! > 0 && asNumber(text)! <= 20_100 ? true : undefined)}
        onChange={(text) => put({ ...test, within: asNumber(text)! }, 'within')}
      />{' '}
      <PickWord
        label="Unit"
        value={test.unit}
        options={[
          ['km', 'km'],
          ['miles', 'miles'],
        ]}
        onChange={(unit) => put({ ...test, unit }, 'unit')}
      />{' '}
      {test.is ? 'of' : 'from'}{' '}
      <TypeWord
        label="Place, or country and postcode"
        value={place.name ?? ''}
        read={(text) => (text.length <= 80 ? true : undefined)}
        onChange={(name) => put({ ...test, place: name ? { ...place, name } : without(place, 'name') }, 'place')}
      />{' '}
      ({number('Latitude', 'latitude', 90)}, {number('Longitude', 'longitude', 180)}){' '}
      {found.data && !isThere && (
        <Off
          says={`take the coordinates of ${asked}`}
          onClick={() => put({ ...test, place: { ...place, latitude: found.data.latitude, longitude: found.data.longitude } }, 'place')}
        />
      )}
      {asked !== null && found.error && <span className="text-xs text-caution">No such postcode is on file: load places under Data.</span>}
      {asked === null && !place.latitude && !place.longitude && (
        <span className="text-xs text-caution">Name a country and postcode, such as “NL 1000AA”, or write coordinates.</span>
      )}
    </>
  );
}

const EXPECTED = Object.entries(PREDICTIONS).map(([key, { says }]) => [key as keyof typeof PREDICTIONS, says] as const);

export function Expected({ test, put }: LineProps<OfKind<'predicted'>>) {
  const isDay = PREDICTIONS[test.of].kind === 'day';
  const ops = OPS.filter(([op]) =>
    (isDay
      ? ['onOrAfter', 'onOrBefore', 'known', 'unknown']
      : ['atLeast', 'above', 'atMost', 'below', 'between', 'known', 'unknown']
    ).includes(op),
  );
  return (
    <>
      <PickWord
        label="What is expected"
        value={test.of}
        options={EXPECTED}
        onChange={(of) =>
          put(PREDICTIONS[of].kind === PREDICTIONS[test.of].kind ? { ...test, of } : { test: 'predicted', of, op: 'known' }, 'of')
        }
      />{' '}
      <Compared test={test} ops={ops} onChange={(change, field) => put({ test: 'predicted', of: test.of, ...change } as Rule, field)} />
      <span className="text-xs text-soft">
        {' '}
        (reckoned each week from the store’s orders, unless the shop tells it as the attribute “predicted”)
      </span>
    </>
  );
}

export function OfOrders({ test, put }: LineProps<OfKind<'orders'>>) {
  return (
    <>
      <PickWord
        label="What of their orders"
        value={test.take}
        options={[
          ['number', 'number of orders'],
          ['total', 'total of orders'],
          ['average', 'average order'],
          ['largest', 'largest order'],
          ['last', 'last order'],
        ]}
        onChange={(take) => put({ ...test, take }, 'take')}
      />{' '}
      <When since={test.since} isInFlow={false} onChange={(since, field) => put({ ...test, since } as Rule, field)} />{' '}
      <Compared test={test} ops={NUMBERS} onChange={(change, field) => put({ ...without(test, 'value'), ...change } as Rule, field)} />
      <span className="text-xs text-soft"> (without the cancelled, after what was paid back)</span>
    </>
  );
}

const HOW: { readonly [outcome in (typeof FLOW_OUTCOMES)[number]]: string } = {
  completed: 'at its end',
  goal: 'by its goal',
  left: 'before its end',
  undone: 'as it had not begun',
};

export function InFlow({ test, known, put }: LineProps<OfKind<'flow'>>) {
  return (
    <>
      {is(test.is, test.was === 'inside' ? 'is' : 'has', test.was === 'inside' ? 'is not' : 'has not', 'Whether', (so) =>
        put({ ...test, is: so }, 'is'),
      )}{' '}
      <PickWord
        label="Now or before"
        value={test.was}
        options={[
          ['inside', 'now in'],
          ['entered', 'ever been in'],
          ['left', 'come out of'],
        ]}
        onChange={(was) => put(was === 'left' ? { ...test, was } : { ...without(test, 'how'), was }, 'was')}
      />{' '}
      the flow{' '}
      <FindWord
        label="Flow"
        value={test.flow}
        shown={known.flows.find((one) => one.key === test.flow)?.name ?? test.flow}
        options={known.flows}
        onChange={(flow) => put({ ...test, flow }, 'flow')}
      />{' '}
      {test.was === 'left' && (
        <PickWord
          label="How it ended"
          value={test.how ?? 'any'}
          options={[['any', 'however it ended'], ...FLOW_OUTCOMES.map((one) => [one, HOW[one]] as const)]}
          onChange={(how) => put(how === 'any' ? without(test, 'how') : { ...test, how }, 'how')}
        />
      )}
    </>
  );
}

export function AtTheClock({ test, put }: LineProps<OfKind<'clock'>>) {
  return (
    <>
      it is <Hours hours={test.hours} isAlways onChange={(hours) => hours && put({ ...test, hours }, 'hours')} />
    </>
  );
}

/** Since when somebody has belonged to something. */
export function MemberSince({ since, onChange }: { since: OfKind<'list'>['since']; onChange: (since: OfKind<'list'>['since']) => void }) {
  if (!since) return <Off says="since when …" onClick={() => onChange({ ago: 'P30D' })} />;
  const isLast = 'last' in since;
  const duration = isLast ? since.last : since.ago;
  const of = (kind: 'last' | 'ago', value: string) => (kind === 'last' ? { last: value } : { ago: value });
  return (
    <>
      <PickWord
        label="Since when"
        value={isLast ? 'last' : 'ago'}
        options={[
          ['ago', 'for more than'],
          ['last', 'and came to be in the last'],
        ]}
        onChange={(kind) => onChange(of(kind, duration))}
      />{' '}
      <DurationWord label="How long" value={duration} onChange={(next) => onChange(of(isLast ? 'last' : 'ago', next))} />{' '}
      <Off onClick={() => onChange(undefined)} />
    </>
  );
}
