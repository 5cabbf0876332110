'use client';

import { useQuery, useQueryClient } from '@tanstack/react-query';
import { ChevronDown, X } from 'lucide-react';
import { useState } from 'react';
import type { AttributeView, BulkAct, ListView, WorkView } from '@/core/api';
import { ATTRIBUTE_TYPE_WORDS, fitAttribute } from '@/core/people';
import { CHANNELS, CHANNEL_WORDS, sayName, type Value } from '@/core/rules';
import { api, Ask, Button, Field, inputClass, Menu, plural, Progress, useWork } from '../kit';

/** Who is chosen: some by their numbers, or all that match. */
export type Chosen = { readonly kind: 'some'; readonly ids: ReadonlySet<string> } | { readonly kind: 'all' };

type Kind = BulkAct['act'];
const ACTS: readonly (readonly [Kind, string])[] = [
  ['tag', 'Tag'],
  ['list', 'Add to a list'],
  ['set', 'Set an attribute'],
];
/** The rarer ones, in a menu. */
const MORE_ACTS: readonly (readonly [Kind, string])[] = [
  ['untag', 'Remove a tag'],
  ['unlist', 'Remove from a list'],
  ['consent', 'Enter consent'],
  ['suppress', 'Suppress'],
  ['erase', 'Erase'],
];

/** Acts on everybody who is chosen: asked with the count, followed while it runs, undone where that is possible. */
export function BulkBar({
  chosen,
  total,
  who,
  onChosen,
}: {
  chosen: Chosen;
  total: number;
  who: string;
  onChosen: (chosen: Chosen) => void;
}) {
  const client = useQueryClient();
  const [kind, setKind] = useState<Kind | null>(null);
  const [workId, setWorkId] = useState<string | null>(null);
  const work = useWork(workId, () => {
    for (const key of ['people', 'tags', 'lists', 'attributes']) void client.invalidateQueries({ queryKey: [key] });
  });
  const count = chosen.kind === 'all' ? total : chosen.ids.size;
  if (!count && !work.data) return null;
  return (
    <div className="mb-3 grid gap-2 rounded-md border border-line bg-panel px-3 py-2">
      {count > 0 && (
        <div className="flex items-center gap-2">
          <span className="mr-2 whitespace-nowrap font-semibold" data-testid="chosen-count">
            {plural(count, 'person', 'people')} chosen
          </span>
          {chosen.kind === 'some' && count < total && (
            <button type="button" className="mr-2 whitespace-nowrap text-accent underline" onClick={() => onChosen({ kind: 'all' })}>
              All {plural(total, 'person', 'people')} that match
            </button>
          )}
          <div className="flex min-w-0 flex-1 gap-1">
            {ACTS.map(([act, name]) => (
              <Button key={act} kind="quiet" onClick={() => setKind(act)}>
                {name}
              </Button>
            ))}
            <a
              className="inline-flex h-8 items-center rounded-md px-3 font-semibold hover:bg-wash"
              href={`/api/v1/exports?what=people&format=csv&${chosen.kind === 'all' ? who : `ids=${[...chosen.ids].join(',')}`}`}
              download
            >
              Export
            </a>
            <Menu
              align="start"
              groups={[
                MORE_ACTS.map(([act, name]) => ({
                  name,
                  takes: act === 'erase' || act === 'suppress',
                  onSelect: () => setKind(act),
                })),
              ]}
            >
              <Button kind="quiet">
                More
                <ChevronDown size={16} aria-hidden="true" />
              </Button>
            </Menu>
          </div>
          <Button kind="quiet" aria-label="Choose nobody" onClick={() => onChosen({ kind: 'some', ids: new Set() })}>
            <X size={16} aria-hidden="true" />
          </Button>
        </div>
      )}
      {work.data && (
        <div className="flex items-center gap-2">
          <div className="flex-1">
            <Progress work={work.data} noun="people" />
          </div>
          {work.data.state !== 'running' && work.data.state !== 'waiting' && (
            <Button kind="quiet" aria-label="Close the note" onClick={() => setWorkId(null)}>
              <X size={16} aria-hidden="true" />
            </Button>
          )}
        </div>
      )}
      {kind && (
        <ActDialog
          key={kind}
          kind={kind}
          count={count}
          onClose={() => setKind(null)}
          onStart={async (act) => {
            const started = await api<WorkView>('/bulk', {
              method: 'POST',
              body: { do: act, who: chosen.kind === 'all' ? who : `ids=${[...chosen.ids].join(',')}`, count },
            });
            setWorkId(started.id);
            onChosen({ kind: 'some', ids: new Set() });
          }}
        />
      )}
    </div>
  );
}

