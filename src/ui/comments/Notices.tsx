'use client';

import { useQuery, useQueryClient } from '@tanstack/react-query';
import { Bell } from 'lucide-react';
import { DropdownMenu } from 'radix-ui';
import type { NoticesView } from '@/core/api';
import { api, sayShort, useStore, Link } from '../kit';

/** What one was told of: how much is new stands at the bell, and is seen once the list is opened. */
export function Notices() {
  const { zone } = useStore();
  const client = useQueryClient();
  const { data } = useQuery({ queryKey: ['notices'], queryFn: () => api<NoticesView>('/notices'), refetchInterval: 20_000 });
  const unseen = data?.unseen ?? 0;
  const see = async () => {
    const [newest] = data?.items ?? [];
    if (!newest || !unseen) return;
    await api('/notices', { method: 'POST', body: { upTo: newest.id } });
    await client.invalidateQueries({ queryKey: ['notices'] });
  };
  return (
    <DropdownMenu.Root onOpenChange={(isOpen) => !isOpen && void see()}>
      <DropdownMenu.Trigger asChild>
        <button
          type="button"
          aria-label={unseen ? `What you were told of: ${unseen} new` : 'What you were told of'}
          title="What you were told of"
          className="relative grid size-8 place-items-center self-center rounded-md hover:bg-on-bar/10"
        >
          <Bell size={16} aria-hidden="true" />
          {unseen > 0 && (
            <span className="absolute -right-0.5 -top-0.5 min-w-4 rounded-full bg-on-bar px-1 text-center text-[11px] font-semibold leading-4 text-bar">
              {unseen}
            </span>
          )}
        </button>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="end"
          sideOffset={4}
          className="z-[60] max-h-[70vh] w-[380px] overflow-y-auto rounded-md border border-line bg-panel p-1 text-ink"
        >
          {data?.items.map((one) => (
            <DropdownMenu.Item key={one.id} asChild>
              <Link href={one.href} className="block rounded-sm px-3 py-2 outline-none focus:bg-wash">
                <span className={one.isSeen ? '' : 'font-semibold'}>{one.says}</span>
                <span className="block text-xs text-soft">{sayShort(one.at, zone)}</span>
              </Link>
            </DropdownMenu.Item>
          ))}
          {data && !data.items.length && <p className="px-3 py-2 text-soft">Nothing yet. What you hear of is set under your account.</p>}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
