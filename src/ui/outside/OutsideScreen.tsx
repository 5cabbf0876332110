'use client';

import { clsx } from 'clsx';
import { useQuery } from '@tanstack/react-query';
import { ExternalLink } from 'lucide-react';
import { useDeferredValue, useState } from 'react';
import { Empty, Failed, inputClass, sayMoment, useStore } from '../kit';
import { Handsets } from './Handsets';

/** A mail as the stand-in's mail server shows it. */
interface Mail {
  id: string;
  to: string;
  from: string;
  subject: string;
  headers: Record<string, string>;
  text: string;
  html: string;
  receivedAt: string;
}

const PLACES = [
  ['mail', 'Inboxes'],
  ['sms', 'Handsets'],
  ['push', 'Locked screens'],
  ['chat', 'Chat'],
] as const;

/** The stand-ins for the world: what arrived in inboxes and on handsets, and the way to the demo shop. */
export function OutsideScreen({ to }: { to: string }) {
  const store = useStore();
  const [place, setPlace] = useState<(typeof PLACES)[number][0]>('mail');
  return (
    <div className="flex h-[calc(100vh-48px-var(--note,0px))] flex-col">
      <div className="flex items-center gap-4 border-b border-line bg-panel px-6 py-2">
        <h1 className="text-lg font-semibold">Outside</h1>
        <div role="tablist" aria-label="Where" className="flex shrink-0 overflow-hidden rounded-md border border-line">
          {PLACES.map(([key, name]) => (
            <button
              key={key}
              role="tab"
              type="button"
              aria-selected={place === key}
              onClick={() => setPlace(key)}
              className={`h-8 px-3 ${place === key ? 'bg-ink font-semibold text-paper' : 'hover:bg-wash'}`}
            >
              {name}
            </button>
          ))}
        </div>
        <p className="text-soft">What the world sees of {store.name}.</p>
        <div className="flex-1" />
        <a href="/outside/blog" target="_blank" rel="noreferrer" className="text-accent underline">
          Its blog
        </a>
        <a href="/outside/dns" target="_blank" rel="noreferrer" className="text-accent underline">
          Name server
        </a>
        <a
          href="/outside/shop"
          target="_blank"
          rel="noreferrer"
          className="inline-flex h-8 items-center gap-2 rounded-md bg-accent px-3 font-semibold text-on-accent"
        >
          Open the {store.name} shop <ExternalLink size={16} aria-hidden="true" />
        </a>
      </div>
      {place === 'mail' ? <Inboxes to={to} /> : <Handsets key={place} kind={place} />}
    </div>
  );
}

const PARTS = [
  ['html', 'As designed'],
  ['text', 'Plain text'],
  ['headers', 'Headers'],
] as const;

/** What arrived in inboxes. */
function Inboxes({ to: startTo }: { to: string }) {
  const store = useStore();
  const [to, setTo] = useState(startTo);
  const [chosen, setChosen] = useState<string | null>(null);
  const [part, setPart] = useState<(typeof PARTS)[number][0]>('html');
  const asked = useDeferredValue(to.trim().toLowerCase());
  const mail = useQuery({
    queryKey: ['outside', 'mail'],
    queryFn: async ({ signal }) => {
      const answer = await fetch('/outside/api/mail', { signal });
      if (!answer.ok) throw new Error('The mail server of the demo does not answer.');
      return ((await answer.json()) as Mail[]).reverse();
    },
    refetchInterval: 2_000,
  });
  const shown = (mail.data ?? []).filter((one) => !asked || one.to.includes(asked));
  const open = shown.find((one) => one.id === chosen) ?? shown[0];

  return (
    <div className="flex min-h-0 flex-1">
      <aside className="flex w-[360px] shrink-0 flex-col border-r border-line bg-panel">
        <div className="border-b border-line p-3">
          <input
            type="search"
            aria-label="Whose inbox"
            placeholder="Whose inbox? An address, or all"
            value={to}
            onChange={(event) => setTo(event.target.value)}
            className={inputClass}
          />
        </div>
        {mail.error ? (
          <Failed error={mail.error} retry={() => void mail.refetch()} />
        ) : mail.isPending ? (
          <Empty title="Loading…" />
        ) : !shown.length ? (
          <Empty title={asked ? 'No mail for that address' : 'No mail yet'}>
            {asked
              ? 'Take the address out to see every inbox.'
              : 'Leave a cart behind in the shop, then move store time on by an hour: the mail arrives here over SMTP.'}
          </Empty>
        ) : (
          <ul className="min-h-0 flex-1 overflow-y-auto" aria-label="Mail">
            {shown.map((one) => (
              <li key={one.id}>
                <button
                  type="button"
                  aria-current={open?.id === one.id}
                  onClick={() => setChosen(one.id)}
                  className={clsx(
                    'grid w-full gap-0.5 border-b border-line px-4 py-2 text-left hover:bg-wash',
                    open?.id === one.id ? 'border-l-[3px] border-l-accent bg-wash' : 'border-l-[3px] border-l-transparent',
                  )}
                >
                  <span className="truncate font-semibold">{one.subject}</span>
                  <span className="truncate text-xs text-soft">to {one.to}</span>
                </button>
              </li>
            ))}
          </ul>
        )}
      </aside>
      <section className="flex min-w-0 flex-1 flex-col" aria-label="The mail">
        {open ? (
          <>
            <div className="flex items-start gap-4 border-b border-line bg-panel px-6 py-3">
              <div className="min-w-0">
                <h2 className="text-lg font-semibold">{open.subject}</h2>
                <p className="text-soft">
                  {open.from} to <b className="text-ink">{open.to}</b>, taken by the mail server {sayMoment(open.receivedAt, store.zone)}{' '}
                  (real time)
                </p>
              </div>
              <div className="flex-1" />
              <div role="tablist" aria-label="Part" className="flex shrink-0 rounded-md border border-line">
                {PARTS.map(([key, name]) => (
                  <button
                    key={key}
                    role="tab"
                    type="button"
                    aria-selected={part === key}
                    onClick={() => setPart(key)}
                    className={`h-8 px-3 ${part === key ? 'bg-ink font-semibold text-paper' : 'hover:bg-wash'}`}
                  >
                    {name}
                  </button>
                ))}
              </div>
            </div>
            {part === 'html' ? (
              <iframe
                key={open.id}
                title={`Mail: ${open.subject}`}
                data-testid="mail-frame"
                sandbox="allow-popups allow-popups-to-escape-sandbox"
                srcDoc={open.html.replace('<head>', '<head><base target="_blank">')}
                className="min-h-0 w-full flex-1 bg-white"
              />
            ) : part === 'text' ? (
              <pre className="min-h-0 flex-1 overflow-auto whitespace-pre-wrap p-6 font-mono text-sm">{open.text}</pre>
            ) : (
              <dl className="grid min-h-0 flex-1 grid-cols-[180px_1fr] content-start gap-x-4 gap-y-1 overflow-auto p-6 font-mono text-xs">
                {Object.entries(open.headers).map(([name, value]) => (
                  <div key={name} className="contents">
                    <dt className="text-soft">{name}</dt>
                    <dd className="break-all">{value}</dd>
                  </div>
                ))}
              </dl>
            )}
          </>
        ) : (
          <Empty title="Choose a mail" />
        )}
      </section>
    </div>
  );
}
