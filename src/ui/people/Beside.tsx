'use client';

import { useQuery, useQueryClient } from '@tanstack/react-query';
import { ClipboardCheck, List, ListFilter, X } from 'lucide-react';
import { useState } from 'react';
import type { ListView, SavedView, SegmentItem, TasksView } from '@/core/api';
import { api, attempt, sayCount, Link } from '../kit';
import { EMPTY, readView, writeView, type View } from './view';

/** Saved views, segments, lists and tags beside the table. */
export function Beside({ view, onView, put }: { view: View; onView: (view: View) => void; put: (change: Partial<View>) => void }) {
  const client = useQueryClient();
  const views = useQuery({ queryKey: ['views'], queryFn: () => api<{ views: SavedView[] }>('/views') });
  const segments = useQuery({ queryKey: ['segments'], queryFn: () => api<{ segments: SegmentItem[] }>('/segments') });
  const lists = useQuery({ queryKey: ['lists'], queryFn: () => api<{ lists: ListView[] }>('/lists') });
  const tags = useQuery({ queryKey: ['tags'], queryFn: () => api<{ tags: { tag: string; people: number }[] }>('/tags') });
  const tasks = useQuery({ queryKey: ['tasks', 'open'], queryFn: () => api<TasksView>('/tasks') });
  const here = writeView(view);
  const [isWhole, setWhole] = useState(false);
  const item = (isHere: boolean) =>
    `flex w-full items-center justify-between gap-2 rounded-md px-2 py-1 text-left ${isHere ? 'bg-wash font-semibold text-accent' : 'hover:bg-wash'}`;
  const drop = (saved: SavedView) =>
    attempt(async () => {
      await api(`/views/${saved.id}`, { method: 'DELETE' });
      await client.invalidateQueries({ queryKey: ['views'] });
    }, `The view “${saved.name}” is gone.`);
  return (
    <nav aria-label="Views and lists" className="w-[196px] shrink-0 overflow-y-auto border-r border-line bg-panel p-3 text-sm">
      <button type="button" className={item(!here || here === '')} onClick={() => onView(EMPTY)}>
        Everybody
      </button>
      <h2 className="mb-1 mt-4 px-2 text-xs font-semibold text-soft">Saved views</h2>
      {views.data?.views.map((saved) => (
        <div key={saved.id} className="group flex items-center">
          <button
            type="button"
            className={item(here === saved.query)}
            onClick={() => onView(readView(saved.query))}
            title={`Saved by ${saved.by}`}
          >
            <span className="truncate">{saved.name}</span>
          </button>
          <button
            type="button"
            aria-label={`Remove the view ${saved.name}`}
            title="Remove this view"
            onClick={() => void drop(saved)}
            className="grid size-6 shrink-0 place-items-center rounded-md opacity-0 hover:bg-wash focus:opacity-100 group-hover:opacity-100"
          >
            <X size={14} aria-hidden="true" />
          </button>
        </div>
      ))}
      {!views.data?.views.length && <p className="px-2 text-xs text-soft">Filter the table, then save it as a view.</p>}
      <div className="mb-1 mt-4 flex items-center justify-between px-2">
        <h2 className="flex items-center gap-1 text-xs font-semibold text-soft" title="By rule: people join and leave by themselves">
          <ListFilter size={12} aria-hidden="true" /> Segments
        </h2>
        <Link href="/people/segments" className="text-xs text-accent">
          All segments
        </Link>
      </div>
      {segments.data?.segments.map((one) => (
        <button
          key={one.key}
          type="button"
          className={item(view.segment === one.key)}
          onClick={() => put({ segment: view.segment === one.key ? '' : one.key })}
        >
          <span className="truncate" title={`Everybody ${one.who}`}>
            {one.name}
          </span>
          <span className="tabular text-xs text-soft">{one.size === null ? '…' : sayCount(one.size)}</span>
        </button>
      ))}
      {segments.data && !segments.data.segments.length && <p className="px-2 text-xs text-soft">No segment yet.</p>}
      <div className="mb-1 mt-4 flex items-center justify-between px-2">
        <h2 className="flex items-center gap-1 text-xs font-semibold text-soft" title="Fixed: people are put on and taken off">
          <List size={12} aria-hidden="true" /> Lists
        </h2>
        <Link href="/people/lists" className="text-xs text-accent">
          All lists
        </Link>
      </div>
      {lists.data?.lists.map((list) => (
        <button
          key={list.key}
          type="button"
          className={item(view.list === list.key)}
          onClick={() => put({ list: view.list === list.key ? '' : list.key })}
        >
          <span className="truncate" title={list.name}>
            {list.name}
          </span>
          <span className="tabular text-xs text-soft">{sayCount(list.people)}</span>
        </button>
      ))}
      {lists.data && !lists.data.lists.length && <p className="px-2 text-xs text-soft">No list yet.</p>}
      {!!tags.data?.tags.length && <h2 className="mb-1 mt-4 px-2 text-xs font-semibold text-soft">Tags</h2>}
      {tags.data?.tags.slice(0, isWhole ? undefined : 30).map(({ tag, people }) => (
        <button key={tag} type="button" className={item(view.tag === tag)} onClick={() => put({ tag: view.tag === tag ? '' : tag })}>
          <span className="truncate" title={tag}>
            {tag}
          </span>
          <span className="tabular text-xs text-soft">{sayCount(people)}</span>
        </button>
      ))}
      {(tags.data?.tags.length ?? 0) > 30 && !isWhole && (
        <button type="button" className="px-2 py-1 text-xs text-accent" onClick={() => setWhole(true)}>
          All {sayCount(tags.data!.tags.length)} tags
        </button>
      )}
      <Link href="/people/tasks" className="mt-4 flex items-center justify-between gap-2 rounded-md px-2 py-1 hover:bg-wash">
        <span className="flex items-center gap-1">
          <ClipboardCheck size={12} aria-hidden="true" /> Tasks
        </span>
        <span className="tabular text-xs text-soft">{tasks.data ? `${sayCount(tasks.data.total)} open` : ''}</span>
      </Link>
    </nav>
  );
}
