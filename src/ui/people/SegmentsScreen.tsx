'use client';

import { useQuery, useQueryClient } from '@tanstack/react-query';
import { Plus } from 'lucide-react';
import { useState } from 'react';
import type { OverlapView, ReadyMade, SegmentItem } from '@/core/api';
import {
  api,
  attempt,
  Button,
  Dialog,
  Empty,
  Failed,
  isoOf,
  Label,
  Named,
  NotKnown,
  Page,
  Part,
  sayCount,
  sayDate,
  sayShare,
  Table,
  type TableColumn,
  useStore,
  Link,
} from '../kit';

const columnsOf = (zone: string): TableColumn<SegmentItem>[] => [
  {
    key: 'name',
    name: 'Segment',
    value: (one) => one.name,
    show: (one) => <Named href={`/people/segments/${one.key}`} name={one.name} below={`Everybody ${one.who}`} />,
  },
  {
    key: 'size',
    name: 'People',
    isNumber: true,
    value: (one) => one.size,
    show: (one) => (
      <>
        {one.size === null ? <NotKnown what="being built" /> : sayCount(one.size)}
        {one.size !== null && one.isBuilding && <Label>being built</Label>}
      </>
    ),
  },
  { key: 'joined', name: 'Joined, 30 days', isNumber: true, value: (one) => one.joined },
  { key: 'left', name: 'Left, 30 days', isNumber: true, value: (one) => one.left },
  {
    key: 'changed',
    name: 'Changed',
    isNumber: true,
    value: (one) => isoOf(one.changedAt),
    show: (one) => sayDate(one.changedAt, zone),
  },
];

/** Segments: who is in one is decided by its rule, at every moment. */
export function SegmentsScreen() {
  const store = useStore();
  const { data, error, refetch } = useQuery({
    queryKey: ['segments'],
    queryFn: () => api<{ segments: SegmentItem[] }>('/segments'),
    refetchInterval: 5_000,
  });
  const [isChoosing, setChoosing] = useState(false);
  if (error) return <Failed error={error} retry={() => void refetch()} />;
  return (
    <Page
      title="Segments"
      back={{ href: '/people', name: 'All people' }}
      about="A segment is a rule: people join and leave it by themselves, to the second, by what they do and what is known of them."
      acts={
        <>
          <Button changes="/segments" onClick={() => setChoosing(true)}>
            Ready-made…
          </Button>
          <Link
            href="/people/segments/new"
            className="inline-flex h-8 items-center gap-2 rounded-md bg-accent px-3 font-semibold text-on-accent hover:opacity-90"
          >
            <Plus size={16} aria-hidden="true" /> New segment
          </Link>
        </>
      }
    >
      <div className="grid gap-5">
        <div className="rounded-md border border-line bg-panel">
          <Table
            name="Segments"
            rows={data?.segments}
            columns={columnsOf(store.zone)}
            keyOf={(one) => one.key}
            hrefOf={(one) => `/people/segments/${one.key}`}
          />
          {!data ? (
            <Empty title="Loading…" />
          ) : (
            !data.segments.length && (
              <Empty title="No segment yet">
                Write a rule of your own, or{' '}
                <button type="button" className="text-accent underline" onClick={() => setChoosing(true)}>
                  take one that every shop can use
                </button>
                .
              </Empty>
            )
          )}
        </div>
        {(data?.segments.length ?? 0) > 1 && <Overlaps />}
      </div>
      {isChoosing && <Choose onClose={() => setChoosing(false)} />}
    </Page>
  );
}

/** Segments of ours to begin with. */
function Choose({ onClose }: { onClose: () => void }) {
  const client = useQueryClient();
  const { data, error, refetch } = useQuery({
    queryKey: ['segments', 'ready'],
    queryFn: () => api<{ ready: ReadyMade[] }>('/segments/ready'),
  });
  const [busy, setBusy] = useState<string | null>(null);
  const take = async (one: ReadyMade) => {
    setBusy(one.key);
    await attempt(async () => {
      const { key, name, about, rule } = one;
      await api(`/segments/${key}`, { method: 'PUT', body: { schema: 'viatic.segment/1', name, about, rule } });
      await client.invalidateQueries({ queryKey: ['segments'] });
    }, `“${one.name}” is being built.`);
    setBusy(null);
  };
  return (
    <Dialog isOpen onClose={onClose} title="Ready-made segments" about="Each can be changed afterwards like one of your own." width={720}>
      {error ? (
        <Failed error={error} retry={() => void refetch()} />
      ) : !data ? (
        <Empty title="Loading…" />
      ) : (
        <ul className="max-h-[60vh] overflow-y-auto">
          {data.ready.map((one) => (
            <li key={one.key} className="flex items-center gap-4 border-b border-line py-2 last:border-0">
              <span className="min-w-0 flex-1">
                <b>{one.name}</b> <span className="text-soft">{one.about}</span>
                <span className="block text-xs text-soft">Everybody {one.who}</span>
              </span>
              {one.isThere ? (
                <span className="text-xs text-soft">is there</span>
              ) : (
                <Button onClick={() => void take(one)} disabled={busy !== null} aria-label={`Add ${one.name}`}>
                  Add
                </Button>
              )}
            </li>
          ))}
        </ul>
      )}
      <div className="flex justify-end">
        <Button kind="primary" onClick={onClose}>
          Done
        </Button>
      </div>
    </Dialog>
  );
}

/** How many people any two segments have in common, as a share of the one at the left. */
function Overlaps() {
  const { data, error, refetch } = useQuery({ queryKey: ['segments', 'overlaps'], queryFn: () => api<OverlapView>('/segments/overlaps') });
  if (error) return <Failed error={error} retry={() => void refetch()} />;
  if (!data || data.segments.length < 2) return null;
  const both = new Map(data.pairs.flatMap(({ a, b, people }) => [[`${a} ${b}`, people] as const, [`${b} ${a}`, people] as const]));
  return (
    <Part title="In common">
      <div className="overflow-x-auto p-4">
        <table className="text-sm">
          <caption className="pb-2 text-left text-xs text-soft">
            Of the people at the left, how many are also in the segment above; darker is a larger share.
            {data.segments.length === 40 && ' The first 40 segments by name.'}
          </caption>
          <thead>
            <tr>
              <td />
              {data.segments.map((one) => (
                <th key={one.key} scope="col" className="max-w-[96px] px-2 pb-1 text-left align-bottom text-xs font-semibold">
                  {one.name}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {data.segments.map((row) => (
              <tr key={row.key}>
                <th scope="row" className="whitespace-nowrap pr-3 text-left font-semibold">
                  {row.name} <span className="text-xs font-normal text-soft tabular">{sayCount(row.size)}</span>
                </th>
                {data.segments.map((column) => {
                  if (column.key === row.key)
                    return (
                      <td key={column.key} className="px-2 text-right text-soft">
                        –
                      </td>
                    );
                  const people = both.get(`${row.key} ${column.key}`) ?? 0;
                  const share = row.size ? people / row.size : 0;
                  return (
                    <td
                      key={column.key}
                      title={[
                        `${sayCount(people)} of ${sayCount(row.size)} people of “${row.name}” are in “${column.name}”`,
                        sayShare(people, row.size) ?? 'none',
                      ].join(', ')}
                      className="border border-line px-2 py-1 text-right tabular"
                      style={{ background: `color-mix(in srgb, var(--lane-1) ${Math.round(share * 28)}%, transparent)` }}
                    >
                      {sayCount(people)}
                    </td>
                  );
                })}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </Part>
  );
}
