'use client';

import { clsx } from 'clsx';
import { useQuery } from '@tanstack/react-query';
import { useMemo, useState } from 'react';
import type { PersonView, TimelineView } from '@/core/api';
import {
  headOf,
  placeholderProblem,
  renderMessage,
  smsLength,
  withoutFallback,
  type Block,
  type Email,
  type Message,
  type Push,
  type Sms,
} from '@/core/messages';
import type { SendStep } from '@/core/flows';
import { CHANNELS, CHANNEL_WORDS, type Channel, type Value } from '@/core/rules';
import { api, Field, fieldClass, inputClass, plural, useStore } from '../kit';

const areaClass = 'w-full rounded-md border border-line bg-panel px-2 py-1.5 text-ink';

/** Writes a message: subject, preview line and the text of its blocks; and shows it as a person would get it. */
export function MessageEditor({
  step,
  triggerType,
  onChange,
}: {
  step: SendStep;
  triggerType: string;
  onChange: (step: SendStep, field: string) => void;
}) {
  const [view, setView] = useState<'write' | 'preview'>('write');
  const { message } = step;
  const topics = useQuery({
    queryKey: ['topics'],
    queryFn: () => api<{ topics: { key: string; name: string }[] }>('/topics'),
    staleTime: 60_000,
  });

  return (
    <div className="grid gap-3">
      <div role="tablist" aria-label="Message" className="flex border-b border-line">
        {(['write', 'preview'] as const).map((one) => (
          <button
            key={one}
            role="tab"
            type="button"
            aria-selected={view === one}
            onClick={() => setView(one)}
            className={clsx(
              '-mb-px border-b-2 px-3 py-1 font-semibold',
              view === one ? 'border-accent text-accent' : 'border-transparent text-soft hover:text-ink',
            )}
          >
            {one === 'write' ? 'Write' : 'See it as somebody'}
          </button>
        ))}
      </div>
      {view === 'preview' ? (
        <MessagePreview message={message} triggerType={triggerType} />
      ) : (
        <>
          <Field label="Name of this message">
            <input
              value={step.name}
              onChange={(event) => onChange({ ...step, name: event.target.value }, 'name')}
              className={inputClass}
              maxLength={80}
            />
          </Field>
          <Field label="Goes by">
            <select
              value={message.channel}
              onChange={(event) => onChange({ ...step, message: onChannel(message, event.target.value as Channel) }, 'channel')}
              className={inputClass}
            >
              {CHANNELS.map((channel) => (
                <option key={channel} value={channel}>
                  {CHANNEL_WORDS[channel].name}
                </option>
              ))}
            </select>
          </Field>
          <label className="flex items-center gap-2">
            <input
              type="checkbox"
              checked={!step.off}
              onChange={(event) => onChange({ ...step, off: !event.target.checked }, 'off')}
              className="size-4 accent-[var(--accent)]"
            />
            Goes out {step.off && <span className="text-caution">(off: people pass by without it)</span>}
          </label>
          {message.kind === 'marketing' && !!topics.data?.topics.length && (
            <Field label="What it is about" hint="Whoever declined the topic on their preference page does not get it">
              <select
                value={message.topic ?? ''}
                onChange={(event) => {
                  const { topic: _, ...rest } = message;
                  onChange({ ...step, message: event.target.value ? { ...rest, topic: event.target.value } : rest }, 'topic');
                }}
                className={inputClass}
              >
                <option value="">no topic: goes to all who agreed</option>
                {topics.data.topics.map((topic) => (
                  <option key={topic.key} value={topic.key}>
                    {topic.name}
                  </option>
                ))}
              </select>
            </Field>
          )}
          {message.channel === 'email' ? (
            <EmailFields message={message} put={(next, field) => onChange({ ...step, message: next }, field)} />
          ) : message.channel === 'sms' ? (
            <SmsFields message={message} put={(next, field) => onChange({ ...step, message: next }, field)} />
          ) : (
            <PushFields message={message} put={(next, field) => onChange({ ...step, message: next }, field)} />
          )}
          <p className="text-xs text-soft">
            Placeholders: <code className="font-mono">{'{{ person.firstName | fallback: "there" }}'}</code>,{' '}
            <code className="font-mono">{'{{ event.checkoutUrl }}'}</code>
          </p>
        </>
      )}
    </div>
  );
}

