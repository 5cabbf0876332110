'use client';

import { useQueries, useQuery } from '@tanstack/react-query';
import { useContext, useMemo } from 'react';
import type { AttributeView, FlowListView, ListView, SegmentItem, TypeDetail, TypeView } from '@/core/api';
import type { CountryGroup } from '@/core/places';
import type { Known } from '@/core/rules';
import { api } from '../kit';
import { AnswersContext } from './Answered';

const FRESH = { staleTime: 60_000 };
/** Attributes whose values tell one person from all others: they are known or not, and are not offered one by one. */
const OWN = new Set(['email', 'phone', 'firstName', 'lastName', 'pushToken', 'externalId']);
const MOST_VALUES = 12;

/** Values that occur of an attribute, the commonest first. */
export const valuesQuery = (name: string) => ({
  queryKey: ['attribute-values', name],
  queryFn: () => api<{ values: { value: string; count: number }[] }>(`/attributes/${encodeURIComponent(name)}/values`),
  ...FRESH,
});

type Values = readonly { readonly value: string; readonly count: number }[];
const valuesOf = (answers: readonly { readonly data?: { values: Values } }[]) => answers.map(({ data }) => data?.values);

/** What conditions can be made of, from the catalogue; values of attributes only once they are asked for. */
export function useKnown(
  withValues: boolean,
  about: string | null = null,
): Known & { readonly attributeTypes: ReadonlyMap<string, AttributeView['type']>; readonly isLoading: boolean } {
  const answers = useContext(AnswersContext);
  const types = useQuery({ queryKey: ['catalogue'], queryFn: () => api<{ types: TypeView[] }>('/catalogue'), ...FRESH });
  const attributes = useQuery({
    queryKey: ['attributes'],
    queryFn: () => api<{ attributes: AttributeView[] }>('/attributes?count=no'),
    ...FRESH,
  });
  const started = useQuery({
    queryKey: ['catalogue', about],
    queryFn: () => api<TypeDetail>(`/catalogue/${encodeURIComponent(about!)}`),
    enabled: about !== null,
    retry: false,
    ...FRESH,
  });
  const lists = useQuery({ queryKey: ['lists'], queryFn: () => api<{ lists: ListView[] }>('/lists'), ...FRESH });
  const tags = useQuery({ queryKey: ['tags'], queryFn: () => api<{ tags: { tag: string; people: number }[] }>('/tags'), ...FRESH });
  const flows = useQuery({ queryKey: ['flows'], queryFn: () => api<FlowListView>('/flows'), ...FRESH });
  const topics = useQuery({ queryKey: ['topics'], queryFn: () => api<{ topics: { key: string; name: string }[] }>('/topics'), ...FRESH });
  const groups = useQuery({ queryKey: ['country-groups'], queryFn: () => api<{ groups: CountryGroup[] }>('/country-groups'), ...FRESH });
  const segments = useQuery({ queryKey: ['segments'], queryFn: () => api<{ segments: SegmentItem[] }>('/segments'), ...FRESH });
  const offered = useMemo(() => attributes.data?.attributes.filter((one) => !one.isRetired && !one.goesTo) ?? [], [attributes.data]);
  const asked = offered.filter((one) => one.type === 'text' && !OWN.has(one.name)).slice(0, MOST_VALUES);
  const values = useQueries({
    queries: asked.map((one) => ({ ...valuesQuery(one.name), enabled: withValues })),
    combine: valuesOf,
  });
  return useMemo(
    () => ({
      events: types.data?.types.map(({ type, count }) => ({ type, count })) ?? [],
      attributes: offered.map(({ name, type }) => ({
        name,
        isDate: type === 'date',
        values: values[asked.findIndex((one) => one.name === name)] ?? [],
      })),
      lists: lists.data?.lists ?? [],
      tags: tags.data?.tags ?? [],
      segments: segments.data?.segments ?? [],
      flows: flows.data?.flows ?? [],
      topics: topics.data?.topics ?? [],
      groups: groups.data?.groups ?? [],
      started: started.data?.list.map(({ name, kinds }) => ({ name, kind: kinds.number ? ('number' as const) : ('text' as const) })) ?? [],
      answers,
      isLoading: types.isPending || attributes.isPending || lists.isPending || tags.isPending || segments.isPending,
      attributeTypes: new Map(offered.map(({ name, type }) => [name, type])),
    }),
    // eslint-disable-next-line react-hooks/exhaustive-deps -- `asked` follows from `offered`
    [
      types.data,
      attributes.data,
      values,
      lists.data,
      tags.data,
      segments.data,
      flows.data,
      topics.data,
      groups.data,
      started.data,
      answers,
    ],
  );
}
