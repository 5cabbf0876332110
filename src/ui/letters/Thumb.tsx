'use client';

import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useDeferredValue, useEffect, useRef, useState } from 'react';
import type { RenderView } from '@/core/api';
import { byDay } from '@/core/letters';
import type { Email } from '@/core/messages';
import { api } from '../kit';

const WIDE = 640;

/** A letter as a small picture of itself: the letter, made small, for nobody in particular. It is put together when it comes into view. */
export function Thumb({ message, width, height, title }: { message: Email; width: number; height: number; title: string }) {
  const box = useRef<HTMLDivElement>(null);
  const [isSeen, setSeen] = useState(false);
  const asked = useDeferredValue(message);
  useEffect(() => {
    const seen = new IntersectionObserver((entries) => entries.some((one) => one.isIntersecting) && setSeen(true), { rootMargin: '200px' });
    seen.observe(box.current!);
    return () => seen.disconnect();
  }, []);
  const { data, error } = useQuery({
    queryKey: ['rendered', asked, '', null],
    queryFn: () => api<RenderView>('/messages/render', { method: 'POST', body: { message: asked, person: SOMEBODY, event: SAMPLE } }),
    enabled: isSeen,
    placeholderData: keepPreviousData,
    retry: false,
    staleTime: 300_000,
  });
  const scale = width / WIDE;
  return (
    <div ref={box} style={{ width, height }} className="relative overflow-hidden rounded-md border border-line bg-white">
      {error && <p className="p-3 text-xs text-[#b3261e]">{error.message}</p>}
      {data && (
        <iframe
          title={title}
          tabIndex={-1}
          aria-hidden="true"
          sandbox=""
          srcDoc={byDay(data.html)}
          style={{ width: WIDE, height: height / scale, transform: `scale(${scale})`, transformOrigin: '0 0' }}
          className="pointer-events-none border-0"
        />
      )}
    </div>
  );
}

const SOMEBODY = { firstName: 'Robin', lastName: 'Winter', language: 'en', country: 'NL' };
/** What stands in the small pictures in place of what somebody did. */
const SAMPLE = {
  currency: 'EUR',
  value: 74.8,
  orderId: 'Q-1001',
  checkoutUrl: 'https://shop.example.com/cart',
  url: 'https://shop.example.com/product',
  name: 'A product',
  items: [
    { name: 'A product', quantity: 1, price: 49.9 },
    { name: 'Another one', quantity: 2, price: 12.45 },
  ],
};