function ActDialog({
  kind,
  count,
  onClose,
  onStart,
}: {
  kind: Kind;
  count: number;
  onClose: () => void;
  onStart: (act: BulkAct) => Promise<void>;
}) {
  const lists = useQuery({ queryKey: ['lists'], queryFn: () => api<{ lists: ListView[] }>('/lists') });
  const attributes = useQuery({ queryKey: ['attributes'], queryFn: () => api<{ attributes: AttributeView[] }>('/attributes?count=no') });
  const [text, setText] = useState('');
  const [name, setName] = useState('');
  const [channel, setChannel] = useState<'email' | 'sms' | 'push'>('email');
  const [state, setState] = useState<'given' | 'withdrawn'>('withdrawn');
  const type = attributes.data?.attributes.find((one) => one.name === name)?.type ?? 'text';
  // undefined where what was typed is no such value
  const value: Value | undefined = text.trim() === '' ? null : fitAttribute(type, text);
  const people = plural(count, 'person', 'people');
  const title = `${[...ACTS, ...MORE_ACTS].find(([act]) => act === kind)![1]}: ${people}`;
  const act = (): BulkAct => {
    switch (kind) {
      case 'tag':
      case 'untag':
        return { act: kind, tag: text.trim() };
      case 'list':
      case 'unlist':
        return { act: kind, list: name || (lists.data?.lists[0]?.key ?? '') };
      case 'consent':
        return { act: 'consent', channel, state, how: text.trim() };
      case 'set':
        return { act: 'set', name, value: value ?? null };
      case 'suppress':
        return { act: 'suppress' };
      case 'erase':
        return { act: 'erase' };
    }
  };
  const isReady =
    kind === 'erase'
      ? text === String(count)
      : kind === 'tag' || kind === 'untag'
        ? Boolean(text.trim())
        : kind === 'consent'
          ? text.trim().length >= 3
          : kind === 'set'
            ? Boolean(name) && value !== undefined
            : kind === 'list' || kind === 'unlist'
              ? Boolean(lists.data?.lists.length)
              : true;
  return (
    <Ask
      isOpen
      onClose={onClose}
      title={title}
      act={kind === 'erase' ? `Erase ${people}` : `Do it for ${people}`}
      isDanger={kind === 'erase' || kind === 'suppress'}
      canAct={isReady}
      onAct={() => onStart(act())}
      about={
        kind === 'erase'
          ? 'Their identity, attributes, consent and events go for good; counts and takings stay, with nothing that leads back. This cannot be undone.'
          : 'It can be undone when it is done.'
      }
    >
      {(kind === 'tag' || kind === 'untag') && (
        <Field label="Tag">
          <input autoFocus value={text} maxLength={60} onChange={(event) => setText(event.target.value)} className={inputClass} />
        </Field>
      )}
      {(kind === 'list' || kind === 'unlist') &&
        (lists.data?.lists.length ? (
          <Field label="List">
            <select value={name} onChange={(event) => setName(event.target.value)} className={inputClass}>
              {lists.data.lists.map((list) => (
                <option key={list.key} value={list.key}>
                  {list.name}
                </option>
              ))}
            </select>
          </Field>
        ) : (
          <p className="text-soft">There is no list yet. Make one under Lists.</p>
        ))}
      {kind === 'set' && (
        <>
          <Field label="Attribute">
            <select autoFocus value={name} onChange={(event) => setName(event.target.value)} className={inputClass}>
              <option value="">Which one?</option>
              {attributes.data?.attributes
                .filter((one) => one.name !== 'email' && !one.isRetired && !one.goesTo)
                .map((one) => (
                  <option key={one.name} value={one.name}>
                    {sayName(one.name)}
                  </option>
                ))}
            </select>
          </Field>
          <Field
            label="Value"
            hint="Left empty, the attribute is taken away."
            problem={value === undefined ? `This is no ${ATTRIBUTE_TYPE_WORDS[type]}.` : null}
          >
            <input value={text} onChange={(event) => setText(event.target.value)} className={inputClass} />
          </Field>
        </>
      )}
      {kind === 'consent' && (
        <>
          <div className="grid grid-cols-2 gap-3">
            <Field label="Channel">
              <select value={channel} onChange={(event) => setChannel(event.target.value as typeof channel)} className={inputClass}>
                {CHANNELS.map((one) => (
                  <option key={one} value={one}>
                    {CHANNEL_WORDS[one].name}
                  </option>
                ))}
              </select>
            </Field>
            <Field label="State">
              <select value={state} onChange={(event) => setState(event.target.value as typeof state)} className={inputClass}>
                <option value="withdrawn">withdrawn</option>
                <option value="given">given</option>
              </select>
            </Field>
          </div>
          <Field label="How they agreed or asked" hint="Kept with each consent, for whoever asks for proof.">
            <input value={text} maxLength={200} onChange={(event) => setText(event.target.value)} className={inputClass} />
          </Field>
        </>
      )}
      {kind === 'erase' && (
        <Field label={`Type ${count} to erase ${people}`}>
          <input autoFocus value={text} inputMode="numeric" onChange={(event) => setText(event.target.value)} className={inputClass} />
        </Field>
      )}
    </Ask>
  );
}
