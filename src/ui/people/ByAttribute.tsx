'use client';

import { useQuery } from '@tanstack/react-query';
import { Plus, X } from 'lucide-react';
import { useState } from 'react';
import type { AttributeView } from '@/core/api';
import { ATTRIBUTE_TYPE_WORDS, fitAttribute } from '@/core/people';
import { sayName } from '@/core/rules';
import { api, Button, Drop, Field, inputClass, sayCount } from '../kit';
import { conditionsOf, OPS, type AttributeFilter, type View } from './view';

/** Filters by any attribute: "country is NL". */
export function ByAttribute({
  view,
  put,
  onMore,
}: {
  view: View;
  put: (change: Partial<View>) => void;
  /** opens the editor of rules, for what is more than an attribute */
  onMore: () => void;
}) {
  const attributes = useQuery({
    queryKey: ['attributes'],
    queryFn: () => api<{ attributes: AttributeView[] }>('/attributes?count=no'),
    staleTime: 60_000,
  });
  const [isOpen, setOpen] = useState(false);
  const [draft, setDraft] = useState<{ name: string; op: AttributeFilter['op']; value: string }>({ name: 'country', op: 'is', value: '' });
  const values = useQuery({
    queryKey: ['attribute-values', draft.name],
    queryFn: () => api<{ values: { value: string; count: number }[] }>(`/attributes/${encodeURIComponent(draft.name)}/values`),
    enabled: isOpen,
    staleTime: 60_000,
  });
  const conditions = conditionsOf(view);
  const needsValue = draft.op !== 'known' && draft.op !== 'unknown';
  const type = attributes.data?.attributes.find((one) => one.name === draft.name)?.type ?? 'text';
  // a number is not the text of its digits: what is asked for is of the kind that the attribute holds
  const asked = (
    draft.op === 'atLeast' || draft.op === 'atMost'
      ? fitAttribute('number', draft.value)
      : draft.op === 'contains' || type === 'texts' || type === 'place'
        ? draft.value
        : fitAttribute(type, draft.value)
  ) as string | number | boolean | undefined;
  return (
    <Drop
      isOpen={isOpen}
      onOpenChange={setOpen}
      className="w-[340px] gap-3 p-4"
      button={
        <Button aria-label="Filter by an attribute">
          <Plus size={16} aria-hidden="true" />
          Attribute{conditions.length > 0 && ` (${conditions.length})`}
        </Button>
      }
    >
      {conditions.map((one, index) => (
        <p key={index} className="flex items-center justify-between gap-2 rounded-md bg-wash px-2 py-1 text-sm">
          <span>
            {sayName(one.name)} {OPS.find(([op]) => op === one.op)?.[1]}{' '}
            {one.op !== 'known' && one.op !== 'unknown' && `“${String(one.value)}”`}
          </span>
          <button
            type="button"
            aria-label={`Take out: ${sayName(one.name)}`}
            onClick={() => put({ where: JSON.stringify(conditions.filter((_, i) => i !== index)) })}
          >
            <X size={14} aria-hidden="true" />
          </button>
        </p>
      ))}
      <form
        className="grid gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          if (needsValue && asked === undefined) return;
          put({ where: JSON.stringify([...conditions, { ...draft, value: asked ?? '' }]) });
          setOpen(false);
        }}
      >
        <Field label="Attribute">
          <select
            value={draft.name}
            onChange={(event) => setDraft({ ...draft, name: event.target.value, value: '' })}
            className={inputClass}
          >
            {attributes.data?.attributes
              .filter((one) => !one.isRetired && !one.goesTo)
              .map((one) => (
                <option key={one.name} value={one.name}>
                  {sayName(one.name)}
                </option>
              ))}
          </select>
        </Field>
        <div className="grid grid-cols-2 gap-2">
          <Field label="How">
            <select
              value={draft.op}
              onChange={(event) => setDraft({ ...draft, op: event.target.value as AttributeFilter['op'] })}
              className={inputClass}
            >
              {OPS.map(([op, name]) => (
                <option key={op} value={op}>
                  {name}
                </option>
              ))}
            </select>
          </Field>
          {needsValue && (
            <Field label="Value">
              <input
                required
                list="attribute-values"
                type={draft.op === 'atLeast' || draft.op === 'atMost' ? 'number' : 'text'}
                step="any"
                value={draft.value}
                onChange={(event) => setDraft({ ...draft, value: event.target.value })}
                className={inputClass}
              />
            </Field>
          )}
        </div>
        <datalist id="attribute-values">
          {values.data?.values.slice(0, 50).map((one) => (
            <option key={one.value} value={one.value}>{`${sayCount(one.count)} people`}</option>
          ))}
        </datalist>
        {needsValue &&
          draft.value &&
          values.data &&
          draft.op === 'is' &&
          asked !== undefined &&
          values.data.values.length < 100 &&
          !values.data.values.some((one) => one.value === String(asked)) && (
            <p className="text-xs text-caution">
              Nobody’s {sayName(draft.name)} is “{draft.value}”. Found:{' '}
              {values.data.values
                .slice(0, 4)
                .map((one) => `“${one.value}”`)
                .join(', ') || 'nothing'}
              .
            </p>
          )}
        {needsValue && draft.value && asked === undefined && (
          <p role="alert" className="text-xs text-stop">
            “{draft.value}” is no {ATTRIBUTE_TYPE_WORDS[type]}.
          </p>
        )}
        <Button type="submit" kind="primary">
          Filter
        </Button>
      </form>
      <button
        type="button"
        className="justify-self-start text-sm text-accent underline"
        onClick={() => {
          setOpen(false);
          onMore();
        }}
      >
        More conditions…
      </button>
    </Drop>
  );
}
