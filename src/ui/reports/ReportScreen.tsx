'use client';

import { useQuery, useQueryClient } from '@tanstack/react-query';
import { MoreHorizontal } from 'lucide-react';
import { useRouter } from 'next/navigation';
import { useMemo, useState } from 'react';
import { toast } from 'sonner';
import type { ReportFigures, ReportItem } from '@/core/api';
import { sayMoney, toMajor } from '@/core/money';
import { sayChange, sayFigure } from '@/core/reports';
import { MODEL_WORDS, type CreditModel } from '@/core/revenue';
import { localDate } from '@/core/time';
import { CardButton, CardLine } from '../cards';
import {
  api,
  Ask,
  attempt,
  Button,
  Copied,
  Empty,
  Failed,
  Menu,
  Page,
  Part,
  plural,
  sayCount,
  sayDate,
  sayShort,
  Table,
  type TableColumn,
  useStore,
  Link,
} from '../kit';
import { DayChart } from '../revenue';
import { ReportDialog } from './ReportDialog';

/** One report: its figures as of now, and what is done with it. */
export function ReportScreen({ id }: { id: string }) {
  const { zone } = useStore();
  const client = useQueryClient();
  const router = useRouter();
  const [isChanging, setChanging] = useState(false);
  const [isDeleting, setDeleting] = useState(false);
  const report = useQuery({ queryKey: ['report-of-own', id], queryFn: () => api<ReportItem>(`/reports/${id}`) });
  const figures = useQuery({
    queryKey: ['report-of-own', id, 'figures', report.data?.revision],
    queryFn: () => api<ReportFigures>(`/reports/${id}/figures`),
    enabled: report.isSuccess,
    refetchInterval: 60_000,
  });
  const item = report.data;
  const failed = report.error ?? figures.error;
  if (failed) return <Failed error={failed} retry={() => void Promise.all([report.refetch(), figures.refetch()])} />;
  if (!item) return <Empty title="Loading…" />;
  const took = (made: ReportItem) => {
    client.setQueryData(['report-of-own', id], made);
    void client.invalidateQueries({ queryKey: ['reports'] });
  };
  const share = (isShared: boolean) =>
    attempt(
      async () => took(await api<ReportItem>(`/reports/${id}/link`, { method: isShared ? 'POST' : 'DELETE' })),
      isShared ? 'Shared: whoever has the link reads it.' : 'The link was taken back.',
    );
  const { mail } = item.document;
  return (
    <Page
      title={item.document.name}
      back={BACK}
      about={figures.data && sayAbout(figures.data, zone)}
      acts={
        <>
          <CardButton kind="report" of={item.key} />
          <Button onClick={() => setChanging(true)}>Change…</Button>
          <Menu
            groups={[
              [
                mail !== null && {
                  name: `Send now to ${plural(mail.to.length, 'reader', 'readers')}`,
                  onSelect: () => void attempt(() => api(`/reports/${id}/send`, { method: 'POST' }), 'On its way.'),
                },
                item.url
                  ? { name: 'Take the link back', onSelect: () => void share(false), takes: true }
                  : { name: 'Share by a link', onSelect: () => void share(true) },
              ],
              [{ name: 'Delete…', onSelect: () => setDeleting(true), takes: true }],
            ]}
          >
            <Button kind="quiet" className="px-2" aria-label="More acts">
              <MoreHorizontal size={16} aria-hidden="true" />
            </Button>
          </Menu>
        </>
      }
    >
      <CardLine kind="report" of={item.key} />
      <div className="grid gap-5">
        {(item.url ?? mail) && (
          <p className="flex flex-wrap items-center gap-x-4 gap-y-1 text-sm text-soft">
            {mail && item.nextAt && (
              <span>
                Goes to {mail.to.join(', ')}; next {sayShort(item.nextAt, zone)}
                {item.sentAt && `, last ${sayShort(item.sentAt, zone)}`}.
              </span>
            )}
            {item.url && (
              <span className="flex items-center gap-2">
                Whoever has the link reads it: <Copied text={item.url} label="Link of the report" />
              </span>
            )}
          </p>
        )}
        {figures.data ? <Figures data={figures.data} days={item.document.days} zone={zone} /> : <Empty title="Adding up…" />}
      </div>
      {isChanging && (
        <ReportDialog
          first={item.document}
          title="Change the report"
          act="Save"
          zone={zone}
          onClose={() => setChanging(false)}
          onSave={async (document) => {
            took(await api<ReportItem>(`/reports/${id}`, { method: 'PUT', body: { ...document, revision: item.revision } }));
            setChanging(false);
          }}
        />
      )}
      <Ask
        isOpen={isDeleting}
        onClose={() => setDeleting(false)}
        title={`Delete “${item.document.name}”?`}
        about="It goes to nobody any more, and its link leads nowhere. The figures themselves stay where they are."
        act="Delete"
        isDanger
        onAct={async () => {
          await api(`/reports/${id}`, { method: 'DELETE' });
          await client.invalidateQueries({ queryKey: ['reports'] });
          toast('The report is deleted.');
          router.push('/revenue/reports');
        }}
      />
    </Page>
  );
}

