'use client';

import { useQuery } from '@tanstack/react-query';
import { useMemo } from 'react';
import type { AttributeView, DirectoryView, TypeDetail } from '@/core/api';
import { api, sayShare } from '../kit';
import { writeValue } from './words';

/** Something that can be put into a text: what it is called, how it is written, and what is known of it. */
export interface Offered {
  readonly path: string;
  readonly raw: string;
  readonly group: 'Person' | 'Event' | 'Offer' | 'Store';
  /** values that occur, and how often there is none */
  readonly says: string;
}

const FRESH = { staleTime: 60_000 };
/** What commonly stands in for what is not known. */
const STANDS_IN: { readonly [name: string]: string } = { firstName: 'there' };

/** What can be put into a text, from the catalogue: attributes of the person, properties of what starts the flow, the code, the store. */
export function useValues(
  startedBy: string | null,
  hasOffer: boolean,
  given?: { readonly [name: string]: string },
): { readonly values: readonly Offered[]; /** more of them come */ readonly isLoading: boolean } {
  const attributes = useQuery({
    queryKey: ['attributes', 'counted'],
    queryFn: () => api<{ attributes: AttributeView[] }>('/attributes'),
    ...FRESH,
  });
  const type = useQuery({
    queryKey: ['catalogue', startedBy],
    queryFn: () => api<TypeDetail>(`/catalogue/${encodeURIComponent(startedBy!)}`),
    enabled: startedBy !== null,
    retry: false,
    ...FRESH,
  });
  const people = useQuery({ queryKey: ['audience', ''], queryFn: () => api<DirectoryView>('/people?limit=0&'), ...FRESH });
  const values = useMemo((): readonly Offered[] => {
    const known = attributes.data?.attributes.filter((one) => !one.isRetired && !one.goesTo) ?? [];
    const all = people.data?.total ?? 0;
    const lists = new Set(['items', 'codes', 'person', 'consent']);
    return [
      ...known.map((one): Offered => {
        const missing = one.people === null || !all ? null : Math.max(0, all - one.people);
        return {
          path: `person.${one.name}`,
          raw: writeValue(`person.${one.name}`, STANDS_IN[one.name] ?? null),
          group: 'Person',
          says: missing ? `${sayShare(missing, all)} have none` : missing === 0 ? 'everybody has one' : '',
        };
      }),
      ...(type.data?.list ?? [])
        .filter(({ name }) => !name.includes('[') && !lists.has(name.split('.')[0]!))
        .map(({ name, values }): Offered => ({
          path: `event.${name}`,
          raw: `{{ event.${name} }}`,
          group: 'Event',
          says: values[0] ? `such as ${values[0].value.slice(0, 40)}` : '',
        })),
      ...Object.entries(given ?? {}).map(([name, value]): Offered => ({
        path: `event.${name}`,
        raw: `{{ event.${name} }}`,
        group: 'Event',
        says: `such as ${value.slice(0, 40)}`,
      })),
      ...(hasOffer ? ['code', 'expires', 'terms'] : []).map((name): Offered => ({
        path: `offer.${name}`,
        raw: `{{ offer.${name} }}`,
        group: 'Offer',
        says: name === 'code' ? 'the code issued in this flow' : name === 'expires' ? 'until when it counts' : 'what it gives, in words',
      })),
      { path: 'store.name', raw: '{{ store.name }}', group: 'Store', says: '' },
      { path: 'store.address', raw: '{{ store.address }}', group: 'Store', says: '' },
    ];
  }, [attributes.data, type.data, people.data, hasOffer, given]);
  return { values, isLoading: attributes.isLoading || type.isLoading };
}
