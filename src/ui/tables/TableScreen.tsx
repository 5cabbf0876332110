'use client';

import { keepPreviousData, useQuery, useQueryClient } from '@tanstack/react-query';
import { useRouter } from 'next/navigation';
import { useMemo, useState } from 'react';
import type { TableRowsView, TableView } from '@/core/api';
import {
  api,
  Ask,
  attempt,
  Button,
  doneUndoable,
  Empty,
  Failed,
  Field,
  inputClass,
  Label,
  NotKnown,
  Page,
  Part,
  plural,
  sayCount,
  sayMoment,
  Table,
  type TableColumn,
  useStore,
} from '../kit';
import { LoadTable, Uses } from './TablesScreen';

const PAGE = 100;
type Row = TableRowsView['rows'][number];

/** One table: its rows, which flows look into it, and its versions. */
export function TableScreen({ id }: { id: string }) {
  const client = useQueryClient();
  const router = useRouter();
  const { zone } = useStore();
  const [isLoading, setLoading] = useState(false);
  const [isRemoving, setRemoving] = useState(false);
  const [words, setWords] = useState('');
  const [shown, setShown] = useState(PAGE);
  const [version, setVersion] = useState<number | null>(null);
  const { data: table, error, refetch } = useQuery({ queryKey: ['table', id], queryFn: () => api<TableView>(`/tables/${id}`) });
  const which = version ?? table?.version;
  const rows = useQuery({
    queryKey: ['table-rows', id, which, words, shown],
    queryFn: () =>
      api<TableRowsView>(
        `/tables/${id}/rows?version=${which}&limit=${Math.min(1000, shown)}${words.trim() && `&q=${encodeURIComponent(words.trim())}`}`,
      ),
    enabled: which !== undefined,
    placeholderData: keepPreviousData,
  });
  const names = table?.versions.find((one) => one.version === which)?.columns ?? table?.columns;
  const columns = useMemo<TableColumn<Row>[]>(
    () =>
      (names ?? []).map((name) => ({
        key: name,
        name,
        value: (row) => {
          const cell = row[name];
          return typeof cell === 'number' || typeof cell === 'string' ? cell : cell === null || cell === undefined ? null : String(cell);
        },
        show: (row) => (row[name] === null || row[name] === undefined ? <NotKnown what="empty" /> : String(row[name])),
      })),
    [names],
  );
  if (error) return <Failed error={error} retry={() => void refetch()} />;
  if (!table) return <Empty title="Loading…" />;
  const changed = async () => {
    await client.invalidateQueries({ queryKey: ['table', id] });
    await client.invalidateQueries({ queryKey: ['tables'] });
  };
  const restore = (to: number) =>
    attempt(async () => {
      await api(`/tables/${id}/restore`, { method: 'POST', body: { version: to } });
      setVersion(null);
      await changed();
    }, `Flows look into version ${to} from now on.`);
  return (
    <Page
      title={table.name}
      back={{ href: '/data/tables', name: 'Tables' }}
      about={
        <>
          {plural(table.rows, 'row', 'rows')}, looked up by {table.keyColumn}. Used by <Uses usedBy={table.usedBy} />.
        </>
      }
      acts={
        <>
          {table.isArchived ? (
            <Button changes="/tables" onClick={() => void restore(table.version)}>
              Restore
            </Button>
          ) : (
            <Button
              changes="/tables"
              disabled={table.usedBy.length > 0}
              title={table.usedBy.length ? 'A flow looks into it' : undefined}
              onClick={() => setRemoving(true)}
            >
              Archive
            </Button>
          )}
          <Button changes="/tables" kind="primary" onClick={() => setLoading(true)}>
            Load another version…
          </Button>
        </>
      }
    >
      <div className="grid grid-cols-[1fr_300px] items-start gap-5">
        <div className="min-w-0">
          <div className="mb-3 flex items-end gap-3">
            <div className="w-[280px]">
              <Field label="Search rows">
                <input type="search" value={words} onChange={(event) => setWords(event.target.value)} className={inputClass} />
              </Field>
            </div>
            {rows.data && (
              <p className="pb-1.5 text-soft">
                {plural(rows.data.total, 'row', 'rows')}
                {rows.data.rows.length < rows.data.total && `; the first ${sayCount(rows.data.rows.length)} are shown`}
                {version !== null && version !== table.version && `, as they were in version ${version}`}
              </p>
            )}
          </div>
          <div className="overflow-x-auto rounded-md border border-line bg-panel">
            {rows.error ? (
              <Failed error={rows.error} retry={() => void rows.refetch()} />
            ) : !rows.data ? (
              <Empty title="Loading…" />
            ) : rows.data.rows.length ? (
              <Table
                name="Rows"
                rows={rows.data.rows}
                columns={columns}
                keyOf={(row) => String(row[table.keyColumn] ?? JSON.stringify(row))}
              />
            ) : (
              <Empty title="No such row" />
            )}
            {rows.data && rows.data.rows.length < rows.data.total && shown < 1000 && (
              <div className="p-3">
                <Button onClick={() => setShown(shown + PAGE)}>Show more</Button>
              </div>
            )}
          </div>
        </div>
        <Part title="Versions">
          <ul>
            {table.versions.map((one) => (
              <li key={one.version} className="border-b border-line px-4 py-2 last:border-0">
                <span className="flex items-baseline justify-between gap-2">
                  <b>Version {one.version}</b>
                  {one.version === table.version && !table.isArchived && <Label tone="good">in use</Label>}
                </span>
                <span className="block text-xs text-soft">
                  {plural(one.rows, 'row', 'rows')}, {sayMoment(one.at, zone)}, by {one.by}
                </span>
                {one.version !== table.version && (
                  <span className="mt-1 flex gap-2">
                    <Button kind="quiet" onClick={() => setVersion(version === one.version ? null : one.version)}>
                      {version === one.version ? 'Back to the one in use' : 'Show'}
                    </Button>
                    <Button changes="/tables" kind="quiet" onClick={() => void restore(one.version)}>
                      Restore
                    </Button>
                  </span>
                )}
              </li>
            ))}
          </ul>
        </Part>
      </div>
      {isLoading && <LoadTable table={table} onClose={() => setLoading(false)} onDone={() => void changed()} />}
      <Ask
        isOpen={isRemoving}
        onClose={() => setRemoving(false)}
        title={`Archive “${table.name}”?`}
        about="No flow can look into it any more. It can be restored from here."
        act="Archive"
        onAct={async () => {
          await api(`/tables/${id}`, { method: 'DELETE' });
          doneUndoable('Archived.', () => void restore(table.version));
          await changed();
          router.push('/data/tables');
        }}
      />
    </Page>
  );
}
