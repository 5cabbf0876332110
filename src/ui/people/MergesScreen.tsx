'use client';

import { useInfiniteQuery } from '@tanstack/react-query';
import Link from 'next/link';
import type { MergeView } from '@/core/api';
import { api, attempt, Button, Empty, Failed, Page, sayDate, sayMoment, tdClass, thClass, useStore } from '../kit';

/** Who turned out to be one, why, and the way back within 30 days. */
export function MergesScreen() {
  const store = useStore();
  const list = useInfiniteQuery({
    queryKey: ['merges'],
    queryFn: ({ pageParam }) => api<{ merges: MergeView[]; next: string | null }>(`/merges${pageParam ? `?before=${pageParam}` : ''}`),
    initialPageParam: '',
    getNextPageParam: (last) => last.next ?? undefined,
  });
  if (list.error) return <Failed error={list.error} retry={() => void list.refetch()} />;
  const merges = list.data?.pages.flatMap((page) => page.merges);
  return (
    <Page
      title="Merges"
      about={
        <>
          Two people who share an external id or an address are one: the older id stays, the newest word wins, all events are kept, and of
          their consents the stricter holds. A phone or a device, which households share, joins nobody; nor does the mailbox of an office.
        </>
      }
    >
      <div className="overflow-x-auto rounded-md border border-line bg-panel">
        <table className="w-full">
          <thead className="border-b border-line text-xs text-soft">
            <tr>
              <th scope="col" className={thClass}>
                Who goes on
              </th>
              <th scope="col" className={thClass}>
                Who was joined
              </th>
              <th scope="col" className={thClass}>
                Because of
              </th>
              <th scope="col" className={thClass}>
                By
              </th>
              <th scope="col" className={`${thClass} text-right`}>
                When
              </th>
              <th scope="col" className={thClass}>
                <span className="sr-only">Acts</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {merges?.map((merge) => (
              <tr key={merge.id} className="border-b border-line last:border-0">
                <td className={tdClass}>
                  <Link href={`/people/${merge.winner.id}`} className="font-semibold hover:underline">
                    {merge.winner.name ?? merge.winner.email ?? merge.winner.id}
                  </Link>
                  <div className="text-xs text-soft">{merge.winner.email}</div>
                </td>
                <td className={tdClass}>
                  {merge.loser.name ?? merge.loser.email ?? merge.loser.externalId}
                  <div className="text-xs text-soft">{[merge.loser.externalId, merge.loser.email].filter(Boolean).join(', ')}</div>
                </td>
                <td className={`${tdClass} text-sm`}>{merge.because}</td>
                <td className={tdClass}>{merge.by}</td>
                <td className={`${tdClass} num`}>{sayMoment(merge.at, store.zone)}</td>
                <td className={`${tdClass} text-right`}>
                  {merge.undoneAt ? (
                    <span className="text-xs text-soft">undone {sayDate(merge.undoneAt, store.zone)}</span>
                  ) : merge.canUndo ? (
                    <Button
                      onClick={() =>
                        void attempt(async () => {
                          await api(`/merges/${merge.id}/undo`, { method: 'POST', body: {} });
                          await list.refetch();
                        }, 'They are two again.')
                      }
                    >
                      Undo
                    </Button>
                  ) : (
                    <span className="text-xs text-soft">older than 30 days</span>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
        {!merges ? <Empty title="Loading…" /> : !merges.length && <Empty title="Nobody has turned out to be somebody else yet" />}
        {list.hasNextPage && (
          <div className="p-3 text-center">
            <Button onClick={() => void list.fetchNextPage()}>Show earlier</Button>
          </div>
        )}
      </div>
    </Page>
  );
}
