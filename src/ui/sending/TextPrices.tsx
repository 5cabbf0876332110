'use client';

import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import type { TextPricesView } from '@/core/api';
import { countryCode, sayCountry } from '@/core/places';
import { readNumber } from '@/core/people';
import { api, areaClass, attempt, Button, Field, Part, plural } from '../kit';

/** Lines such as "NL 0.07" read: prices by country, or the first line that cannot be. */
function read(text: string): { prices: Record<string, number> } | { wrong: string } {
  const prices: Record<string, number> = {};
  for (const line of text.split('\n')) {
    if (!line.trim()) continue;
    const [, name, amount] = /^(.*\S)[\s,;:]+([\d.,]+)\s*$/.exec(line.trim()) ?? [];
    const code = name && countryCode(name);
    const price = amount ? readNumber(amount) : null;
    if (!code) return { wrong: `“${line.trim().slice(0, 40)}” begins with no country` };
    if (price === null || price < 0 || price > 100) return { wrong: `“${line.trim().slice(0, 40)}” ends with no price` };
    prices[code] = price;
  }
  return { prices };
}

/** What one part of a text message costs, by country: told where one is written. */
export function TextPrices() {
  const client = useQueryClient();
  const [typed, setTyped] = useState<string | null>(null);
  const { data } = useQuery({ queryKey: ['text-prices'], queryFn: () => api<TextPricesView>('/text-prices') });
  const kept = Object.entries(data?.prices ?? {})
    .map(([code, price]) => `${sayCountry(code)} ${price}`)
    .join('\n');
  const text = typed ?? kept;
  const came = read(text);
  const save = () =>
    attempt(async () => {
      if ('wrong' in came) return;
      await api('/text-prices', { method: 'PUT', body: { prices: came.prices } });
      await client.invalidateQueries({ queryKey: ['text-prices'] });
      setTyped(null);
    }, 'Saved. It is told where a text message is written.');
  return (
    <Part title="What a text message costs">
      <div className="grid max-w-[560px] gap-3 p-4">
        <Field
          label={`A country and the price of one part in a line${data ? `, in ${data.currency}` : ''}`}
          hint={
            'wrong' in came ? undefined : `${plural(Object.keys(came.prices).length, 'country', 'countries')}. Such as: Netherlands 0.07`
          }
          problem={'wrong' in came ? came.wrong : null}
        >
          <textarea rows={5} value={text} onChange={(event) => setTyped(event.target.value)} className={`${areaClass} font-mono text-xs`} />
        </Field>
        <Button
          changes="/text-prices"
          className="justify-self-start"
          disabled={typed === null || typed === kept || 'wrong' in came}
          onClick={() => void save()}
        >
          Save the prices
        </Button>
      </div>
    </Part>
  );
}
