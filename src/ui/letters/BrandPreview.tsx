'use client';

import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useDeferredValue, useState } from 'react';
import type { RenderView } from '@/core/api';
import { atNight, byDay } from '@/core/letters';
import type { Brand, Email } from '@/core/messages';
import { api } from '../kit';

const CART = {
  currency: 'EUR',
  value: 74.8,
  items: [
    { name: 'A product', quantity: 1, price: 49.9, url: 'https://shop.example.com/a' },
    { name: 'Another one', quantity: 2, price: 12.45, url: 'https://shop.example.com/b' },
  ],
};

/** A letter in a brand that is being changed, by day and by night. */
export function BrandPreview({ brand, message }: { brand: Brand; message: Email }) {
  const [isNight, setNight] = useState(false);
  const asked = useDeferredValue(brand);
  const { data, error, isPlaceholderData } = useQuery({
    queryKey: ['rendered', message, asked],
    queryFn: () =>
      api<RenderView>('/messages/render', { method: 'POST', body: { message, brand: asked, person: { firstName: 'Robin' }, event: CART } }),
    placeholderData: keepPreviousData,
    retry: false,
    staleTime: 60_000,
  });
  return (
    <section
      aria-label="A letter in it"
      className="sticky top-4 h-[calc(100vh-180px)] rounded-md border border-line bg-panel"
      aria-busy={isPlaceholderData}
    >
      <div className="flex h-10 items-center gap-2 border-b border-line px-4">
        <h2 className="font-semibold">A letter in it</h2>
        <div className="flex-1" />
        {(['By day', 'By night'] as const).map((one, index) => (
          <button
            key={one}
            type="button"
            aria-pressed={isNight === (index === 1)}
            onClick={() => setNight(index === 1)}
            className={`min-h-7 rounded-md px-2 ${isNight === (index === 1) ? 'bg-ink text-paper' : ''}`}
          >
            {one}
          </button>
        ))}
      </div>
      {error ? (
        <p role="alert" className="p-4 text-stop">
          {error.message}
        </p>
      ) : (
        <div className="h-[calc(100%-40px)] overflow-hidden">
          <iframe
            title="A letter"
            sandbox=""
            srcDoc={data ? (isNight ? atNight(data.html) : byDay(data.html)) : ''}
            style={{ width: 640, height: `${100 / 0.87}%`, transform: 'scale(0.87)', transformOrigin: '0 0' }}
            className="border-0 bg-white"
          />
        </div>
      )}
    </section>
  );
}
