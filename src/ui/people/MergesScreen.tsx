'use client';

import { useInfiniteQuery } from '@tanstack/react-query';
import { useMemo } from 'react';
import type { MergeView } from '@/core/api';
import { api, attempt, Button, Empty, Failed, isoOf, Named, Page, sayDate, sayMoment, Table, type TableColumn, useStore } from '../kit';

const winnerOf = ({ winner }: MergeView) => winner.name ?? winner.email ?? winner.id;
const loserOf = ({ loser }: MergeView) => loser.name ?? loser.email ?? loser.externalId;

const columnsOf = (zone: string, onUndo: (merge: MergeView) => void): TableColumn<MergeView>[] => [
  {
    key: 'winner',
    name: 'Who goes on',
    value: winnerOf,
    show: (merge) => <Named href={`/people/${merge.winner.id}`} name={winnerOf(merge)} below={merge.winner.email} />,
  },
  {
    key: 'loser',
    name: 'Who was joined',
    value: loserOf,
    show: (merge) => (
      <>
        {loserOf(merge)}
        <div className="text-xs text-soft">{[merge.loser.externalId, merge.loser.email].filter(Boolean).join(', ')}</div>
      </>
    ),
  },
  { key: 'because', name: 'Because of', value: (merge) => merge.because, className: 'text-sm' },
  { key: 'by', name: 'By', value: (merge) => merge.by },
  { key: 'at', name: 'When', isNumber: true, value: (merge) => isoOf(merge.at), show: (merge) => sayMoment(merge.at, zone) },
  {
    key: 'acts',
    name: 'Acts',
    isActs: true,
    show: (merge) =>
      merge.undoneAt ? (
        <span className="text-xs text-soft">undone {sayDate(merge.undoneAt, zone)}</span>
      ) : merge.canUndo ? (
        <Button changes="/merges" onClick={() => onUndo(merge)}>
          Undo
        </Button>
      ) : (
        <span className="text-xs text-soft">older than 30 days</span>
      ),
  },
];

/** Who turned out to be one, why, and the way back within 30 days. */
export function MergesScreen() {
  const store = useStore();
  const list = useInfiniteQuery({
    queryKey: ['merges'],
    queryFn: ({ pageParam }) => api<{ merges: MergeView[]; next: string | null }>(`/merges${pageParam ? `?before=${pageParam}` : ''}`),
    initialPageParam: '',
    getNextPageParam: (last) => last.next ?? undefined,
  });
  const { refetch } = list;
  const columns = useMemo(
    () =>
      columnsOf(
        store.zone,
        (merge) =>
          void attempt(async () => {
            await api(`/merges/${merge.id}/undo`, { method: 'POST', body: {} });
            await refetch();
          }, 'They are two again.'),
      ),
    [store.zone, refetch],
  );
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
      <div className="rounded-md border border-line bg-panel">
        <Table name="Merges" rows={merges} columns={columns} keyOf={(merge) => String(merge.id)} />
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
