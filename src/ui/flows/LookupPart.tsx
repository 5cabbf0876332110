'use client';

import { useQuery } from '@tanstack/react-query';
import type { TableItem } from '@/core/api';
import { answersIn, changeStep, type LookupBy, type LookupStep, type Step } from '@/core/flows';
import { api, Field, inputClass, sayCount, Link } from '../kit';
import { TwoWays } from './AskEditors';
import { AnswerFields, AttributeField, NameField, Part, type Props } from './fields';

const BY = [
  ['attribute', 'an attribute of the person'],
  ['from', 'a property of what started the run'],
  ['answer', 'what came of an earlier step'],
] as const;

/** A row of a table: which table, by what, and the ways on with it and without. */
export function LookupPart({ document, step, edit }: Props<LookupStep>) {
  const { data } = useQuery({ queryKey: ['tables'], queryFn: () => api<{ tables: TableItem[] }>('/tables'), staleTime: 30_000 });
  const put = (change: Partial<LookupStep>, field: string) =>
    edit(
      changeStep(document, step.id, (one) => ({ ...one, ...change }) as Step),
      `${step.id}.${field}`,
    );
  const chosen = data?.tables.find((one) => one.key === step.table);
  const earlier = answersIn(document).filter((one) => one.id !== step.id);
  const way = BY.find(([key]) => key in step.by)![0];
  const first: { readonly [key in (typeof BY)[number][0]]: LookupBy } = {
    attribute: { attribute: 'country' },
    from: { from: 'sku' },
    answer: { answer: earlier[0]?.id ?? 'wait', property: 'value' },
  };
  return (
    <Part title="Look up a row">
      <NameField document={document} step={step} edit={edit} />
      <Field label="Table" problem={data && !chosen ? `There is no table ${step.table}; choose one, or load it under Data, Tables` : null}>
        <select value={step.table} onChange={(event) => put({ table: event.target.value }, 'table')} className={inputClass}>
          {!chosen && <option value={step.table}>{step.table}</option>}
          {data?.tables.map((one) => (
            <option key={one.key} value={one.key}>
              {one.name}
            </option>
          ))}
        </select>
      </Field>
      {chosen && (
        <p className="text-xs text-soft">
          {sayCount(chosen.rows)} rows by {chosen.keyColumn}.{' '}
          <Link href={`/data/tables/${chosen.key}`} className="text-accent underline">
            Open the table
          </Link>
        </p>
      )}
      <Field label={`Looked up by${chosen ? `, as ${chosen.keyColumn}` : ''}`}>
        <select value={way} onChange={(event) => put({ by: first[event.target.value as typeof way] }, 'by')} className={inputClass}>
          {BY.map(([key, says]) => (
            <option key={key} value={key} disabled={key === 'answer' && !earlier.length}>
              {says}
            </option>
          ))}
        </select>
      </Field>
      {'attribute' in step.by ? (
        <AttributeField value={step.by.attribute} onChange={(attribute) => put({ by: { attribute } }, 'by.attribute')} />
      ) : 'from' in step.by ? (
        <Field label="Property" hint="Of the first item of a cart or an order: items.0.sku">
          <input
            value={step.by.from}
            maxLength={120}
            onChange={(event) => put({ by: { from: event.target.value.trim() } }, 'by.from')}
            className={`${inputClass} font-mono`}
          />
        </Field>
      ) : (
        <AnswerFields of={step.by} earlier={earlier} onChange={(of) => put({ by: { ...step.by, ...of } as LookupBy }, 'by.answer')} />
      )}
      <TwoWays document={document} step={step} edit={edit} words={['Found', 'Not found']} />
      {chosen && (
        <p className="text-xs text-soft">
          Further on, messages may say{' '}
          {chosen.columns.slice(0, 3).map((column, index) => (
            <span key={column}>
              {index > 0 && ', '}
              <code className="font-mono">{`{{ answers.${step.id}.${column} }}`}</code>
            </span>
          ))}
          , and conditions may ask for them (“the answer to a step”).
        </p>
      )}
    </Part>
  );
}