/** A message on another channel: what it says goes with it, as far as there is a place for it. */
function onChannel(message: Message, channel: Channel): Message {
  if (message.channel === channel) return message;
  const { schema, kind, topic } = message;
  const common = { schema, kind, ...(topic !== undefined && { topic }) };
  const text =
    message.channel === 'email'
      ? message.blocks.flatMap((block) => ('text' in block && block.text.trim() ? [block.text.trim()] : [])).join('\n\n')
      : message.text;
  const url =
    message.channel === 'email'
      ? (message.blocks.find((block) => block.kind === 'button')?.url ?? '')
      : message.channel === 'push'
        ? message.url
        : '';
  const head = headOf(message).replace(/[\r\n]+/g, ' ');
  switch (channel) {
    case 'email':
      return {
        ...common,
        channel,
        subject: head.slice(0, 300),
        preview: '',
        blocks: [{ id: 'b1', kind: 'text', text }, ...(url ? [{ id: 'b2', kind: 'button' as const, label: 'Open', url }] : [])],
      };
    case 'sms':
      return { ...common, channel, text: [text, url].filter(Boolean).join(' ').slice(0, 1530) };
    case 'push':
      return { ...common, channel, title: head.slice(0, 120), text: text.slice(0, 500), url };
  }
}

const check = (text: string) => placeholderProblem(text);

function EmailFields({ message, put: store }: { message: Email; put: (message: Email, field: string) => void }) {
  const put = (change: Partial<Email>, field: string) => store({ ...message, ...change }, field);
  const putBlock = (block: Block) => put({ blocks: message.blocks.map((one) => (one.id === block.id ? block : one)) }, `block-${block.id}`);
  return (
    <>
      <Field label="Subject" problem={check(message.subject) ?? (message.subject.trim() ? null : 'A message needs a subject')}>
        <textarea
          rows={2}
          value={message.subject}
          onChange={(event) => put({ subject: event.target.value.replace(/[\r\n]+/g, ' ') }, 'subject')}
          className={areaClass}
          maxLength={300}
        />
      </Field>
      <Field label="Preview line" hint="Shown beside the subject in most inboxes" problem={check(message.preview)}>
        <input
          value={message.preview}
          onChange={(event) => put({ preview: event.target.value }, 'preview')}
          className={inputClass}
          maxLength={300}
        />
      </Field>
      {message.blocks.map((block) => {
        if (block.kind === 'cart')
          return (
            <p key={block.id} className="rounded-md border border-dashed border-line px-2 py-1.5 text-soft">
              The items of the cart, with pictures, quantities and prices
            </p>
          );
        if (block.kind === 'button') {
          return (
            <div key={block.id} className="grid grid-cols-2 gap-2">
              <Field label="Button" problem={check(block.label)}>
                <input
                  value={block.label}
                  onChange={(event) => putBlock({ ...block, label: event.target.value })}
                  className={inputClass}
                  maxLength={120}
                />
              </Field>
              <Field label="leads to" problem={check(block.url)}>
                <input
                  value={block.url}
                  onChange={(event) => putBlock({ ...block, url: event.target.value })}
                  className={`${inputClass} font-mono text-xs`}
                  maxLength={2000}
                />
              </Field>
            </div>
          );
        }
        const bare = withoutFallback(block.text);
        return (
          <Field
            key={block.id}
            label={block.kind === 'offer' ? 'Offer line' : 'Text'}
            problem={check(block.text)}
            hint={bare.length ? `${bare.join(', ')} has no fallback` : undefined}
          >
            <textarea
              rows={block.kind === 'offer' ? 3 : Math.min(9, 2 + block.text.split('\n').length + Math.floor(block.text.length / 60))}
              value={block.text}
              onChange={(event) => putBlock({ ...block, text: event.target.value })}
              className={areaClass}
            />
          </Field>
        );
      })}
    </>
  );
}

function SmsFields({ message, put }: { message: Sms; put: (message: Sms, field: string) => void }) {
  const { parts, left, alphabet } = smsLength(message.text);
  const bare = withoutFallback(message.text);
  return (
    <>
      <Field
        label="Text"
        problem={check(message.text) ?? (message.text.trim() ? null : 'A message needs a text')}
        hint={bare.length ? `${bare.join(', ')} has no fallback` : undefined}
      >
        <textarea
          rows={5}
          value={message.text}
          maxLength={1530}
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
        {message.kind === 'marketing' && ' “Reply STOP to end.” is put at its end where it does not say so itself.'}
      </p>
    </>
  );
}

function PushFields({ message, put }: { message: Push; put: (message: Push, field: string) => void }) {
  return (
    <>
      <Field label="Title" problem={check(message.title) ?? (message.title.trim() ? null : 'A message needs a title')}>
        <input
          value={message.title}
          maxLength={120}
          onChange={(event) => put({ ...message, title: event.target.value }, 'title')}
          className={inputClass}
        />
      </Field>
      <Field label="Text" problem={check(message.text)} hint="Around 100 letters show on a locked screen">
        <textarea
          rows={3}
          value={message.text}
          maxLength={500}
          onChange={(event) => put({ ...message, text: event.target.value }, 'text')}
          className={areaClass}
        />
      </Field>
      <Field label="Leads to" problem={check(message.url)}>
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

interface Sample {
  name: string;
  attributes: Record<string, Value>;
  event: Record<string, Value>;
}

/** The message as a given person would get it, rendered by the code that sends it. */
function MessagePreview({ message, triggerType }: { message: Message; triggerType: string }) {
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
