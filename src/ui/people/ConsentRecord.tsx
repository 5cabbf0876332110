'use client';

import { Printer } from 'lucide-react';
import type { PersonView } from '@/core/api';
import { CHANNEL_WORDS } from '@/core/rules';
import { Button, sayMoment } from '../kit';

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
        <table className="w-full text-sm">
          <thead className="border-b border-line text-xs">
            <tr>
              <th scope="col" className="py-1 pr-3">
                Moment
              </th>
              <th scope="col" className="pr-3">
                Channel and address
              </th>
              <th scope="col" className="pr-3">
                Said
              </th>
              <th scope="col">How, where, in which words</th>
            </tr>
          </thead>
          <tbody>
            {log.map((line) => (
              <tr key={line.id} className="border-b border-line align-top">
                <td className="whitespace-nowrap py-2 pr-3 tabular">
                  {sayMoment(line.at, store.zone)}
                  <div className="text-xs text-soft">kept {sayMoment(line.recordedAt, store.zone)}</div>
                </td>
                <td className="py-2 pr-3">
                  {line.channel}
                  <div className="break-all text-xs text-soft">{line.address}</div>
                </td>
                <td className="py-2 pr-3 font-semibold">{line.state}</td>
                <td className="py-2">
                  {line.how}
                  {line.place && <div className="break-all text-xs text-soft">at {line.place}</div>}
                  {line.wording && <div>“{line.wording}”</div>}
                  {line.box && (
                    <div className="text-xs text-soft">
                      The box stood {line.box} beforehand{line.country && `, as for ${line.country}`}.
                    </div>
                  )}
                  {line.actor && <div className="text-xs text-soft">Entered by {line.actor}.</div>}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      ) : (
        <p>Nothing was ever said on consent.</p>
      )}
      <p className="mt-6 text-xs text-soft">This log is only ever added to; the database refuses changes of what stands in it.</p>
    </main>
  );
}
