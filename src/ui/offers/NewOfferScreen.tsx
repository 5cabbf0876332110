'use client';

import { useQueryClient } from '@tanstack/react-query';
import { useRouter } from 'next/navigation';
import type { OfferItem } from '@/core/api';
import { freeKey } from '@/core/flows';
import type { Offer } from '@/core/offers';
import { api, Page, useStore } from '../kit';
import { OfferEditor } from './OfferEditor';

/** Terms to begin with: modest, soon over, above a threshold, and not to the same person again at once. */
const fresh = (currency: string): Offer => ({
  schema: 'viatic.offer/1',
  name: '',
  gives: { kind: 'percent', percent: 10 },
  currency,
  minimum: 50,
  combines: false,
  expires: { after: 'P3D' },
  comesBack: true,
  who: null,
  guard: { gap: 'P30D' },
  code: { prefix: '', letters: 6 },
});

export function NewOfferScreen() {
  const router = useRouter();
  const client = useQueryClient();
  const { currency } = useStore();
  return (
    <Page title="New offer" back={{ href: '/offers', name: 'All offers' }}>
      <OfferEditor
        document={fresh(currency)}
        act="Create"
        onCancel={() => router.push('/offers')}
        onSave={async (document) => {
          const { offers } = await api<{ offers: OfferItem[] }>('/offers');
          const key = freeKey(document.name, ['new', ...offers.map((one) => one.key)], 'offer');
          await api(`/offers/${key}`, { method: 'PUT', body: document });
          await client.invalidateQueries({ queryKey: ['offers'] });
          router.push(`/offers/${key}`);
        }}
      />
    </Page>
  );
}
