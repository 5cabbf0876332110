'use client';

import { clsx } from 'clsx';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { onChannel, placeholderProblem, type Email, type Message } from '@/core/messages';
import { inAllForms, messageOf, type SendStep } from '@/core/flows';
import { CHANNELS, CHANNEL_WORDS, type Channel } from '@/core/rules';
import { api, areaClass, Button, Field, inputClass } from '../kit';
import { AsSomebody, FromLibrary, PushFields, SmsFields, Thumb } from '../letters';
import { useWrite } from './writing';
import { VersionHead, VersionStrip } from './MessageVersions';

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
  const [chosen, setChosen] = useState<string | null>(null);
  const write = useWrite();
  const version = step.versions?.find(({ id }) => id === chosen) ?? null;
  const message = messageOf(step, version?.id);
  const put = (next: Message, field: string) =>
    version
      ? onChange(
          { ...step, versions: step.versions!.map((one) => (one.id === version.id ? { ...one, message: next } : one)) },
          `${version.id}.${field}`,
        )
      : onChange({ ...step, message: next }, field);
  const topics = useQuery({
    queryKey: ['topics'],
    queryFn: () => api<{ topics: { key: string; name: string }[] }>('/topics'),
    staleTime: 60_000,
  });

  return (
    <div className="grid gap-3">
      <VersionStrip step={step} chosen={version?.id ?? null} onChoose={setChosen} onChange={onChange} />
      {message.channel === 'email' && (
        <Button kind="primary" onClick={() => write(step.id, version?.id ?? null)} className="justify-self-start">
          Write the letter
        </Button>
      )}
      {message.channel !== 'email' && (
        <div>
          <FromLibrary<Message> message={message} name={version ? `${step.name} (${version.name})` : step.name} onChange={put} />
        </div>
      )}
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
        <AsSomebody message={message} startedBy={triggerType} />
      ) : (
        <>
          {version ? (
            <VersionHead step={step} version={version} triggerType={triggerType} onChange={onChange} onChoose={setChosen} />
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
                  onChange={(event) =>
                    onChange(
                      inAllForms(step, (one) => onChannel(one, event.target.value as Channel)),
                      'channel',
                    )
                  }
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
              <Field
                label="Kind"
                hint={
                  message.kind === 'service' ? 'Goes to whoever has an address, and passes every limit; it carries no offers.' : undefined
                }
              >
                <select
                  value={message.kind}
                  onChange={(event) => {
                    const kind = event.target.value as Message['kind'];
                    onChange(
                      inAllForms(step, ({ topic, ...rest }) => ({ ...rest, kind, ...(topic && kind === 'marketing' && { topic }) })),
                      'kind',
                    );
                  }}
                  className={inputClass}
                >
                  <option value="marketing">Marketing: goes to who agreed to it</option>
                  <option value="service">Service: about an order or account of theirs</option>
                </select>
              </Field>
              {message.kind === 'marketing' && !!topics.data?.topics.length && (
                <Field label="What it is about" hint="Whoever declined the topic on their preference page does not get it">
                  <select
                    value={message.topic ?? ''}
                    onChange={(event) => {
                      const topic = event.target.value;
                      onChange(
                        inAllForms(step, ({ topic: _, ...rest }) => (topic ? { ...rest, topic } : rest)),
                        'topic',
                      );
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
            </>
          )}
          {message.channel === 'email' ? (
            <EmailFields message={message} put={put} onWrite={() => write(step.id, version?.id ?? null)} />
          ) : message.channel === 'sms' ? (
            <SmsFields message={message} put={put} />
          ) : (
            <PushFields message={message} put={put} />
          )}
          <p className="text-xs text-soft" hidden={message.channel === 'email'}>
            Placeholders: <code className="font-mono">{'{{ person.firstName | fallback: "there" }}'}</code>,{' '}
            <code className="font-mono">{'{{ event.checkoutUrl }}'}</code>
          </p>
        </>
      )}
    </div>
  );
}

const check = (text: string) => placeholderProblem(text);

function EmailFields({
  message,
  put: store,
  onWrite,
}: {
  message: Email;
  put: (message: Email, field: string) => void;
  onWrite: () => void;
}) {
  const put = (change: Partial<Email>, field: string) => store({ ...message, ...change }, field);
  return (
    <>
      <Field label="Subject" problem={check(message.subject) ?? (message.subject.trim() ? null : 'A message needs a subject')}>
        <textarea
          rows={2}
          dir="auto"
          value={message.subject}
          onChange={(event) => put({ subject: event.target.value.replace(/[\r\n]+/g, ' ') }, 'subject')}
          className={areaClass}
          maxLength={300}
        />
      </Field>
      <Field label="Preview line" hint="Shown beside the subject in most inboxes" problem={check(message.preview)}>
        <input
          dir="auto"
          value={message.preview}
          onChange={(event) => put({ preview: event.target.value }, 'preview')}
          className={inputClass}
          maxLength={300}
        />
      </Field>
      <button type="button" onClick={onWrite} aria-label="The letter, made small: open it" title="Open it to be written">
        <Thumb message={message} width={308} height={240} title="The letter, made small" />
      </button>
    </>
  );
}
