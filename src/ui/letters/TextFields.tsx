'use client';

import { useQuery } from '@tanstack/react-query';
import type { TextPricesView } from '@/core/api';
import { HOW_TO_STOP, placeholderProblem, smsLength, withoutFallback, withStop, type Push, type Sms } from '@/core/messages';
import { sayCountry } from '@/core/places';
import { api, areaClass, Field, inputClass, plural } from '../kit';

/** What a text message says, with its length and what it costs. */
export function SmsFields({ message, put }: { message: Sms; put: (message: Sms, field: string) => void }) {
  const { parts, left, alphabet } = smsLength(message.text);
  const bare = withoutFallback(message.text);
  return (
    <>
      <Field
        label="Text"
        problem={placeholderProblem(message.text) ?? (message.text.trim() ? null : 'A message needs a text')}
        hint={bare.length ? `${bare.join(', ')} has no fallback` : undefined}
      >
        <textarea
          rows={5}
          value={message.text}
          maxLength={10_000}
          onChange={(event) => put({ ...message, text: event.target.value }, 'text')}
          className={areaClass}
        />
      </Field>
      <p className="text-xs text-soft tabular" data-testid="sms-length">
        {parts
          ? `Goes out as ${plural(parts, 'text message', 'text messages')}, ${left} ${left === 1 ? 'place' : 'places'} left`
          : 'Nothing written yet'}
        {alphabet === 'UCS-2' && ': a sign beyond the plain alphabet makes it shorter (70 places, 67 in parts)'}. Placeholders and short
        links count as they are filled in.
        {message.kind === 'marketing' && ` “${HOW_TO_STOP}” is put at its end where it does not say so itself.`}
      </p>
      <Cost parts={smsLength(withStop(message.text, message.kind)).parts} />
    </>
  );
}

/** What it costs to send to one person, where prices are on file. */
function Cost({ parts }: { parts: number }) {
  const { data } = useQuery({ queryKey: ['text-prices'], queryFn: () => api<TextPricesView>('/text-prices'), staleTime: 60_000 });
  const prices = Object.entries(data?.prices ?? {});
  if (!data || !prices.length || !parts) return null;
  const { currency } = data;
  const money = new Intl.NumberFormat('en-IE', { style: 'currency', currency, maximumFractionDigits: 3 });
  const shown = prices.slice(0, 4).map(([code, price]) => `${money.format(price * parts)} in ${sayCountry(code)}`);
  return (
    <p className="text-xs text-soft tabular" data-testid="sms-cost">
      With its end about {shown.join(', ')}
      {prices.length > 4 && ` and so on in ${prices.length - 4} more`} a person.
    </p>
  );
}

/** What stands on a locked screen, and where it leads. */
export function PushFields({ message, put }: { message: Push; put: (message: Push, field: string) => void }) {
  return (
    <>
      <Field label="Title" problem={placeholderProblem(message.title) ?? (message.title.trim() ? null : 'A message needs a title')}>
        <input
          value={message.title}
          maxLength={120}
          onChange={(event) => put({ ...message, title: event.target.value }, 'title')}
          className={inputClass}
        />
      </Field>
      <Field label="Text" problem={placeholderProblem(message.text)} hint="Around 100 letters show on a locked screen">
        <textarea
          rows={3}
          value={message.text}
          maxLength={500}
          onChange={(event) => put({ ...message, text: event.target.value }, 'text')}
          className={areaClass}
        />
      </Field>
      <Field
        label="Address of a picture"
        problem={placeholderProblem(message.picture ?? '')}
        hint="Shown where the device shows pictures; can be left out"
      >
        <input
          value={message.picture ?? ''}
          maxLength={2000}
          onChange={(event) => {
            const { picture: _, ...rest } = message;
            put(event.target.value ? { ...rest, picture: event.target.value } : rest, 'picture');
          }}
          className={`${inputClass} font-mono text-xs`}
        />
      </Field>
      <Field label="Leads to" problem={placeholderProblem(message.url)}>
        <input
          value={message.url}
          maxLength={2000}
          onChange={(event) => put({ ...message, url: event.target.value }, 'url')}
          className={`${inputClass} font-mono text-xs`}
        />
      </Field>
    </>
  );
}
