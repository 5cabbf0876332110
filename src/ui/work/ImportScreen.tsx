'use client';

import { useQuery } from '@tanstack/react-query';
import { FileUp } from 'lucide-react';
import { useRouter } from 'next/navigation';
import { useRef, useState } from 'react';
import type { ListView, UploadView, WorkView } from '@/core/api';
import {
  guessColumns,
  guessColumnType,
  IMPORT_KINDS,
  misfitsOf,
  ownName,
  TARGETS,
  TARGET_WORDS,
  type ImportKind,
  type ImportPlan,
} from '@/core/imports';
import { ATTRIBUTE_TYPES, ATTRIBUTE_TYPE_WORDS, countries, type AttributeType } from '@/core/people';
import { sayName } from '@/core/rules';
import { api, ApiError, attempt, Button, Field, inputClass, Page, Part, plural, Progress, useStore, useWork, wordsOf } from '../kit';
import { Findings, type Spelling } from './ImportedScreen';

const KIND_WORDS: Record<ImportKind, string> = { people: 'People', consent: 'Consent', orders: 'Orders', events: 'Events' };
const ENCODINGS = [
  'utf-8',
  'windows-1252',
  'iso-8859-1',
  'iso-8859-15',
  'windows-1250',
  'windows-1251',
  'utf-16le',
  'utf-16be',
  'shift_jis',
  'gb18030',
];
interface Column {
  to: string;
  type?: AttributeType;
  respell?: Record<string, string>;
}

