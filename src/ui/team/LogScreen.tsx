'use client';

import { useInfiniteQuery } from '@tanstack/react-query';
import { useMemo, useState } from 'react';
import type { ActsView } from '@/core/api';
import { changeLines } from '@/core/team';
import { api, Button, Empty, Failed, fieldClass, isoOf, ofBefore, Page, sayMoment, Table, type TableColumn, useStore } from '../kit';

type Act = ActsView['acts'][number];
const said = (text: string) => text.replaceAll('-', ' ');
/** "flow: published" of `flow.published` */
const sayWhat = (what: string): string => {
  const [noun = '', verb = ''] = what.split('.');
  return verb ? `${said(noun)}: ${said(verb)}` : said(noun);
};
/** How many changed things a line of the log tells at once. */
const FEW = 4;
const sayValue = (value: unknown): string => (typeof value === 'object' && value !== null ? JSON.stringify(value) : String(value));

/** What was done here, by whom and when. It is only added to. */
export function LogScreen() {
  const { zone } = useStore();
  const [actor, setActor] = useState('');
  const [what, setWhat] = useState('');
  const [words, setWords] = useState('');
  const [from, setFrom] = useState('');
  const [to, setTo] = useState('');
  const isTurned = Boolean(from && to && from > to);
  const query = new URLSearchParams({
    ...(actor && { actor }),
    ...(what && { what }),
    ...(words.trim() && { q: words.trim() }),
    // from the beginning of that day, and to the end of that one, by the store's clock
    ...(from && !isTurned && { from }),
    ...(to && !isTurned && { to }),
    ...(to && !from && !isTurned && { from: '2000-01-01' }),
  }).toString();
  const { data, error, refetch, fetchNextPage, hasNextPage, isFetchingNextPage, isPlaceholderData } = useInfiniteQuery({
    queryKey: ['acts', query],
    queryFn: ({ pageParam }) => api<ActsView>(`/acts?limit=100${query && `&${query}`}${pageParam && `&before=${pageParam}`}`),
    initialPageParam: '',
    getNextPageParam: (last) => last.next ?? undefined,
    placeholderData: (before) => before,
  });
  const rows = useMemo(() => data?.pages.flatMap(({ acts }) => acts) ?? [], [data]);
  const columns = useMemo(() => columnsOf(zone), [zone]);
  const first = data?.pages[0];
  if (error) return <Failed error={error} retry={() => void refetch()} />;
  return (
    <Page
      title="Log"
      about="What was done here, by whom and when. It is only added to: nobody can change what stands in it."
      acts={
        <a
          href={`/api/v1/acts/file?${query}`}
          download
          className="inline-flex h-8 items-center rounded-md border border-line bg-panel px-3 font-semibold"
        >
          Save as CSV
        </a>
      }
    >
      <div className="rounded-md border border-line bg-panel" {...ofBefore(isPlaceholderData)}>
        <div className="flex flex-wrap items-center gap-3 border-b border-line px-4 py-2">
          <select aria-label="Who" value={actor} onChange={(event) => setActor(event.target.value)} className={`${fieldClass} w-48`}>
            <option value="">anybody</option>
            {first?.actors.map((one) => (
              <option key={one}>{one}</option>
            ))}
          </select>
          <select aria-label="What" value={what} onChange={(event) => setWhat(event.target.value)} className={`${fieldClass} w-48`}>
            <option value="">anything</option>
            {first?.kinds.map((one) => (
              <option key={one} value={one}>
                {said(one)}
              </option>
            ))}
          </select>
          <input
            aria-label="With the words"
            placeholder="with the words"
            value={words}
            maxLength={100}
            onChange={(event) => setWords(event.target.value)}
            className={`${fieldClass} w-56`}
          />
          <label className="flex items-center gap-2 text-sm text-soft">
            from
            <input
              type="date"
              aria-label="From"
              value={from}
              onChange={(event) => setFrom(event.target.value)}
              className={`${fieldClass} w-36`}
            />
          </label>
          <label className="flex items-center gap-2 text-sm text-soft">
            to
            <input
              type="date"
              aria-label="To"
              value={to}
              onChange={(event) => setTo(event.target.value)}
              className={`${fieldClass} w-36`}
            />
          </label>
          {isTurned && (
            <p role="alert" className="text-sm text-stop">
              The first day is after the last; all days are shown.
            </p>
          )}
        </div>
        {!data ? (
          <Empty title="Loading…" />
        ) : rows.length ? (
          <Table name="Log" rows={rows} columns={columns} keyOf={({ id }) => id} isPlain />
        ) : (
          <Empty title={query ? 'Nothing like this was done' : 'Nothing was done yet'} />
        )}
        {hasNextPage && (
          <div className="border-t border-line p-3 text-center">
            <Button disabled={isFetchingNextPage} onClick={() => void fetchNextPage()}>
              Show earlier
            </Button>
          </div>
        )}
      </div>
    </Page>
  );
}

const columnsOf = (zone: string): TableColumn<Act>[] => [
  { key: 'at', name: 'When', value: ({ at }) => isoOf(at), show: ({ at }) => sayMoment(at, zone) },
  { key: 'actor', name: 'Who', value: ({ actor }) => actor },
  { key: 'what', name: 'What', value: ({ what }) => what, show: ({ what }) => sayWhat(what) },
  {
    key: 'detail',
    name: 'With',
    show: (act) => <With act={act} />,
  },
];

/** With what it was done, and what of what is written by hand it has changed: before and after. */
function With({ act: { detail, changes } }: { act: Act }) {
  const [isWhole, setWhole] = useState(false);
  const { lines, more } = changeLines(changes, isWhole ? Infinity : FEW);
  return (
    <div className="max-w-[620px] break-words text-sm text-soft">
      <span className="block">
        {Object.entries(detail)
          .filter(([, value]) => value !== null && value !== undefined)
          .map(([name, value]) => `${name} ${sayValue(value)}`.slice(0, 300))
          .join('; ')}
      </span>
      {lines.length > 0 && (
        <ul aria-label="What it changed" className="grid gap-0.5 pt-1">
          {[...new Set(lines.map(({ of }) => of))].map((thing) => (
            <li key={thing}>
              <span className="font-semibold">{thing}:</span>
              {lines
                .filter(({ of }) => of === thing)
                .map(({ where, was, is }, index) => (
                  <span key={index}>
                    {index > 0 && ';'} {where} {was !== null && <del className="text-stop">{was}</del>}{' '}
                    {was !== null && is !== null && '→ '}
                    {is !== null && <ins className="text-good no-underline">{is}</ins>}
                  </span>
                ))}
            </li>
          ))}
        </ul>
      )}
      {(more > 0 || isWhole) && (
        <button type="button" aria-expanded={isWhole} onClick={() => setWhole(!isWhole)} className="font-semibold text-accent">
          {isWhole ? 'Show less' : `Show ${more} more`}
        </button>
      )}
    </div>
  );
}
