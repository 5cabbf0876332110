'use client';

import { clsx } from 'clsx';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useDeferredValue, useState } from 'react';
import { Button, Empty, Failed, inputClass, sayMoment, useStore } from '../kit';

/** A text message, or one on a locked screen, as the stand-in has it. */
interface Text {
  id: string;
  to: string;
  from: string;
  text: string;
  title?: string;
  url?: string;
  receivedAt: string;
  isAnswer?: boolean;
}

const ADDRESS = /(https?:\/\/[^\s]+)/;

const WORDS = {
  sms: { whose: 'Whose handset', find: 'Whose handset? A number, or all', none: 'A message whose channel is SMS arrives here.' },
  push: { whose: 'Whose screen', find: 'Whose device?', none: 'A message whose channel is Push arrives here.' },
  chat: {
    whose: 'Which room',
    find: 'Which room?',
    none: 'A note to a room of the chat arrives here: its address ends in /outside/chat/ and the room.',
  },
} as const;

/** The handsets, the locked screens, or the rooms of the chat, of everybody: what arrived on each; a handset can answer. */
export function Handsets({ kind }: { kind: keyof typeof WORDS }) {
  const store = useStore();
  const client = useQueryClient();
  const [to, setTo] = useState('');
  const [chosen, setChosen] = useState<string | null>(null);
  const [said, setSaid] = useState('');
  const asked = useDeferredValue(to.trim().toLowerCase());
  const texts = useQuery({
    queryKey: ['outside', kind],
    queryFn: async ({ signal }) => {
      const answer = await fetch(`/outside/api/${kind}`, { signal });
      if (!answer.ok) throw new Error('The stand-in does not answer.');
      return (await answer.json()) as Text[];
    },
    refetchInterval: 2_000,
  });
  const all = texts.data ?? [];
  const numbers = [...new Set([...all].reverse().map((one) => one.to))].filter((number) => !asked || number.toLowerCase().includes(asked));
  const open = chosen !== null && numbers.includes(chosen) ? chosen : numbers[0];
  const shown = all.filter((one) => one.to === open);
  const answer = async () => {
    if (!open || !said.trim()) return;
    await fetch('/outside/sms/answer', { method: 'POST', body: new URLSearchParams({ from: open, text: said }) });
    setSaid('');
    await client.invalidateQueries({ queryKey: ['outside', kind] });
  };
  return (
    <div className="flex min-h-0 flex-1">
      <aside className="flex w-[300px] shrink-0 flex-col border-r border-line bg-panel">
        <div className="border-b border-line p-3">
          <input
            type="search"
            aria-label={WORDS[kind].whose}
            placeholder={WORDS[kind].find}
            value={to}
            onChange={(event) => setTo(event.target.value)}
            className={inputClass}
          />
        </div>
        {texts.error ? (
          <Failed error={texts.error} retry={() => void texts.refetch()} />
        ) : texts.isPending ? (
          <Empty title="Loading…" />
        ) : !numbers.length ? (
          <Empty title={asked ? 'Nothing for that one' : 'Nothing has arrived yet'}>{WORDS[kind].none}</Empty>
        ) : (
          <ul className="min-h-0 flex-1 overflow-y-auto" aria-label={kind === 'sms' ? 'Handsets' : 'Screens'}>
            {numbers.map((number) => (
              <li key={number}>
                <button
                  type="button"
                  aria-current={open === number}
                  onClick={() => setChosen(number)}
                  className={clsx(
                    'grid w-full gap-0.5 border-b border-l-[3px] border-b-line px-4 py-2 text-left hover:bg-wash',
                    open === number ? 'border-l-accent bg-wash' : 'border-l-transparent',
                  )}
                >
                  <span className="truncate font-mono">{number}</span>
                  <span className="truncate text-xs text-soft">{all.findLast((one) => one.to === number)?.text}</span>
                </button>
              </li>
            ))}
          </ul>
        )}
      </aside>
      <section
        className="flex min-w-0 flex-1 flex-col items-center overflow-y-auto p-6"
        aria-label={kind === 'sms' ? 'The handset' : 'The screen'}
      >
        {open === undefined ? (
          numbers.length > 0 && <Empty title={kind === 'sms' ? 'Choose a handset' : 'Choose a screen'} />
        ) : (
          <div
            className={clsx(
              'flex w-[340px] flex-1 flex-col gap-3 rounded-md border border-line p-4',
              kind === 'sms' ? 'bg-panel' : 'bg-ink text-paper',
            )}
          >
            <p className={clsx('text-center font-mono text-xs', kind === 'sms' && 'text-soft')}>{open}</p>
            <ul className="grid flex-1 content-start gap-3" data-testid="texts">
              {shown.map((one) => (
                <li
                  key={one.id}
                  className={clsx(
                    'max-w-[280px] rounded-md p-3',
                    one.isAnswer ? 'justify-self-end bg-accent text-on-accent' : 'border border-line bg-paper text-ink',
                  )}
                >
                  {!one.isAnswer && <p className="text-xs text-soft">{one.title ? `${one.from} · ${one.title}` : one.from}</p>}
                  <p className="whitespace-pre-wrap break-words">
                    {one.text.split(ADDRESS).map((part, index) =>
                      index % 2 ? (
                        <a key={index} href={part} target="_blank" rel="noreferrer" className="underline">
                          {part}
                        </a>
                      ) : (
                        part
                      ),
                    )}
                  </p>
                  {one.url && (
                    <a href={one.url} target="_blank" rel="noreferrer" className="text-accent underline">
                      Open
                    </a>
                  )}
                  <p className={clsx('text-right text-xs', one.isAnswer ? '' : 'text-soft')}>{sayMoment(one.receivedAt, store.zone)}</p>
                </li>
              ))}
            </ul>
            {kind === 'sms' && (
              <form
                className="flex gap-2"
                onSubmit={(event) => {
                  event.preventDefault();
                  void answer();
                }}
              >
                <input
                  aria-label="Answer"
                  placeholder="Answer, such as STOP"
                  value={said}
                  onChange={(event) => setSaid(event.target.value)}
                  className={inputClass}
                />
                <Button type="submit" disabled={!said.trim()}>
                  Send
                </Button>
              </form>
            )}
          </div>
        )}
      </section>
    </div>
  );
}
