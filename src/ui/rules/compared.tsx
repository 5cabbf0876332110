'use client';

import type { ReactNode } from 'react';
import { readNumber } from '@/core/people';
import type { Comparison, Rule, Test } from '@/core/rules';
import { localDate } from '@/core/time';
import { useStore, useStoreTime } from '../kit';
import { Day, PickWord, TypeWord } from './words';
import type { useKnown } from './useKnown';

/** What there is to make conditions of. */
export type Catalogue = ReturnType<typeof useKnown>;
/** What each kind of line is given. */
export interface LineProps<T> {
  readonly test: T;
  readonly known: Catalogue;
  /** the event that starts the flow, in one */
  readonly startedBy: string | undefined;
  readonly put: (test: Rule, field: string) => void;
}
export type OfKind<K extends Test['test']> = Extract<Test, { test: K }>;

/** A word that is one of two. */
export function is(value: boolean, yes: string, no: string, label: string, onChange: (value: boolean) => void): ReactNode {
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
/** How values are compared, as words. */
export const OPS: readonly (readonly [Op, string])[] = [
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
  ['onOrAfter', 'is on or after'],
  ['onOrBefore', 'is on or before'],
  ['known', 'is known'],
  ['unknown', 'is not known'],
];
const NUMERIC = new Set<Op>(['atLeast', 'above', 'atMost', 'below', 'between']);
const DAILY = new Set<Op>(['onOrAfter', 'onOrBefore']);
const TEXTUAL = new Set<Op>(['contains', 'startsWith']);

/** A number as it is typed, in the ways it is commonly written; undefined where it is none. */
export const asNumber = (text: string): number | undefined => readNumber(text) ?? undefined;
/** What is typed as a value: a number where it is one and numbers are meant, yes or no, else a text. */
const asScalar = (text: string, isText: boolean): string | number | boolean => {
  if (isText) return text;
  if (text === 'yes' || text === 'true') return true;
  if (text === 'no' || text === 'false') return false;
  return asNumber(text) ?? text;
};
const sayScalar = (value: unknown): string => (value === true ? 'yes' : value === false ? 'no' : value === undefined ? '' : String(value));

/** A comparison: how, and with what. */
export function Compared({
  test,
  values,
  isText = false,
  ops = OPS,
  onChange,
}: {
  test: Comparison;
  values?: readonly { readonly value: string; readonly count: number }[];
  /** whether only texts are meant */
  isText?: boolean;
  /** the comparisons that are offered */
  ops?: typeof OPS;
  onChange: (change: Comparison, field: string) => void;
}) {
  const { zone } = useStore();
  const now = useStoreTime();
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
              : DAILY.has(next)
                ? localDate(now(), zone)
                : TEXTUAL.has(next)
                  ? sayScalar(list[0])
                  : (list[0] ?? '');
    onChange({ op: next, ...(to !== undefined && { value: to as Comparison['value'] }) }, 'op');
  };
  const put = (to: unknown, field = 'value') => onChange({ op, value: to as Comparison['value'] }, field);
  return (
    <>
      <PickWord label="How" value={op} options={ops} onChange={setOp} />{' '}
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
      ) : DAILY.has(op) ? (
        <Day label="Day" value={sayScalar(value)} onChange={(day) => put(day)} />
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
