'use client';

import { useQuery } from '@tanstack/react-query';
import { Plus } from 'lucide-react';
import { useState } from 'react';
import type { OfferItem } from '@/core/api';
import { sayMoney, toMajor } from '@/core/money';
import { cardColumn, useCards } from '../cards';
import { api, Empty, Failed, Label, Named, NotKnown, Page, plural, sayShare, Table, type TableColumn, Link } from '../kit';

/** Where an offer stands, in a word. */
export function OfferState({ offer }: { offer: Pick<OfferItem, 'isArchived' | 'isOver' | 'flows'> }) {
  if (offer.isArchived) return <Label>archived</Label>;
  if (offer.isOver) return <Label tone="stop">{offer.isOver === 'over' ? 'its last day is over' : 'no code is left'}</Label>;
  const on = offer.flows.filter((flow) => flow.isOn).length;
  return on ? <Label tone="good">{plural(on, 'flow issues it', 'flows issue it')}</Label> : <Label>no flow issues it</Label>;
}

const COLUMNS: TableColumn<OfferItem>[] = [
  {
    key: 'name',
    name: 'Offer',
    value: (one) => one.name,
    show: (one) => <Named href={`/offers/${one.key}`} name={one.name} below={`${one.terms}, ${one.expiry}`} />,
  },
  { key: 'state', name: 'State', value: (one) => String(one.isOver ?? one.flows.length), show: (one) => <OfferState offer={one} /> },
  { key: 'issued', name: 'Issued', isNumber: true, value: (one) => one.issued },
  { key: 'open', name: 'Open', isNumber: true, value: (one) => one.open },
  { key: 'used', name: 'Used', isNumber: true, value: (one) => one.used },
  {
    key: 'share',
    name: 'Used of issued',
    isNumber: true,
    value: (one) => (one.issued ? one.used / one.issued : null),
    show: (one) => (one.issued ? sayShare(one.used, one.issued) : <NotKnown what="none issued" />),
  },
  {
    key: 'cost',
    name: 'Discount given',
    isNumber: true,
    value: (one) => toMajor(one.discount),
    show: (one) => sayMoney(one.discount),
  },
  {
    key: 'revenue',
    name: 'Orders with it, net',
    isNumber: true,
    value: (one) => toMajor(one.revenue),
    show: (one) => sayMoney(one.revenue),
  },
];

/** The offers of the store: their terms, what has become of their codes, and what they cost and brought. */
export function OffersScreen() {
  const [isAll, setAll] = useState(false);
  const cards = useCards('offer');
  const columns = [...COLUMNS, cardColumn<OfferItem>(cards, ({ key }) => key)];
  const { data, error, refetch } = useQuery({
    queryKey: ['offers'],
    queryFn: () => api<{ offers: OfferItem[] }>('/offers'),
    refetchInterval: 15_000,
  });
  if (error) return <Failed error={error} retry={() => void refetch()} />;
  const archived = data?.offers.filter((one) => one.isArchived).length ?? 0;
  const rows = data?.offers.filter((one) => isAll || !one.isArchived);
  return (
    <Page
      title="Offers"
      about="The terms of discounts. Flows issue codes of them, each to one person; the guard of an offer says who gets none."
      acts={
        <Link
          href="/offers/new"
          className="inline-flex h-8 items-center gap-2 rounded-md bg-accent px-3 font-semibold text-on-accent hover:opacity-90"
        >
          <Plus size={16} aria-hidden="true" /> New offer
        </Link>
      }
    >
      <div className="rounded-md border border-line bg-panel">
        <Table name="Offers" rows={rows} columns={columns} keyOf={(one) => one.key} hrefOf={(one) => `/offers/${one.key}`} />
        {!rows ? (
          <Empty title="Loading…" />
        ) : (
          !rows.length && (
            <Empty title="No offer yet">
              An offer says what a code gives, how long it counts, and who gets none. Make one, then let a flow issue its codes.
            </Empty>
          )
        )}
      </div>
      {archived > 0 && (
        <label className="mt-3 flex items-center gap-2 text-soft">
          <input type="checkbox" checked={isAll} onChange={(event) => setAll(event.target.checked)} />
          Show {plural(archived, 'archived offer', 'archived offers')}
        </label>
      )}
    </Page>
  );
}
