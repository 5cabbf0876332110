'use client';

import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useDeferredValue, useState } from 'react';
import type { RenderView, TellingPerson } from '@/core/api';
import { byDay } from '@/core/letters';
import type { Message } from '@/core/messages';
import { api, fieldClass, inputClass, useStore } from '../kit';

/** The message as a given person would get it, rendered by the code that sends it. */
export function AsSomebody({ message, startedBy }: { message: Message; startedBy: string | null }) {
  const store = useStore();
  const [chosen, setChosen] = useState<string | null>(null);
  const [asText, setAsText] = useState(false);
  const people = useQuery({
    queryKey: ['telling', startedBy],
    queryFn: () =>
      api<{ people: TellingPerson[] }>(`/messages/people${startedBy === null ? '' : `?event=${encodeURIComponent(startedBy)}`}`),
    staleTime: 60_000,
  });
  const person = chosen ?? people.data?.people[0]?.id ?? '';
  const asked = useDeferredValue(message);
  const shown = useQuery({
    queryKey: ['rendered', asked, person, startedBy],
    queryFn: () =>
      api<RenderView>('/messages/render', {
        method: 'POST',
        body: { message: asked, ...(person && { person }), ...(person && startedBy !== null && { event: startedBy }) },
      }),
    enabled: people.isSuccess,
    placeholderData: keepPreviousData,
    retry: false,
    staleTime: 60_000,
  });
  const error = people.error ?? shown.error;
  if (error)
    return (
      <p role="alert" className="py-6 text-center text-stop">
        {error.message}
      </p>
    );
  if (!people.data) return <p className="py-6 text-center text-soft">Looking for somebody…</p>;
  const broken = shown.data?.problems.find(({ code }) => code === 'not-rendered' || code === 'placeholder-unreadable');
  return (
    <div className="grid gap-2">
      <div className="flex gap-2">
        <select aria-label="As whom" value={person} onChange={(event) => setChosen(event.target.value)} className={inputClass}>
          {people.data.people.map((one) => (
            <option key={one.id} value={one.id}>
              {one.name} ({one.tells})
            </option>
          ))}
          <option value="">somebody of whom nothing is known</option>
        </select>
        {message.channel === 'email' && (
          <select
            aria-label="Which part"
            value={asText ? 'text' : 'html'}
            onChange={(event) => setAsText(event.target.value === 'text')}
            className={`${fieldClass} w-28`}
          >
            <option value="html">Designed</option>
            <option value="text">Plain text</option>
          </select>
        )}
      </div>
      {broken && (
        <p role="alert" className="text-stop">
          {broken.says}
        </p>
      )}
      {shown.data && !broken && (
        <div className="grid gap-2" aria-busy={shown.isPlaceholderData}>
          {message.channel === 'email' && (
            <p>
              <b>{shown.data.subject}</b>
            </p>
          )}
          {message.channel === 'sms' ? (
            <p className="max-w-[280px] whitespace-pre-wrap break-words rounded-md border border-line bg-wash p-3" data-testid="as-text">
              {shown.data.text || <span className="text-soft">Nothing written yet</span>}
            </p>
          ) : message.channel === 'push' ? (
            <div className="grid max-w-[360px] gap-1 rounded-md border border-line bg-ink p-4 text-paper">
              <p className="text-xs opacity-80">{store.name} · now</p>
              <p className="font-semibold">{shown.data.subject || 'No title yet'}</p>
              <p className="whitespace-pre-wrap break-words" data-testid="as-text">
                {shown.data.text}
              </p>
              {/^https?:/.test(message.picture ?? '') && (
                <img src={message.picture} alt="" className="mt-1 max-h-40 rounded object-contain" />
              )}
            </div>
          ) : asText ? (
            <pre className="max-h-[420px] overflow-auto whitespace-pre-wrap rounded-md border border-line bg-paper p-3 font-mono text-xs">
              {shown.data.text}
            </pre>
          ) : (
            <iframe
              title="The message"
              sandbox=""
              srcDoc={byDay(shown.data.html)}
              className="h-[420px] w-full rounded-md border border-line bg-white"
            />
          )}
        </div>
      )}
    </div>
  );
}
