'use client';

import { useQuery } from '@tanstack/react-query';
import Link from 'next/link';
import type { CountView } from '@/core/api';
import { CHANNELS, CHANNEL_WORDS, type Rule } from '@/core/rules';
import { api, Empty, Failed, plural, sayCount, sayShare } from '../kit';

/** What each part of a rule leaves of everybody, who of those left can be reached, and ten of them. */
export function Narrowing({ rule }: { rule: Rule }) {
  const { data, error, refetch } = useQuery({
    queryKey: ['rules', 'count', JSON.stringify(rule)],
    queryFn: ({ signal }) => api<CountView>('/rules/count', { method: 'POST', body: { rule }, signal }),
  });
  if (error) return <Failed error={error} retry={() => void refetch()} />;
  if (!data) return <Empty title="Counting…" />;
  const steps = [{ says: 'Everybody on file', count: data.everybody }, ...data.narrowing];
  return (
    <div className="grid gap-4">
      <ol className="grid gap-2">
        {steps.map((step, place) => (
          <li key={place}>
            <div className="flex items-baseline justify-between gap-4">
              <span className={place ? '' : 'text-soft'}>{step.says}</span>
              <span className="tabular whitespace-nowrap">
                <span data-testid="left">{sayCount(step.count)}</span>
                {place > 0 && <span className="ml-2 text-xs text-soft">{sayShare(step.count, data.everybody)}</span>}
              </span>
            </div>
            <div className="mt-1 h-1 bg-wash" aria-hidden="true">
              <div
                className={`h-1 ${place ? 'bg-accent' : 'bg-[var(--line)]'}`}
                style={{ width: `${data.everybody ? (100 * step.count) / data.everybody : 0}%` }}
              />
            </div>
          </li>
        ))}
      </ol>
      <p>
        Of {plural(data.count, 'person', 'people')}, marketing may go out{' '}
        {CHANNELS.map((channel, place) => (
          <span key={channel}>
            {place > 0 && ', '}
            to <b className="tabular">{sayCount(data.reachable[channel])}</b> by {CHANNEL_WORDS[channel].noun}
          </span>
        ))}
        .
      </p>
      {data.examples.length > 0 && (
        <p className="text-soft">
          For example{' '}
          {data.examples.map((one, place) => (
            <span key={one.id}>
              {place > 0 && ', '}
              <Link href={`/people/${encodeURIComponent(one.id)}`} className="text-ink hover:underline">
                {one.name ?? one.email ?? one.id}
              </Link>
            </span>
          ))}
          .
        </p>
      )}
    </div>
  );
}
