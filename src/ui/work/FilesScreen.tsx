'use client';

import { useQuery } from '@tanstack/react-query';
import { Download, Upload } from 'lucide-react';
import { useMemo } from 'react';
import type { WorkView } from '@/core/api';
import { api, Empty, Failed, isoOf, Named, Page, Part, sayCount, sayMoment, Table, type TableColumn, useStore, Link } from '../kit';

const EXPORTS = [
  ['people', 'People', 'One row each, with attributes, tags, lists, consent and what their orders come to'],
  ['events', 'Events', 'Everything that happened, with its properties'],
  ['orders', 'Orders', 'Value, discount and refunds in minor units'],
  ['consent', 'Consent log', 'Every word on consent, as it was said'],
] as const;
const STATES: Record<WorkView['state'], string> = {
  waiting: 'waits',
  running: 'under way',
  done: 'done',
  failed: 'failed',
  cancelled: 'cancelled',
  undone: 'undone',
};

const whatOf = (work: WorkView) => `${(work.detail.plan as { kind: string }).kind}${work.detail.isDry ? ', dry run' : ''}`;
const rowsOf = (work: WorkView) => Number(work.result.rows ?? work.done);
const badOf = (work: WorkView) => Number(work.result.bad ?? 0);

const columnsOf = (zone: string): TableColumn<WorkView>[] => [
  {
    key: 'name',
    name: 'Import',
    value: (work) => work.name,
    show: (work) => <Named href={`/data/files/${work.id}`} name={work.name} below={<>by {work.by}</>} />,
  },
  { key: 'what', name: 'What', value: whatOf },
  {
    key: 'state',
    name: 'State',
    value: (work) => STATES[work.state],
    show: (work) => (
      <span className={work.state === 'failed' ? 'text-stop' : work.state === 'done' ? 'text-good' : ''}>{STATES[work.state]}</span>
    ),
  },
  { key: 'rows', name: 'Rows', isNumber: true, value: rowsOf },
  {
    key: 'bad',
    name: 'Bad rows',
    isNumber: true,
    value: badOf,
    show: (work) => <span className={badOf(work) ? 'text-stop' : 'text-soft'}>{sayCount(badOf(work))}</span>,
  },
  { key: 'when', name: 'When', isNumber: true, value: (work) => isoOf(work.createdAt), show: (work) => sayMoment(work.createdAt, zone) },
];

/** Files that came in and files to be had. */
export function FilesScreen() {
  const store = useStore();
  const { data, error, refetch } = useQuery({
    queryKey: ['works', 'import'],
    queryFn: () => api<{ works: WorkView[] }>('/imports'),
    refetchInterval: 4_000,
  });
  const columns = useMemo(() => columnsOf(store.zone), [store.zone]);
  return (
    <Page
      title="Files"
      about="People, consent, orders and events from CSV, events from NDJSON; and all of it out again."
      acts={
        <Link href="/data/files/new" className="inline-flex h-8 items-center gap-2 rounded-md bg-accent px-3 font-semibold text-on-accent">
          <Upload size={16} aria-hidden="true" />
          Import a file
        </Link>
      }
    >
      <div className="grid grid-cols-[1fr_360px] items-start gap-5">
        <div className="rounded-md border border-line bg-panel">
          <Table
            name="Imports"
            rows={data?.works}
            columns={columns}
            keyOf={(work) => String(work.id)}
            hrefOf={(work) => `/data/files/${work.id}`}
          />
          {(data?.works.length ?? 0) >= 200 && <p className="border-t border-line px-4 py-2 text-xs text-soft">The latest 200.</p>}
          {error ? (
            <Failed error={error} retry={() => void refetch()} />
          ) : !data ? (
            <Empty title="Loading…" />
          ) : (
            !data.works.length && (
              <Empty title="Nothing was imported yet">
                An import can be checked first, shows which rows are bad and why, and can be undone.
              </Empty>
            )
          )}
        </div>
        <Part title="Export">
          <ul className="grid gap-3 p-4">
            {EXPORTS.map(([what, name, about]) => (
              <li key={what}>
                <div className="flex items-center gap-2">
                  <b className="flex-1">{name}</b>
                  {(['csv', 'ndjson'] as const).map((format) => (
                    <a
                      key={format}
                      href={`/api/v1/exports?what=${what}&format=${format}`}
                      download
                      aria-label={`${name} as ${format.toUpperCase()}`}
                      className="inline-flex h-7 items-center gap-1 rounded-md border border-line px-2 text-xs font-semibold hover:bg-wash"
                    >
                      <Download size={14} aria-hidden="true" />
                      {format.toUpperCase()}
                    </a>
                  ))}
                </div>
                <p className="text-sm text-soft">{about}.</p>
              </li>
            ))}
          </ul>
          <p className="border-t border-line px-4 py-2 text-xs text-soft">
            To export some people only, filter the people table and save it from there. In CSV, cells that a spreadsheet would take for a
            formula begin with an apostrophe.
          </p>
        </Part>
      </div>
    </Page>
  );
}
