'use client';

import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useEffect, useRef } from 'react';
import type { WorkView } from '@/core/api';
import { api } from './api';
import { sayCount } from './format';
import { attempt } from './Ask';
import { Button } from './form';

const isOpen = (work: WorkView | undefined): boolean => work?.state === 'waiting' || work?.state === 'running';

/** Follows long work until it has ended; `onEnd` hears of the end once. */
export function useWork(id: string | null, onEnd?: (work: WorkView) => void) {
  const query = useQuery({
    queryKey: ['work', id],
    queryFn: () => api<WorkView>(`/works/${id}`),
    enabled: id !== null,
    refetchInterval: ({ state }) => (isOpen(state.data) || !state.data ? 700 : false),
  });
  const told = useRef<string | null>(null);
  const { data } = query;
  useEffect(() => {
    if (data && !isOpen(data) && told.current !== data.id) {
      told.current = data.id;
      onEnd?.(data);
    }
  }, [data, onEnd]);
  return query;
}

/** How far long work has come, with a way to cancel it and, when it is done, to take it back. */
export function Progress({ work, noun }: { work: WorkView; noun: string }) {
  const client = useQueryClient();
  const put = async (path: string, done: string) => {
    await attempt(
      async () => client.setQueryData(['work', work.id], await api<WorkView>(`/works/${work.id}/${path}`, { method: 'POST' })),
      done,
    );
    await Promise.all(['works', 'people', 'tags', 'lists', 'attributes'].map((key) => client.invalidateQueries({ queryKey: [key] })));
  };
  const share = work.total ? Math.min(1, work.done / work.total) : null;
  return (
    <div className="grid gap-2" role="status">
      <div className="flex items-center gap-3">
        <span className="font-semibold">{work.name}</span>
        <span className={work.state === 'failed' ? 'text-stop' : work.state === 'done' ? 'text-good' : 'text-soft'}>
          {work.state === 'waiting' ? 'Waits for its turn' : work.state === 'running' ? work.says || 'Under way' : work.says}
        </span>
        <span className="tabular text-soft">
          {work.state === 'running' && work.done > 0 && `${sayCount(work.done)}${work.total ? ` of ${sayCount(work.total)}` : ''} ${noun}`}
        </span>
        <div className="flex-1" />
        {isOpen(work) && <Button onClick={() => void put('stop', 'It stops as soon as it can.')}>Cancel</Button>}
        {work.canUndo && <Button onClick={() => void put('undo', 'That is undone.')}>Undo</Button>}
      </div>
      {isOpen(work) && (
        <div
          className="h-1.5 overflow-hidden rounded-sm bg-wash"
          role="progressbar"
          aria-label={work.name}
          aria-valuemin={0}
          aria-valuemax={100}
          {...(share !== null && { 'aria-valuenow': Math.round(share * 100) })}
        >
          <div
            className={share === null ? 'h-full w-1/3 animate-pulse bg-accent' : 'h-full bg-accent'}
            style={share === null ? undefined : { width: `${share * 100}%` }}
          />
        </div>
      )}
    </div>
  );
}
