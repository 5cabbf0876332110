'use client';

import { useQuery, useQueryClient } from '@tanstack/react-query';
import { Plus } from 'lucide-react';
import { useState } from 'react';
import type { ProductFeedView } from '@/core/api';
import { PRODUCT_FIELDS, type ProductField, type ProductMapping } from '@/core/products';
import { slugOf } from '@/core/text';
import { api, attempt, Button, Dialog, Field, inputClass, plural, ReadDialog, sayCount, sayMoment, useStore } from '../kit';

const FIELD_WORDS: { readonly [field in ProductField]: string } = {
  sku: 'Article number',
  name: 'Name',
  price: 'Price',
  compareAt: 'Price before',
  cost: 'Cost of one',
  currency: 'Currency',
  url: 'Address',
  image: 'Picture',
  categories: 'Categories',
  stock: 'Stock',
};

/** Where products are read by themselves: addresses of files and feeds, how often, and what came of it. */
export function ProductFeeds({ onClose }: { onClose: () => void }) {
  const { zone } = useStore();
  const client = useQueryClient();
  const [editing, setEditing] = useState<ProductFeedView | 'new' | null>(null);
  const { data, error } = useQuery({
    queryKey: ['product-feeds'],
    queryFn: () => api<{ feeds: ProductFeedView[] }>('/product-feeds'),
    refetchInterval: 15_000,
  });
  const renew = () =>
    Promise.all([client.invalidateQueries({ queryKey: ['product-feeds'] }), client.invalidateQueries({ queryKey: ['products'] })]);
  if (editing) return <FeedForm feed={editing === 'new' ? null : editing} onClose={() => setEditing(null)} onDone={renew} />;
  return (
    <Dialog
      isOpen
      onClose={onClose}
      width={680}
      title="Products read by themselves"
      about="A file or a feed of the shop: CSV, a list of JSON, RSS or Atom. Prices and stock that change in it begin flows."
    >
      {error && (
        <p role="alert" className="text-stop">
          {error.message}
        </p>
      )}
      <ul className="grid gap-3">
        {data?.feeds.map((one) => (
          <li key={one.key} className="grid gap-1 rounded-md border border-line p-3">
            <div className="flex items-center gap-2">
              <b className="min-w-0 flex-1 truncate">{one.name}</b>
              <Button changes="/product-feeds" onClick={() => setEditing(one)}>
                Edit
              </Button>
              <Button
                changes="/product-feeds"
                onClick={() =>
                  void attempt(async () => {
                    await api(`/product-feeds/${one.key}`, { method: 'DELETE' });
                    await renew();
                  }, 'Deleted. The products stay.')
                }
              >
                Delete
              </Button>
            </div>
            <p className="break-all font-mono text-xs text-soft">{one.url}</p>
            <p className="text-xs">
              Every {plural(one.everyMinutes, 'minute', 'minutes')}
              {one.readAt && `; read ${sayMoment(one.readAt, zone)}, ${plural(one.stored ?? 0, 'product', 'products')}`}
              {one.skipped && one.skipped.count > 0 && `, ${sayCount(one.skipped.count)} left out`}
            </p>
            {one.skipped?.some.map((words) => (
              <p key={words} className="text-xs text-caution">
                {words}
              </p>
            ))}
            {one.problem && (
              <p role="alert" className="text-xs text-stop">
                The last time it {one.problem}. What was read before stays.
              </p>
            )}
          </li>
        ))}
      </ul>
      {data && !data.feeds.length && <p className="text-soft">Nothing is read by itself yet.</p>}
      <div className="flex justify-between">
        <Button changes="/product-feeds" onClick={() => setEditing('new')}>
          <Plus size={16} aria-hidden="true" /> Add an address
        </Button>
        <Button kind="primary" onClick={onClose}>
          Done
        </Button>
      </div>
    </Dialog>
  );
}

function FeedForm({ feed, onClose, onDone }: { feed: ProductFeedView | null; onClose: () => void; onDone: () => Promise<unknown> }) {
  const [mapping, setMapping] = useState<ProductMapping>(feed?.mapping ?? {});
  return (
    <ReadDialog
      width={680}
      title={feed ? 'Edit the address' : 'Add an address'}
      about="It is read at once, and then as often as you say. Which field stands for what is found by common names; choose where that is wrong."
      read={feed}
      least={15}
      usual={360}
      onSave={async (read) => {
        const key = feed?.key ?? `${slugOf(read.name, 48) || 'feed'}-${Math.random().toString(36).slice(2, 7)}`;
        await api(`/product-feeds/${key}`, { method: 'PUT', body: { ...read, mapping } });
        await onDone();
      }}
      onClose={onClose}
    >
      <fieldset className="grid grid-cols-3 gap-3">
        <legend className="mb-1 text-xs font-semibold text-soft">Which field stands for what</legend>
        {(Object.keys(PRODUCT_FIELDS) as ProductField[]).map((field) => (
          <Field key={field} label={FIELD_WORDS[field]}>
            <input
              list={feed?.fields.length ? 'fields-of-feed' : undefined}
              value={mapping[field] ?? ''}
              maxLength={120}
              placeholder="found by name"
              onChange={(event) => setMapping({ ...mapping, [field]: event.target.value })}
              className={`${inputClass} font-mono text-xs`}
            />
          </Field>
        ))}
        <datalist id="fields-of-feed">
          {feed?.fields.map((one) => (
            <option key={one} value={one} />
          ))}
        </datalist>
      </fieldset>
    </ReadDialog>
  );
}
