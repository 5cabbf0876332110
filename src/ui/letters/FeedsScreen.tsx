'use client';

import { useQueryClient } from '@tanstack/react-query';
import { Plus } from 'lucide-react';
import { useState } from 'react';
import type { FeedView } from '@/core/api';
import { api, attempt, Button, Empty, Failed, Menu, Page, Part, plural, ReadDialog, sayMoment, useStore } from '../kit';
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
        <Button changes="/feeds" kind="primary" onClick={() => setEditing('new')}>
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
                    [{ name: 'Edit…', changes: '/feeds', onSelect: () => setEditing(one) }],
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
  return (
    <ReadDialog
      title={feed ? 'Edit the feed' : 'Add a feed'}
      about="It is read at once, and then as often as you say."
      read={feed}
      least={5}
      usual={60}
      onSave={async (body) => {
        await api(`/feeds/${feed?.key ?? keyFor(body.name)}`, { method: 'PUT', body });
        await onDone();
      }}
      onClose={onClose}
    />
  );
}
