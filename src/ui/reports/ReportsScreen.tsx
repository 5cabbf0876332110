'use client';

import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useRouter } from 'next/navigation';
import { useMemo, useState } from 'react';
import type { ReportItem, ReportsView } from '@/core/api';
import { newReport } from '@/core/reports';
import { cardColumn, useCards } from '../cards';
import { api, Button, Empty, Failed, isoOf, Label, Page, plural, sayDate, sayShort, Table, type TableColumn, useStore, Link } from '../kit';
import { ReportDialog } from './ReportDialog';

/** Reports of one's own: figures, splits and a period that are kept, shared by a link and mailed each week. */
export function ReportsScreen() {
  const { zone } = useStore();
  const router = useRouter();
  const client = useQueryClient();
  const [isNew, setNew] = useState(false);
  const { data, error, refetch } = useQuery({ queryKey: ['reports'], queryFn: () => api<ReportsView>('/reports') });
  const cards = useCards('report');
  const columns = useMemo(
    (): TableColumn<ReportItem>[] => [...columnsOf(zone), cardColumn<ReportItem>(cards, ({ key }) => key)],
    [zone, cards],
  );
  if (error) return <Failed error={error} retry={() => void refetch()} />;
  return (
    <Page
      title="Reports"
      about="The figures that you look at again and again, kept as a report: read here, shared by a link, or sent to colleagues each week."
      acts={
        <Button kind="primary" onClick={() => setNew(true)}>
          Create a report…
        </Button>
      }
    >
      <div className="rounded-md border border-line bg-panel">
        {!data ? (
          <Empty title="Loading…" />
        ) : data.reports.length ? (
          <Table name="Reports" rows={data.reports} columns={columns} keyOf={({ key }) => key} />
        ) : (
          <Empty title="No report yet">Choose figures, a split and a period once, and find them again here.</Empty>
        )}
      </div>
      {isNew && (
        <ReportDialog
          first={newReport()}
          title="A report of your own"
          act="Create"
          zone={zone}
          onClose={() => setNew(false)}
          onSave={async (document) => {
            const made = await api<ReportItem>('/reports', { method: 'POST', body: document });
            await client.invalidateQueries({ queryKey: ['reports'] });
            router.push(`/revenue/reports/${made.key}`);
          }}
        />
      )}
    </Page>
  );
}

const columnsOf = (zone: string): TableColumn<ReportItem>[] => [
  {
    key: 'name',
    name: 'Report',
    value: ({ document }) => document.name,
    show: ({ key, document }) => (
      <Link href={`/revenue/reports/${key}`} className="font-semibold text-accent">
        {document.name}
      </Link>
    ),
  },
  { key: 'days', name: 'Period', isNumber: true, unit: 'days', value: ({ document }) => document.days },
  {
    key: 'mail',
    name: 'Goes to',
    value: ({ document }) => document.mail?.to.length ?? 0,
    show: ({ document }) =>
      document.mail ? plural(document.mail.to.length, 'reader', 'readers') : <span className="text-soft">nobody</span>,
  },
  {
    key: 'next',
    name: 'Next time',
    value: ({ nextAt }) => nextAt && isoOf(nextAt),
    show: ({ nextAt }) => nextAt && sayShort(nextAt, zone),
  },
  {
    key: 'shared',
    name: 'Shared',
    value: ({ url }) => (url ? 'by link' : ''),
    show: ({ url }) => url && <Label>by link</Label>,
  },
  {
    key: 'changed',
    name: 'Changed',
    value: ({ changedAt }) => isoOf(changedAt),
    show: ({ changedAt, changedBy }) => `${sayDate(changedAt, zone)}, by ${changedBy}`,
  },
];
