'use client';

import { Fragment } from 'react';
import { useQuery } from '@tanstack/react-query';
import type { TypeDetail } from '@/core/api';
import { sayName, type PropertyTest, type WhereTest } from '@/core/rules';
import { api, sayCount } from '../kit';
import { Compared } from './compared';
import { Off } from './parts';
import { FindWord } from './words';

export const NEW_TEST: PropertyTest = { property: 'value', op: 'atLeast', value: 50 };
export const NEW_ITEM: WhereTest = { property: 'items', any: [{ property: 'sku', op: 'is', value: '' }] };

/** The properties that events of a type have borne, with values that occurred. */
export function useProperties(event: string): TypeDetail['list'] {
  const { data } = useQuery({
    queryKey: ['catalogue', event],
    queryFn: () => api<TypeDetail>(`/catalogue/${encodeURIComponent(event)}`),
    staleTime: 60_000,
    retry: false,
  });
  return data?.list ?? [];
}

/** What is asked of an event's properties. */
export function Where({
  event,
  where,
  lead = 'whose',
  words,
  onChange,
}: {
  event: string;
  where: readonly WhereTest[];
  lead?: string;
  /** what there is to ask for and how it is called, where that is not what events have borne */
  words?: Words;
  onChange: (where: WhereTest[], field: string) => void;
}) {
  const borne = useProperties(event);
  const properties = words ? Object.keys(words).map(plainProperty) : borne;
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
          {index ? ' and ' : ' '}
          {'any' in one ? (
            <>
              with one of its{' '}
              <PropertyWord
                label="List"
                value={one.property}
                properties={properties}
                onChange={(property) => put(index, { ...one, property }, 'property')}
              />{' '}
              whose{' '}
              {one.any.map((item, at) => (
                <Fragment key={at}>
                  {at > 0 && ' and '}
                  <Property
                    test={item}
                    properties={ITEM_PROPERTIES}
                    onChange={(next, field) =>
                      put(index, { ...one, any: one.any.map((old, n) => (n === at ? next : old)) }, `${at}.${field}`)
                    }
                  />
                </Fragment>
              ))}{' '}
              <Off
                says="and whose …"
                onClick={() => put(index, { ...one, any: [...one.any, { property: 'price', op: 'atLeast', value: 10 }] }, 'any')}
              />
            </>
          ) : (
            <>
              {lead} <Property test={one} properties={properties} words={words} onChange={(next, field) => put(index, next, field)} />
            </>
          )}{' '}
          <Off onClick={() => remove(index)} />
        </Fragment>
      ))}
    </>
  );
}

/** What is asked of an event, as a line of its own: each part can be changed and left out, and more can be asked. */
export function Asked({
  event,
  where,
  fresh = NEW_TEST,
  words,
  onChange,
}: {
  event: string;
  where: readonly WhereTest[];
  /** what is asked next */
  fresh?: PropertyTest;
  words?: Words;
  onChange: (where: WhereTest[], field: string) => void;
}) {
  return (
    <p className="leading-7">
      {where.length > 0 && (
        <Where event={event} where={where} lead={words ? 'where' : 'whose'} {...(words && { words })} onChange={onChange} />
      )}{' '}
      <Off
        says={words ? (where.length ? 'and where …' : 'Only where …') : where.length ? 'and whose …' : 'Only those whose …'}
        onClick={() => onChange([...where, fresh], 'where')}
      />
      {where.length === 0 && /^(cart|checkout|order)\./.test(event) && (
        <>
          {' '}
          <Off says="Only those with one of its items whose …" onClick={() => onChange([NEW_ITEM], 'where')} />
        </>
      )}
    </p>
  );
}

/** What the lines of carts and orders commonly bear. */
const plainProperty = (name: string): TypeDetail['list'][number] => ({ name, count: 0, kinds: {}, values: [] });
const ITEM_PROPERTIES: TypeDetail['list'] = ['sku', 'name', 'category', 'price', 'quantity'].map(plainProperty);

type Words = { readonly [property: string]: string };

export function PropertyWord({
  label = 'Property',
  value,
  properties,
  words,
  onChange,
}: {
  label?: string;
  value: string;
  properties: TypeDetail['list'];
  words?: Words | undefined;
  onChange: (property: string) => void;
}) {
  return (
    <FindWord
      label={label}
      value={value}
      shown={words?.[value] ?? sayName(value)}
      takesOther={!words}
      options={properties.map((one) => ({
        key: one.name,
        name: words?.[one.name] ?? sayName(one.name),
        ...(one.count > 0 && {
          note: `${sayCount(one.count)} times${one.values[0] ? `, such as ${one.values[0].value.slice(0, 20)}` : ''}`,
        }),
      }))}
      onChange={(property) => /^[\p{L}_][\p{L}\p{N}_.-]{0,119}$/u.test(property) && onChange(property)}
    />
  );
}

function Property({
  test,
  properties,
  words,
  onChange,
}: {
  test: PropertyTest;
  properties: TypeDetail['list'];
  words?: Words | undefined;
  onChange: (test: PropertyTest, field: string) => void;
}) {
  const own = properties.find((one) => one.name === test.property);
  const asked = typeof test.value === 'string' ? test.value : null;
  const isMissing =
    test.op === 'is' &&
    asked !== null &&
    asked !== '' &&
    own !== undefined &&
    own.values.length > 0 &&
    own.values.length < 10 &&
    !own.values.some((one) => one.value === asked);
  return (
    <>
      <PropertyWord
        value={test.property}
        properties={properties}
        words={words}
        onChange={(property) => onChange({ ...test, property }, 'property')}
      />{' '}
      <Compared test={test} values={own?.values} onChange={(change, field) => onChange({ property: test.property, ...change }, field)} />
      {isMissing && <span className="ml-1 text-xs text-caution">It has not been “{asked}” yet.</span>}
    </>
  );
}
