'use client';

import { useQuery } from '@tanstack/react-query';
import { clsx } from 'clsx';
import { Smile } from 'lucide-react';
import dynamic from 'next/dynamic';
import { useRef, useState, type ReactNode } from 'react';
import type { SendersView } from '@/core/api';
import { LANGUAGES, nameOfLanguage, SUBJECT_SHOWS, type Email } from '@/core/messages';
import { api, useStore } from '../kit';
import { Findings } from './Findings';
import { Floating } from './Floating';

const EmojiPicker = dynamic(() => import('./EmojiPicker'), {
  loading: () => <p className="w-[316px] rounded-md border border-line bg-panel p-4 text-soft">Loading…</p>,
  ssr: false,
});

const letters = new Intl.Segmenter('en', { granularity: 'grapheme' });
/** How many letters and signs a reader counts: a sign that is made of several counts once. */
const lettersOf = (text: string): number => [...letters.segment(text)].length;

/** What stands above a letter: its subject, in whose name it goes out, and the line that inboxes show beside it. */
export function Head({ message, onChange }: { message: Email; onChange: (message: Email, tag: string) => void }) {
  const bare = lettersOf(message.subject.replace(/\{[{%].*?[%}]\}/g, '').trim());
  return (
    <>
      <HeadLine
        label="Subject"
        value={message.subject}
        isBold
        onChange={(subject) => onChange({ ...message, subject: subject.replace(/[\r\n]+/g, ' ') }, 'subject')}
      >
        <span className="text-xs text-soft tabular">
          {bare > SUBJECT_SHOWS.narrow ? `${bare} letters: a phone shows about ${SUBJECT_SHOWS.narrow}` : bare ? `${bare} letters` : ''}
        </span>
      </HeadLine>
      <Sender message={message} onChange={onChange} />
      <HeadLine label="Preview line" value={message.preview} onChange={(preview) => onChange({ ...message, preview }, 'preview')} />
      <Findings block={undefined} />
    </>
  );
}

/** In whose name it goes out, where answers go, and in which language it is written. */
function Sender({ message, onChange }: { message: Email; onChange: (message: Email, tag: string) => void }) {
  const { data } = useQuery({
    queryKey: ['senders'],
    queryFn: () => api<SendersView>('/senders'),
    staleTime: 30_000,
  });
  const { languages } = useStore();
  const put = (field: 'sender' | 'replyTo' | 'language', value: string) => {
    const { [field]: _, ...rest } = message;
    onChange(value ? { ...rest, [field]: value } : rest, field);
  };
  const chosen = data?.senders.find(({ key }) => key === message.sender);
  const isAddress = !message.replyTo || /^[^\s@]+@[^\s@]+\.[^\s@]+$/.test(message.replyTo);
  return (
    <div className="flex items-baseline gap-2">
      <span className="w-20 shrink-0 text-xs text-soft">From</span>
      <select
        aria-label="From"
        value={message.sender ?? ''}
        onChange={(event) => put('sender', event.target.value)}
        className="h-7 min-w-0 max-w-[200px] border-b border-transparent bg-transparent hover:border-line"
      >
        <option value="">{data ? data.store.name : ''}</option>
        {data?.senders.map((one) => (
          <option key={one.key} value={one.key}>
            {one.name} ({one.address})
          </option>
        ))}
        {message.sender !== undefined && data && !chosen && <option value={message.sender}>one that is gone</option>}
      </select>
      <input
        aria-label="Answers go to"
        type="email"
        value={message.replyTo ?? ''}
        maxLength={254}
        placeholder="Answers go to the sender"
        onChange={(event) => put('replyTo', event.target.value.trim())}
        className="min-w-0 flex-1 border-b border-transparent bg-transparent py-0.5 hover:border-line focus:border-[var(--accent)] focus:outline-none"
      />
      <select
        aria-label="Written in"
        title="The language it is written in: programs that read aloud go by it"
        value={message.language ?? ''}
        onChange={(event) => put('language', event.target.value)}
        className="h-7 max-w-[120px] border-b border-transparent bg-transparent text-soft hover:border-line"
      >
        <option value="">in {nameOfLanguage(languages[0]!)}</option>
        {[...new Set([...languages.slice(1), ...(message.language ? [message.language] : []), ...LANGUAGES])]
          .filter((code) => code !== languages[0])
          .map((code) => (
            <option key={code} value={code}>
              in {nameOfLanguage(code)}
            </option>
          ))}
      </select>
      {(chosen && !chosen.verifiedAt && <span className="text-xs text-caution">not confirmed yet: the store’s name stands there</span>) ||
        (!isAddress && <span className="text-xs text-stop">no address</span>)}
    </div>
  );
}

function HeadLine({
  label,
  value,
  isBold = false,
  children,
  onChange,
}: {
  label: string;
  value: string;
  isBold?: boolean;
  children?: ReactNode;
  onChange: (value: string) => void;
}) {
  const field = useRef<HTMLInputElement>(null);
  const [at, setAt] = useState<{ left: number; top: number } | null>(null);
  const put = (sign: string) => {
    const from = field.current?.selectionStart ?? value.length;
    const to = field.current?.selectionEnd ?? from;
    onChange(`${value.slice(0, from)}${sign}${value.slice(to)}`.slice(0, 300));
    setAt(null);
    // the cursor stands behind what was put in, once it is there
    requestAnimationFrame(() => {
      field.current?.focus();
      field.current?.setSelectionRange(from + sign.length, from + sign.length);
    });
  };
  return (
    <div className="flex items-baseline gap-2">
      <label htmlFor={`head-${label}`} className="w-20 shrink-0 text-xs text-soft">
        {label}
      </label>
      <input
        ref={field}
        id={`head-${label}`}
        dir="auto"
        value={value}
        maxLength={300}
        placeholder={label === 'Subject' ? 'What it is about' : 'Shown beside the subject in most inboxes'}
        onChange={(event) => onChange(event.target.value)}
        className={clsx(
          'min-w-0 flex-1 border-b border-transparent bg-transparent py-0.5 hover:border-line focus:border-[var(--accent)] focus:outline-none',
          isBold && 'font-semibold',
        )}
      />
      <button
        type="button"
        aria-label={`Put a sign into the ${label.toLowerCase()}`}
        title="Put a sign in"
        onClick={(event) => {
          const { left, bottom } = event.currentTarget.getBoundingClientRect();
          setAt({ left, top: bottom + 4 });
        }}
        className="grid size-7 shrink-0 place-items-center self-center rounded text-soft hover:bg-wash hover:text-ink"
      >
        <Smile size={16} aria-hidden="true" />
      </button>
      {at && (
        <Floating at={at} onClose={() => setAt(null)}>
          <EmojiPicker onPick={put} />
        </Floating>
      )}
      {children}
    </div>
  );
}
