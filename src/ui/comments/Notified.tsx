'use client';

import { useQuery, useQueryClient } from '@tanstack/react-query';
import type { NotifiedView } from '@/core/api';
import { NOTICES, NOTICE_KINDS, WAYS, type NoticeWay } from '@/core/comments';
import { api, attempt, Failed, fieldClass, Part } from '../kit';

const WORDS: { readonly [way in NoticeWay]: string } = { mail: 'here and by mail', here: 'here', off: 'not at all' };

/** How one wants to hear of each kind. */
export function Notified() {
  const client = useQueryClient();
  const { data, error, refetch } = useQuery({ queryKey: ['notified'], queryFn: () => api<NotifiedView>('/account/notified') });
  if (error && !data) return <Failed error={error} retry={() => void refetch()} />;
  if (!data) return null;
  return (
    <Part title="What you hear of">
      <ul className="grid gap-2 p-4">
        {NOTICE_KINDS.map((kind) => (
          <li key={kind} className="flex items-center justify-between gap-4">
            <label htmlFor={`hear-${kind}`}>{NOTICES[kind].says}</label>
            <select
              id={`hear-${kind}`}
              value={data.notified[kind]}
              onChange={(event) =>
                void attempt(async () => {
                  const body = { ...data.notified, [kind]: event.target.value };
                  client.setQueryData(['notified'], await api<NotifiedView>('/account/notified', { method: 'PUT', body }));
                }, 'Saved.')
              }
              className={`${fieldClass} w-44`}
            >
              {WAYS.map((way) => (
                <option key={way} value={way}>
                  {WORDS[way]}
                </option>
              ))}
            </select>
          </li>
        ))}
      </ul>
    </Part>
  );
}
