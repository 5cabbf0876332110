'use client';

import { Printer } from 'lucide-react';
import type { PersonView } from '@/core/api';
import { CHANNEL_WORDS } from '@/core/rules';
import { Button, sayMoment, Table, type TableColumn } from '../kit';

interface Line {
  readonly id: string;
  readonly channel: string;
  readonly state: string;
  readonly at: string;
  readonly recordedAt: string;
  readonly how: string;
  readonly place: string | null;
  readonly wording: string | null;
  readonly actor: string | null;
  readonly box: string | null;
  readonly country: string | null;
  readonly address: string | null;
}

const columnsOf = (zone: string): TableColumn<Line>[] => [
  {
    key: 'at',
    name: 'Moment',
    show: (line) => (
      <>
        {sayMoment(line.at, zone)}
        <div className="text-xs text-soft">kept {sayMoment(line.recordedAt, zone)}</div>
      </>
    ),
    className: 'whitespace-nowrap tabular',
  },
  {
    key: 'address',
    name: 'Channel and address',
    show: (line) => (
      <>
        {line.channel}
        <div className="break-all text-xs text-soft">{line.address}</div>
      </>
    ),
  },
  { key: 'state', name: 'Said', show: (line) => line.state, className: 'font-semibold' },
  {
    key: 'how',
    name: 'How, where, in which words',
    show: (line) => (
      <>
        {line.how}
        {line.place && <div className="break-all text-xs text-soft">at {line.place}</div>}
        {line.wording && <div>“{line.wording}”</div>}
        {line.box && (
          <div className="text-xs text-soft">
            The box stood {line.box} beforehand{line.country && `, as for ${line.country}`}.
          </div>
        )}
        {line.actor && <div className="text-xs text-soft">Entered by {line.actor}.</div>}
      </>
    ),
  },
];

/** What one person agreed to, where, when, in which words and by whose word: to be printed and shown. */
export function ConsentRecord({
  store,
  person,
  log,
  at,
  by,
}: {
  store: { zone: string; address: string };
  person: PersonView;
  log: readonly Line[];
  at: string;
  by: string;
}) {
  return (
    <main className="mx-auto max-w-[820px] bg-panel p-10 text-ink print:p-0">
      <div className="mb-6 flex items-start justify-between gap-4 print:hidden">
        <a href={`/people/${encodeURIComponent(person.id)}`} className="text-accent underline">
          Back to the person
        </a>
        <Button kind="primary" onClick={() => window.print()}>
          <Printer size={16} aria-hidden="true" />
          Print
        </Button>
      </div>
      <h1 className="text-xl font-semibold">Record of consent</h1>
      <p className="text-soft">
        {store.address}. Made {sayMoment(at, store.zone)} ({store.zone}) by {by}.
      </p>
      <h2 className="mb-1 mt-6 font-semibold">Person</h2>
      <p>
        {person.name ?? 'Name not known'}, {person.email ?? 'no email address'}
        {person.externalId && `, external id ${person.externalId}`}, on file since {sayMoment(person.createdAt, store.zone)}.
      </p>
      <h2 className="mb-1 mt-6 font-semibold">As it stands</h2>
      <ul>
        {person.channels
          .filter((one) => one.state !== 'unknown' || one.channel === 'email')
          .map((one) => (
            <li key={one.channel}>
              {CHANNEL_WORDS[one.channel].name}:{' '}
              {one.state === 'unknown' ? 'never asked' : `${one.state} ${sayMoment(one.at!, store.zone)}`}
              {one.suppressed && `; the address is never written to (${one.suppressed})`}.
            </li>
          ))}
      </ul>
      <h2 className="mb-2 mt-6 font-semibold">Everything that was said, newest first</h2>
      {log.length ? (
        <Table name="Everything that was said" rows={log} columns={columnsOf(store.zone)} keyOf={(line) => String(line.id)} isPlain />
      ) : (
        <p>Nothing was ever said on consent.</p>
      )}
      <p className="mt-6 text-xs text-soft">This log is only ever added to; the database refuses changes of what stands in it.</p>
    </main>
  );
}
