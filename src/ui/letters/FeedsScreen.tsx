'use client';

import { useQueryClient } from '@tanstack/react-query';
import { Plus } from 'lucide-react';
import { useState } from 'react';
import type { FeedView } from '@/core/api';
import {
  api,
  attempt,
  Button,
  Dialog,
  Empty,
  Failed,
  Field,
  inputClass,
  Menu,
  NumberField,
  Page,
  Part,
  plural,
  sayMoment,
  useStore,
  wordsOf,
} from '../kit';
import { keyFor } from './Dialogs';
import { useFeeds } from './useDesk';

/** Feeds that letters show: where they are read, how often, and their newest entries. */
export function FeedsScreen() {
  const client = useQueryClient();
  const { zone } = useStore();
  const { data, error, refetch } = useFeeds();
  const [editing, setEditing] = useState<FeedView | 'new' | null>(null);
  const renew = () => client.invalidateQueries({ queryKey: ['feeds'] });
  return (
    <Page
      title="Feeds"
      about="The entries of a blog or a news page, by RSS, Atom or JSON. A letter shows the newest ones as it goes out."
      acts={
        <Button kind="primary" onClick={() => setEditing('new')}>
          <Plus size={16} aria-hidden="true" /> Add a feed
        </Button>
      }
    >
      {error ? (
        <Failed error={error} retry={() => void refetch()} />
      ) : !data ? (
        <Empty title="Loading…" />
      ) : !data.feeds.length ? (
        <Empty title="No feed is read yet">Add the address of one; its entries can then be shown in any letter.</Empty>
      ) : (
        <div className="grid gap-4">
          {data.feeds.map((one) => (
            <Part
              key={one.key}
              title={one.name}
              acts={
                <Menu
                  groups={[
                    [{ name: 'Edit…', onSelect: () => setEditing(one) }],
                    [
                      {
                        name: 'Delete',
                        takes: true,
                        onSelect: () =>
                          void attempt(async () => {
                            await api(`/feeds/${one.key}`, { method: 'DELETE' });
                            await renew();
                          }, 'Deleted. Letters that show it leave it out.'),
                      },
                    ],
                  ]}
                >
                  <Button>More</Button>
                </Menu>
              }
            >
              <p className="px-4 pt-3 text-xs text-soft">
                <span className="break-all font-mono">{one.url}</span> · every {plural(one.everyMinutes, 'minute', 'minutes')} ·{' '}
                {one.readAt ? `read ${sayMoment(one.readAt, zone)}` : 'not read yet'}
              </p>
              {one.problem && (
                <p role="alert" className="px-4 pt-1 text-stop">
                  It could not be read the last time: {one.problem}.{one.entries.length > 0 && ' Letters show what was read before.'}
                </p>
              )}
              <ul className="grid max-h-[320px] gap-2 overflow-y-auto p-4" tabIndex={0} aria-label={`Entries of ${one.name}`}>
                {one.entries.map((entry) => (
                  <li key={`${entry.name} ${entry.at}`}>
                    <b>{entry.name}</b>
                    {entry.at && <span className="text-xs text-soft"> · {sayMoment(entry.at, zone)}</span>}
                    {entry.words && <p className="line-clamp-1 text-soft">{entry.words}</p>}
                  </li>
                ))}
                {!one.entries.length && !one.problem && <li className="text-soft">It has no entries.</li>}
              </ul>
            </Part>
          ))}
        </div>
      )}
      {editing && <FeedDialog feed={editing === 'new' ? null : editing} onClose={() => setEditing(null)} onDone={renew} />}
    </Page>
  );
}

function FeedDialog({ feed, onClose, onDone }: { feed: FeedView | null; onClose: () => void; onDone: () => Promise<unknown> }) {
  const [name, setName] = useState(feed?.name ?? '');
  const [url, setUrl] = useState(feed?.url ?? '');
  const [everyMinutes, setEvery] = useState(feed?.everyMinutes ?? 60);
  const [problem, setProblem] = useState<string | null>(null);
  const [isBusy, setBusy] = useState(false);
  const save = async () => {
    setBusy(true);
    try {
      await api(`/feeds/${feed?.key ?? keyFor(name)}`, { method: 'PUT', body: { name, url, everyMinutes } });
      await onDone();
      onClose();
    } catch (error) {
      setProblem(wordsOf(error));
    } finally {
      setBusy(false);
    }
  };
  return (
    <Dialog
      isOpen
      onClose={onClose}
      title={feed ? 'Edit the feed' : 'Add a feed'}
      about="It is read at once, and then as often as you say."
    >
      <form
        className="grid gap-4"
        onSubmit={(event) => {
          event.preventDefault();
          void save();
        }}
      >
        <Field label="Name">
          <input autoFocus value={name} maxLength={120} onChange={(event) => setName(event.target.value)} className={inputClass} />
        </Field>
        <Field label="Address" problem={problem}>
          <input
            value={url}
            maxLength={2000}
            placeholder="https://"
            onChange={(event) => setUrl(event.target.value)}
            className={`${inputClass} font-mono text-xs`}
          />
        </Field>
        <Field label="Read every so many minutes">
          <NumberField
            min={5}
            max={10_080}
            value={everyMinutes}
            onChange={(every) => setEvery(Math.round(Math.min(10_080, Math.max(5, every))))}
          />
        </Field>
        <div className="flex justify-end gap-2">
          <Button onClick={onClose}>Cancel</Button>
          <Button kind="primary" type="submit" disabled={isBusy || !name.trim() || !url.trim()}>
            {isBusy ? 'Reading…' : 'Save'}
          </Button>
        </div>
      </form>
    </Dialog>
  );
}
