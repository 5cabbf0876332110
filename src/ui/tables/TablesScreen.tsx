'use client';

import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useRouter } from 'next/navigation';
import { useMemo, useState } from 'react';
import { toast } from 'sonner';
import type { TableItem, TableView } from '@/core/api';
import { slugOf } from '@/core/text';
import {
  api,
  Ask,
  Button,
  CsvField,
  Empty,
  Failed,
  Field,
  inputClass,
  isoOf,
  Page,
  plural,
  sayDate,
  Table,
  type TableColumn,
  useStore,
  Link,
} from '../kit';

/** The names of the columns of a CSV, as far as its first line tells. */
function headsOf(csv: string): string[] {
  const [line = ''] = csv.replace(/^\uFEFF/, '').split('\n');
  return line
    .split(line.includes(';') ? ';' : ',')
    .map((one) => one.trim().replace(/^"|"$/g, ''))
    .filter(Boolean);
}

/** Loads a table, or another version of one. */
export function LoadTable({
  table,
  taken = [],
  onClose,
  onDone,
}: {
  /** the one of which another version is loaded */
  table?: TableItem;
  /** keys that other tables have */
  taken?: readonly string[];
  onClose: () => void;
  onDone: (table: TableView) => void;
}) {
  const [csv, setCsv] = useState('');
  const [name, setName] = useState(table?.name ?? '');
  const [chosen, setChosen] = useState<string | null>(null);
  const heads = headsOf(csv);
  const keyColumn = chosen !== null && heads.includes(chosen) ? chosen : (heads.find((one) => one === table?.keyColumn) ?? heads[0] ?? '');
  const lines = csv.split('\n').filter((line) => line.trim()).length;
  const slug = slugOf(name, 60);
  const key = table?.key ?? slug;
  return (
    <Ask
      isOpen
      onClose={onClose}
      title={table ? `Another version of “${table.name}”` : 'Load a table'}
      about="A CSV whose first line names its columns. Flows look a row up by one of them, and use the others further on."
      act={lines > 1 ? `Load ${plural(lines - 1, 'row', 'rows')}` : 'Load'}
      canAct={lines > 1 && key !== '' && (table !== undefined || !taken.includes(key))}
      onAct={async () => {
        const loaded = await api<TableView>(`/tables/${key}`, { method: 'PUT', body: { name: name.trim(), keyColumn, csv } });
        toast.success(`${plural(loaded.rows, 'row is', 'rows are')} on file, as version ${loaded.version}.`);
        onDone(loaded);
      }}
    >
      <Field
        label="Name"
        hint={key && `Flows and the API call it ${key}.`}
        problem={!table && taken.includes(key) ? 'There is a table of this name already; open it to load another version' : null}
      >
        <input value={name} maxLength={80} autoFocus={!table} onChange={(event) => setName(event.target.value)} className={inputClass} />
      </Field>
      <CsvField value={csv} onChange={setCsv} placeholder={'country,carrier,days\nNL,Bike courier,1\nDE,Parcel van,3'} />
      {heads.length > 0 && (
        <Field label="Looked up by">
          <select value={keyColumn} onChange={(event) => setChosen(event.target.value)} className={inputClass}>
            {heads.map((one) => (
              <option key={one}>{one}</option>
            ))}
          </select>
        </Field>
      )}
    </Ask>
  );
}

/** Which flows look into a table. */
export const Uses = ({ usedBy }: Pick<TableItem, 'usedBy'>) =>
  usedBy.length ? (
    <>
      {usedBy.map((flow, index) => (
        <span key={flow.key}>
          {index > 0 && ', '}
          <Link href={`/flows/${flow.key}`} className="text-accent underline">
            {flow.name}
          </Link>
        </span>
      ))}
    </>
  ) : (
    <span className="text-soft">no flow yet</span>
  );

/** The tables in which flows look rows up. */
export function TablesScreen() {
  const { zone } = useStore();
  const router = useRouter();
  const client = useQueryClient();
  const [isLoading, setLoading] = useState(false);
  const { data, error, refetch } = useQuery({ queryKey: ['tables'], queryFn: () => api<{ tables: TableItem[] }>('/tables') });
  const columns = useMemo<TableColumn<TableItem>[]>(
    () => [
      {
        key: 'name',
        name: 'Table',
        value: (one) => one.name,
        show: (one) => (
          <Link href={`/data/tables/${one.key}`} className="font-semibold text-accent">
            {one.name}
            <span className="block font-mono text-xs font-normal text-soft">{one.key}</span>
          </Link>
        ),
      },
      { key: 'by', name: 'Looked up by', value: (one) => one.keyColumn },
      { key: 'rows', name: 'Rows', isNumber: true, value: (one) => one.rows },
      { key: 'columns', name: 'Columns', value: (one) => one.columns.join(', ') },
      { key: 'uses', name: 'Used by', value: (one) => one.usedBy.length, show: (one) => <Uses usedBy={one.usedBy} /> },
      {
        key: 'changed',
        name: 'Loaded',
        value: (one) => isoOf(one.changedAt),
        show: (one) => `${sayDate(one.changedAt, zone)}, by ${one.changedBy}`,
      },
    ],
    [zone],
  );
  if (error) return <Failed error={error} retry={() => void refetch()} />;
  return (
    <Page
      title="Tables"
      about="What a flow looks up beside what is known of the person: delivery times by country, care sheets by product, who looks after whom."
      acts={
        <Button changes="/tables" kind="primary" onClick={() => setLoading(true)}>
          Load a table…
        </Button>
      }
    >
      <div className="rounded-md border border-line bg-panel">
        {!data ? (
          <Empty title="Loading…" />
        ) : data.tables.length ? (
          <Table name="Tables" rows={data.tables} columns={columns} keyOf={(one) => one.key} />
        ) : (
          <Empty title="No table yet">Load a CSV: a step “Look up a row of a table” then finds the row of each person.</Empty>
        )}
      </div>
      {isLoading && (
        <LoadTable
          taken={data?.tables.map(({ key }) => key) ?? []}
          onClose={() => setLoading(false)}
          onDone={(table) => {
            void client.invalidateQueries({ queryKey: ['tables'] });
            router.push(`/data/tables/${table.key}`);
          }}
        />
      )}
    </Page>
  );
}