const BACK = { href: '/revenue/reports', name: 'Reports' };
const sayAbout = ({ from, to, model, counted }: ReportFigures, zone: string): string =>
  `${sayDate(from, zone)} to ${sayDate(to, zone)}. ${MODEL_WORDS[model as CreditModel].name}; amounts ${counted}.`;

type Line = ReportFigures['splits'][number]['lines'][number];

function Figures({ data, days, zone }: { data: ReportFigures; days: number; zone: string }) {
  const { currency } = data;
  const columns = useMemo(() => [false, true].map((hasTakings) => columnsOf(currency, hasTakings)), [currency]);
  return (
    <>
      <dl className="grid grid-cols-[repeat(auto-fit,minmax(200px,1fr))] gap-4" data-testid="report-figures">
        {data.figures.map((one) => (
          <div key={one.key} className="rounded-md border border-line bg-panel p-4">
            <dt className="text-xs text-soft">{one.name}</dt>
            <dd className="text-xl font-semibold tabular">{sayFigure(one, one.now, currency)}</dd>
            <dd className="text-sm text-soft tabular">{sayChange(one, `the ${days} days before`)}</dd>
            <dd className="text-sm text-soft tabular">{sayChange({ ...one, before: one.yearBefore }, 'the year before')}</dd>
          </div>
        ))}
      </dl>
      <div className="rounded-md border border-line bg-panel p-4">
        <DayChart days={data.days} grain={data.grain} currency={currency} end={localDate(Date.parse(data.to), zone)} />
      </div>
      {data.splits.map(({ by, name, lines, more }) => (
        <Part key={by} title={`By ${name}`}>
          {lines.length ? (
            <Table
              name={`By ${name}`}
              rows={lines}
              columns={columns[lines.some(({ takings }) => takings !== null) ? 1 : 0]!}
              keyOf={(line) => line.key}
            />
          ) : (
            <Empty title="Nothing in this time" />
          )}
          {more > 0 && (
            <p className="border-t border-line px-4 py-2 text-sm text-soft">
              and {sayCount(more)} more: all stand in the{' '}
              <Link href="/revenue" className="text-accent underline">
                ledger
              </Link>
            </p>
          )}
        </Part>
      ))}
    </>
  );
}

function columnsOf(currency: string, hasTakings: boolean): TableColumn<Line>[] {
  const money = (key: 'takings' | 'credited', name: string): TableColumn<Line> => ({
    key,
    name,
    isNumber: true,
    unit: currency,
    value: (line) => (line[key] === null ? null : toMajor({ currency, minor: line[key] })),
    show: (line) => line[key] !== null && sayMoney({ currency, minor: line[key] }),
  });
  return [
    { key: 'name', name: 'Which', value: (line) => line.name },
    { key: 'orders', name: 'Orders', isNumber: true, value: (line) => line.orders },
    ...(hasTakings ? [money('takings', 'Taken, net')] : []),
    money('credited', 'Credited'),
  ];
}
