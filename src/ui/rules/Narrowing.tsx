'use client';

import { useQuery } from '@tanstack/react-query';
import { useDeferredValue, useState } from 'react';
import type { CountView, DirectoryView, ExplainView } from '@/core/api';
import { CHANNELS, CHANNEL_WORDS, type Rule } from '@/core/rules';
import { api, Empty, Failed, Field, inputClass, plural, sayCount, sayShare, Link } from '../kit';

/** What each part of a rule leaves of everybody, who of those left can be reached, and ten of them. */
export function Narrowing({
  rule,
  asksWhy = false,
}: {
  rule: Rule;
  /** with a field for one person, and why or why not */ asksWhy?: boolean;
}) {
  const key = JSON.stringify(rule);
  const count = (sample: boolean) => ({
    queryKey: ['rules', 'count', key, sample],
    queryFn: ({ signal }: { signal: AbortSignal }) => api<CountView>('/rules/count', { method: 'POST', body: { rule, sample }, signal }),
  });
  // of very many people first a sample, which becomes exact a moment later
  const first = useQuery(count(true));
  const exact = useQuery({ ...count(false), enabled: first.data?.isExact === false });
  const data = exact.data ?? first.data;
  const { error, refetch } = first;
  if (error) return <Failed error={error} retry={() => void refetch()} />;
  if (!data) return <Empty title="Counting…" />;
  const steps = [{ says: 'Everybody on file', count: data.everybody }, ...data.narrowing];
  return (
    <div className="grid gap-4">
      <ol className="grid gap-2">
        {steps.map((step, place) => (
          <li key={place}>
            <div className="flex items-baseline justify-between gap-4">
              <span className={place ? '' : 'text-soft'}>{step.says}</span>
              <span className="tabular whitespace-nowrap">
                <span data-testid="left">{sayCount(step.count)}</span>
                {place > 0 && <span className="ml-2 text-xs text-soft">{sayShare(step.count, data.everybody)}</span>}
              </span>
            </div>
            <div className="mt-1 h-1 bg-wash" aria-hidden="true">
              <div
                className={`h-1 ${place ? 'bg-accent' : 'bg-[var(--line)]'}`}
                style={{ width: `${data.everybody ? (100 * step.count) / data.everybody : 0}%` }}
              />
            </div>
          </li>
        ))}
      </ol>
      <p>
        {data.plusMinus !== null && (
          <span className="text-soft" data-testid="sample">
            From a sample: {sayCount(data.count)} give or take {sayCount(data.plusMinus)}. The exact count follows.{' '}
          </span>
        )}
        Of {plural(data.count, 'person', 'people')}, marketing may go out{' '}
        {CHANNELS.map((channel, place) => (
          <span key={channel}>
            {place > 0 && ', '}
            to <b className="tabular">{sayCount(data.reachable[channel])}</b> by {CHANNEL_WORDS[channel].noun}
          </span>
        ))}
        .
      </p>
      <People data={data} />
      {asksWhy && <Why rule={rule} examples={data.examples} />}
    </div>
  );
}

/** Ten people, with what holds for each of them, and some who fall out at the last part. */
function People({ data }: { data: CountView }) {
  const { narrowing } = data;
  const rows = [...data.examples, ...data.nearly];
  if (!rows.length) return null;
  return (
    <table className="w-full" aria-label="Some of them, and whether each part holds">
      <thead>
        <tr className="text-xs text-soft">
          <th scope="col" className="text-left font-semibold">
            For example
          </th>
          {narrowing.map(({ says }, place) => (
            <th key={place} scope="col" title={says} className="w-5 text-center font-normal tabular">
              {place + 1}
              <span className="sr-only">: {says}</span>
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {rows.map((one, index) => (
          <tr key={one.id} className={index === data.examples.length ? 'border-t border-line' : undefined}>
            <th scope="row" className="max-w-0 truncate text-left font-normal" title={[one.name, one.email].filter(Boolean).join(', ')}>
              <Link
                href={`/people/${encodeURIComponent(one.id)}`}
                className={`block truncate leading-6 hover:underline ${index < data.examples.length ? '' : 'text-soft'}`}
              >
                {one.name ?? one.email ?? one.id}
              </Link>
            </th>
            {one.holds.map((holds, place) => (
              <td key={place} className={holds ? 'text-center text-good' : 'text-center text-stop'}>
                {holds ? '✓' : '✗'}
                <span className="sr-only">{holds ? 'holds' : 'does not hold'}</span>
              </td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** Why or why not, for any one person. */
function Why({ rule, examples }: { rule: Rule; examples: CountView['examples'] }) {
  const [words, setWords] = useState('');
  const asked = useDeferredValue(words.trim());
  const found = useQuery({
    queryKey: ['people', 'why', asked],
    queryFn: ({ signal }) => api<DirectoryView>(`/people?limit=1&count=no&q=${encodeURIComponent(asked)}`, { signal }),
    enabled: asked.length >= 2,
  });
  const person = found.data?.people[0];
  const answer = useQuery({
    queryKey: ['rules', 'explain', JSON.stringify(rule), person?.id],
    queryFn: () => api<ExplainView>('/rules/explain', { method: 'POST', body: { rule, person: person!.id } }),
    enabled: person !== undefined && asked.length >= 2,
  });
  return (
    <div className="grid gap-2 border-t border-line pt-3">
      <Field label="Why, or why not, for one person">
        <input
          type="search"
          value={words}
          placeholder={examples[0]?.email ?? 'Name, email, phone or id'}
          onChange={(event) => setWords(event.target.value)}
          className={inputClass}
        />
      </Field>
      {asked.length >= 2 && found.data && !person && <p className="text-soft">Nobody is found by that.</p>}
      {answer.error && <p className="text-stop">{answer.error.message}</p>}
      {person && answer.data && (
        <div data-testid="why">
          <p>
            <b>{person.name ?? person.email ?? person.id}</b>{' '}
            {answer.data.holds ? <span className="text-good">matches</span> : <span className="text-stop">does not match</span>}
          </p>
          <Reasons because={answer.data.because} />
        </div>
      )}
    </div>
  );
}

function Reasons({ because }: { because: ExplainView['because'] }) {
  const parts = because.parts ?? [];
  return (
    <ul className="grid gap-0.5">
      {parts.length ? (
        parts.map((part, index) => (
          <li key={index} className="flex gap-2">
            <span aria-label={part.holds ? 'holds' : 'does not hold'} className={part.holds ? 'text-good' : 'text-stop'}>
              {part.holds ? '✓' : '✗'}
            </span>
            <span>
              {part.says}
              {part.parts && part.parts.length > 0 && <Reasons because={part} />}
            </span>
          </li>
        ))
      ) : (
        <li className="text-soft">{because.says}</li>
      )}
    </ul>
  );
}