/** Imports a file: send it up, say what its columns are, play it through, then let it count. */
export function ImportScreen({ list = '' }: { list?: string }) {
  const store = useStore();
  const router = useRouter();
  const chooser = useRef<HTMLInputElement>(null);
  const lists = useQuery({ queryKey: ['lists'], queryFn: () => api<{ lists: ListView[] }>('/lists') });
  const [file, setFile] = useState<UploadView | null>(null);
  const [isSending, setSending] = useState(false);
  const [problem, setProblem] = useState<string | null>(null);
  const [kind, setKind] = useState<ImportKind>('people');
  const [columns, setColumns] = useState<(Column | null)[]>([]);
  const [more, setMore] = useState<{
    dayFirst: boolean;
    country: string;
    existing: 'replace' | 'fill';
    list: string;
    tag: string;
    consentHow: string;
    eventType: string;
  }>({ dayFirst: true, country: '', existing: 'replace', list, tag: '', consentHow: '', eventType: '' });
  const [dryId, setDryId] = useState<string | null>(null);
  const dry = useWork(dryId);

  const guess = (view: UploadView, as: ImportKind) =>
    setColumns(
      guessColumns(as, view.columns, view.rows).map((to, index) => {
        const type = to?.includes(':') ? guessColumnType(view.rows.map((row) => row[index] ?? '')) : undefined;
        return to ? { to, ...(type && { type }) } : null;
      }),
    );
  const send = async (chosen: File) => {
    setSending(true);
    setProblem(null);
    setDryId(null);
    try {
      const answer = await fetch(`/api/v1/uploads?name=${encodeURIComponent(chosen.name)}`, { method: 'POST', body: chosen });
      const body = (await answer.json()) as UploadView;
      if (!answer.ok) throw new ApiError(answer.status, body as never);
      setFile(body);
      const as =
        body.format === 'ndjson'
          ? 'events'
          : /order/i.test(chosen.name)
            ? 'orders'
            : /consent|opt/i.test(chosen.name)
              ? 'consent'
              : /event/i.test(chosen.name)
                ? 'events'
                : 'people';
      setKind(as);
      guess(body, as);
    } catch (error) {
      setProblem(wordsOf(error));
    } finally {
      setSending(false);
    }
  };
  const look = async (change: { encoding?: string; delimiter?: string; header?: boolean }) => {
    if (!file) return;
    const wanted = { encoding: file.encoding, delimiter: file.delimiter, header: file.hasHeader, ...change };
    await attempt(async () => {
      const view = await api<UploadView>(
        `/uploads/${file.key}?${new URLSearchParams({ encoding: wanted.encoding, delimiter: wanted.delimiter, header: wanted.header ? 'yes' : 'no' })}`,
      );
      setFile(view);
      guess(view, kind);
    });
    setDryId(null);
  };
  const put = (index: number, column: Column | null) => {
    setColumns((before) => before.map((one, at) => (at === index ? column : one)));
    setDryId(null);
  };
  const plan = (): ImportPlan => ({
    schema: 'viatic.import/1',
    kind,
    upload: file!.key,
    name: file!.name,
    format: { kind: file!.format, encoding: file!.encoding, delimiter: file!.delimiter, hasHeader: file!.hasHeader },
    columns:
      file!.format === 'ndjson'
        ? []
        : columns.flatMap((column, index) =>
            column
              ? [{ index, to: column.to, ...(column.type && { type: column.type }), ...(column.respell && { respell: column.respell }) }]
              : [],
          ),
    dayFirst: more.dayFirst,
    country: more.country || null,
    existing: more.existing,
    list: more.list || null,
    tag: more.tag.trim() || null,
    eventType: more.eventType.trim() || null,
    consent: kind === 'people' && more.consentHow.trim() ? { channel: 'email', how: more.consentHow.trim() } : null,
  });
  const start = async (isDry: boolean) => {
    setProblem(null);
    try {
      const work = await api<WorkView>(`/imports${isDry ? '?dry=yes' : ''}`, { method: 'POST', body: plan() });
      if (isDry) setDryId(work.id);
      else router.push(`/data/files/${work.id}`);
    } catch (error) {
      setProblem(wordsOf(error));
    }
  };
  const respell = (spellings: readonly Spelling[]) => {
    setColumns((before) =>
      before.map((column, index) => {
        const found = spellings.find((one) => one.index === index);
        if (!column || !found) return column;
        return {
          ...column,
          respell: {
            ...column.respell,
            ...Object.fromEntries(
              found.groups.flatMap((group) =>
                group.variants.filter((one) => one.value !== group.keep).map((one) => [one.value, group.keep]),
              ),
            ),
          },
        };
      }),
    );
    setDryId(null);
  };

  return (
    <Page
      title="Import a file"
      back={{ href: '/data/files', name: 'Files' }}
      about={
        <>
          CSV with any delimiter and encoding, up to a million rows and 1 GiB, packed with gzip or not; or CloudEvents as NDJSON. Nothing
          counts before you say so.
        </>
      }
    >
      <input
        ref={chooser}
        type="file"
        accept=".csv,.tsv,.txt,.ndjson,.jsonl,.json,.gz"
        className="sr-only"
        aria-label="The file"
        onChange={(event) => event.target.files?.[0] && void send(event.target.files[0])}
      />
      {!file ? (
        <button
          type="button"
          disabled={isSending}
          onClick={() => chooser.current?.click()}
          onDragOver={(event) => event.preventDefault()}
          onDrop={(event) => {
            event.preventDefault();
            if (event.dataTransfer.files[0]) void send(event.dataTransfer.files[0]);
          }}
          className="grid w-full justify-items-center gap-2 rounded-md border border-dashed border-line bg-panel px-6 py-16 hover:bg-wash"
        >
          <FileUp size={24} aria-hidden="true" className="text-accent" />
          <span className="font-semibold">{isSending ? 'Sending…' : 'Choose a file, or drop it here'}</span>
          <span className="text-soft">You will see its first rows and say what each column is.</span>
        </button>
      ) : (
        <div className="grid gap-4">
          <Part
            title={`${file.name}, ${(file.size / 1024 / (file.size > 1024 * 1024 ? 1024 : 1)).toFixed(1)} ${file.size > 1024 * 1024 ? 'MB' : 'kB'}`}
            acts={
              <Button kind="quiet" onClick={() => chooser.current?.click()}>
                Another file
              </Button>
            }
          >
            <div className="grid grid-cols-4 gap-3 p-4">
              <Field label="What is in it">
                <select
                  value={kind}
                  disabled={file.format === 'ndjson'}
                  onChange={(event) => {
                    const as = event.target.value as ImportKind;
                    setKind(as);
                    guess(file, as);
                    setDryId(null);
                  }}
                  className={inputClass}
                >
                  {IMPORT_KINDS.map((one) => (
                    <option key={one} value={one}>
                      {KIND_WORDS[one]}
                    </option>
                  ))}
                </select>
              </Field>
              <Field label="Encoding">
                <select value={file.encoding} onChange={(event) => void look({ encoding: event.target.value })} className={inputClass}>
                  {[...new Set([file.encoding, ...ENCODINGS])].map((one) => (
                    <option key={one} value={one}>
                      {one}
                    </option>
                  ))}
                </select>
              </Field>
              {file.format === 'csv' && (
                <Field label="Between cells">
                  <select value={file.delimiter} onChange={(event) => void look({ delimiter: event.target.value })} className={inputClass}>
                    <option value=",">comma</option>
                    <option value=";">semicolon</option>
                    <option value={'\t'}>tab</option>
                    <option value="|">upright bar</option>
                  </select>
                </Field>
              )}
              {file.format === 'csv' && (
                <Field label="First row">
                  <select
                    value={file.hasHeader ? 'yes' : 'no'}
                    onChange={(event) => void look({ header: event.target.value === 'yes' })}
                    className={inputClass}
                  >
                    <option value="yes">names the columns</option>
                    <option value="no">is a row like the others</option>
                  </select>
                </Field>
              )}
            </div>
            {file.format === 'csv' ? (
              <div className="max-h-[360px] overflow-auto border-t border-line">
                <table className="min-w-full text-sm">
                  <thead className="sticky top-0 z-10 bg-panel text-xs">
                    <tr className="border-b border-line">
                      {file.columns.map((name, index) => {
                        const column = columns[index];
                        const isOwn = column?.to.startsWith('attribute:') || column?.to.startsWith('property:');
                        const misfits =
                          isOwn && column?.type
                            ? misfitsOf(
                                column.type,
                                file.rows.map((row) => row[index] ?? ''),
                              )
                            : 0;
                        const own = `${kind === 'events' ? 'property' : 'attribute'}:${isOwn ? column!.to.split(':')[1] : ownName(name)}`;
                        return (
                          <th key={index} scope="col" className="min-w-[168px] px-3 py-2 align-top">
                            <div className="mb-1 truncate text-soft">{name}</div>
                            <select
                              aria-label={`What the column ${name} is`}
                              value={column?.to ?? ''}
                              onChange={(event) => put(index, event.target.value ? { to: event.target.value } : null)}
                              className={`${inputClass} !h-7 text-xs ${column ? '!border-accent font-semibold' : ''}`}
                            >
                              <option value="">left out</option>
                              {TARGETS[kind].map((to) => (
                                <option key={to} value={to}>
                                  {TARGET_WORDS[to]}
                                </option>
                              ))}
                              {(kind === 'people' || kind === 'events') && (
                                <option value={own}>
                                  {kind === 'people' ? 'Attribute' : 'Property'} “{sayName(own.split(':')[1]!)}”
                                </option>
                              )}
                            </select>
                            {isOwn && (
                              <select
                                aria-label={`Type of ${name}`}
                                value={column?.type ?? 'text'}
                                onChange={(event) => put(index, { ...column!, type: event.target.value as AttributeType })}
                                className={`${inputClass} mt-1 !h-7 text-xs`}
                              >
                                {ATTRIBUTE_TYPES.map((type) => (
                                  <option key={type} value={type}>
                                    {ATTRIBUTE_TYPE_WORDS[type]}
                                  </option>
                                ))}
                              </select>
                            )}
                            {misfits > 0 && (
                              <div className="mt-1 font-normal text-caution">
                                {misfits} of {plural(file.rows.length, 'row', 'rows')} shown {misfits === 1 ? 'does' : 'do'} not fit
                              </div>
                            )}
                            {column?.respell && (
                              <div className="mt-1 font-normal text-good">
                                {plural(Object.keys(column.respell).length, 'spelling', 'spellings')} mapped
                              </div>
                            )}
                          </th>
                        );
                      })}
                    </tr>
                  </thead>
                  <tbody>
                    {file.rows.map((row, at) => (
                      <tr key={at} className="border-b border-line last:border-0">
                        {file.columns.map((_, index) => (
                          <td
                            key={index}
                            className={`max-w-[260px] truncate px-3 py-1 ${columns[index] ? '' : 'text-soft line-through decoration-[var(--line)]'}`}
                          >
                            {row[index]}
                          </td>
                        ))}
                      </tr>
                    ))}
                  </tbody>
                </table>
              </div>
            ) : (
              <div className="max-h-[240px] overflow-auto border-t border-line p-3">
                <table className="text-xs">
                  <tbody>
                    {file.rows.map((row, index) => (
                      <tr key={index}>
                        <td className="px-4 py-2 align-top font-mono">{row[0]}</td>
                      </tr>
                    ))}
                  </tbody>
                </table>
              </div>
            )}
          </Part>
          <Part title="How it counts">
            <div className="grid grid-cols-4 gap-3 p-4">
              {file.format === 'csv' && (
                <Field label="Dates such as 3/4/2026">
                  <select
                    value={more.dayFirst ? 'day' : 'month'}
                    onChange={(event) => {
                      setMore({ ...more, dayFirst: event.target.value === 'day' });
                      setDryId(null);
                    }}
                    className={inputClass}
                  >
                    <option value="day">day first: 3 April</option>
                    <option value="month">month first: 4 March</option>
                  </select>
                </Field>
              )}
              {columns.some((column) => column?.to === 'phone') && (
                <Field label="Phone numbers without + are of">
                  <select
                    value={more.country}
                    onChange={(event) => {
                      setMore({ ...more, country: event.target.value });
                      setDryId(null);
                    }}
                    className={inputClass}
                  >
                    <option value="">the country in the row</option>
                    {countries().map(({ code, name }) => (
                      <option key={code} value={code}>
                        {name}
                      </option>
                    ))}
                  </select>
                </Field>
              )}
              {kind === 'people' && (
                <>
                  <Field label="Where something is on file">
                    <select
                      value={more.existing}
                      onChange={(event) => setMore({ ...more, existing: event.target.value as 'replace' | 'fill' })}
                      className={inputClass}
                    >
                      <option value="replace">the file replaces it</option>
                      <option value="fill">only gaps are filled</option>
                    </select>
                  </Field>
                  <Field label="Put everybody on a list">
                    <select value={more.list} onChange={(event) => setMore({ ...more, list: event.target.value })} className={inputClass}>
                      <option value="">no list</option>
                      {lists.data?.lists.map((list) => (
                        <option key={list.key} value={list.key}>
                          {list.name}
                        </option>
                      ))}
                    </select>
                  </Field>
                  <Field label="Tag everybody">
                    <input
                      value={more.tag}
                      maxLength={60}
                      onChange={(event) => setMore({ ...more, tag: event.target.value })}
                      className={inputClass}
                    />
                  </Field>
                  {!columns.some((column) => column?.to === 'consent.email') && (
                    <Field label="All agreed to email: how?" hint="Leave empty if they did not: then nothing marketing goes to them.">
                      <input
                        value={more.consentHow}
                        maxLength={200}
                        placeholder="signed a list at the fair"
                        onChange={(event) => setMore({ ...more, consentHow: event.target.value })}
                        className={inputClass}
                      />
                    </Field>
                  )}
                </>
              )}
              {kind === 'events' && file.format === 'csv' && !columns.some((column) => column?.to === 'type') && (
                <Field label="Type of every event">
                  <input
                    value={more.eventType}
                    placeholder="app.water_tested"
                    onChange={(event) => {
                      setMore({ ...more, eventType: event.target.value });
                      setDryId(null);
                    }}
                    className={`${inputClass} font-mono`}
                  />
                </Field>
              )}
              {(kind === 'orders' || kind === 'events') && (
                <p className="col-span-2 self-end text-sm text-soft">
                  What comes from a file is history: it counts in figures and rules, and starts no flow. Orders without a currency are in{' '}
                  {store.currency}.
                </p>
              )}
            </div>
            <div className="flex items-center gap-2 border-t border-line px-4 py-3">
              {problem && (
                <p role="alert" className="flex-1 text-stop">
                  {problem}
                </p>
              )}
              <div className="flex-1" />
              <Button changes="/imports" onClick={() => void start(true)}>
                Check first
              </Button>
              <Button changes="/imports" kind="primary" onClick={() => void start(false)}>
                Import
              </Button>
            </div>
          </Part>
          {dry.data && (
            <Part title="Checked">
              <div className="grid gap-3 p-4">
                <Progress work={dry.data} noun="rows" />
                {dry.data.state === 'done' && <Findings work={dry.data} onRespell={respell} />}
              </div>
            </Part>
          )}
        </div>
      )}
      {!file && problem && (
        <p role="alert" className="mt-3 text-stop">
          {problem}
        </p>
      )}
    </Page>
  );
}
