'use client';

import { useQuery } from '@tanstack/react-query';
import { useMemo, useState } from 'react';
import type { PersonView, TimelineView } from '@/core/api';
import { renderMessage, type Message } from '@/core/messages';
import type { Value } from '@/core/rules';
import { api, fieldClass, inputClass, useStore } from '../kit';

interface Sample {
  name: string;
  attributes: Record<string, Value>;
  event: Record<string, Value>;
}

/** The message as a given person would get it, rendered by the code that sends it. */
export function MessagePreview({ message, triggerType }: { message: Message; triggerType: string }) {
  const store = useStore();
  const [index, setIndex] = useState(0);
  const [asText, setAsText] = useState(false);
  const samples = useQuery({ queryKey: ['samples', triggerType], queryFn: () => loadSamples(triggerType), staleTime: 60_000 });
  const sample = samples.data?.[index];
  const rendered = useMemo(() => {
    if (!sample) return null;
    try {
      return renderMessage(
        message,
        { person: sample.attributes, event: sample.event, store: { name: store.name, address: `${store.name}, postal address` } },
        { unsubscribeUrl: '#', pixelUrl: null, track: (url) => url },
      );
    } catch (error) {
      return { subject: '', html: '', text: '', problem: (error as Error).message };
    }
  }, [message, sample, store.name]);

  if (samples.isPending) return <p className="py-6 text-center text-soft">Looking for somebody…</p>;
  if (samples.error)
    return (
      <p role="alert" className="py-6 text-center text-stop">
        {samples.error.message}
      </p>
    );
  if (!samples.data.length)
    return <p className="py-6 text-center text-soft">Nobody has done {triggerType} yet, so there is nobody to show it as.</p>;
  return (
    <div className="grid gap-2">
      <div className="flex gap-2">
        <select aria-label="As whom" value={index} onChange={(event) => setIndex(Number(event.target.value))} className={inputClass}>
          {samples.data.map((one, i) => (
            <option key={i} value={i}>
              {one.name}
            </option>
          ))}
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
      {rendered && 'problem' in rendered ? (
        <p role="alert" className="text-stop">
          {rendered.problem}
        </p>
      ) : (
        rendered && (
          <>
            {message.channel !== 'sms' && (
              <p>
                <b>{rendered.subject}</b>
              </p>
            )}
            {message.channel !== 'email' ? (
              <p className="max-w-[280px] whitespace-pre-wrap break-words rounded-md border border-line bg-wash p-3" data-testid="as-text">
                {rendered.text}
              </p>
            ) : asText ? (
              <pre className="max-h-[420px] overflow-auto whitespace-pre-wrap rounded-md border border-line bg-paper p-3 font-mono text-xs">
                {rendered.text}
              </pre>
            ) : (
              <iframe
                title="The message"
                sandbox=""
                srcDoc={rendered.html}
                className="h-[420px] w-full rounded-md border border-line bg-white"
              />
            )}
          </>
        )
      )}
    </div>
  );
}

/** The people who last did what starts the flow, with that very event. */
async function loadSamples(triggerType: string): Promise<Sample[]> {
  const rule = JSON.stringify({ test: 'did', event: triggerType, since: { last: 'P30D' } });
  const { people } = await api<{ people: { id: string; name: string | null; email: string | null }[] }>(
    `/people?limit=6&rule=${encodeURIComponent(rule)}`,
  );
  return Promise.all(
    people.map(async ({ id, name, email }) => {
      const path = `/people/${encodeURIComponent(id)}`;
      const [person, events] = await Promise.all([
        api<PersonView>(path),
        api<TimelineView>(`${path}/timeline?kinds=event&limit=1&q=${encodeURIComponent(triggerType)}`),
      ]);
      return { name: name ?? email ?? id, attributes: { ...person.attributes }, event: { ...events.items[0]?.detail } };
    }),
  );
}
