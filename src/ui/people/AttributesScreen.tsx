'use client';

import { useQuery, useQueryClient } from '@tanstack/react-query';
import { Plus } from 'lucide-react';
import Link from 'next/link';
import { useState } from 'react';
import { toast } from 'sonner';
import type { AttributesView, AttributeView } from '@/core/api';
import { ATTRIBUTE_TYPES, ATTRIBUTE_TYPE_WORDS, type AttributeType, type SpellingGroup } from '@/core/people';
import { sayName } from '@/core/rules';
import { api, Ask, attempt, Button, Empty, Failed, Field, inputClass, Label, Menu, Page, plural, sayCount, tdClass, thClass } from '../kit';

const FITS: Record<AttributeType, string[]> = {
  text: ['string'],
  number: ['number'],
  money: ['number'],
  yesno: ['boolean'],
  date: ['string'],
  moment: ['string'],
  place: ['object'],
  texts: ['array'],
};
const usesByName = (one: AttributeView) =>
  one.uses.filter((use, index) => one.uses.findIndex((other) => other.name === use.name) === index);
type Asked = { readonly kind: 'declare' | 'rename' | 'values'; readonly attribute: AttributeView | null };

/** What was said of people under names that did not become attributes: it is in the events, and here is why. */
function Unkept({ view }: { view: AttributesView }) {
  const [isOpen, setOpen] = useState(false);
  const shown = isOpen ? view.unkept : view.unkept.slice(0, 8);
  return (
    <section aria-label="Not kept as attributes" className="mb-4 rounded-md border border-line bg-panel p-4">
      <h2 className="font-semibold text-caution">
        {plural(view.unkept.length, 'name was', 'names were')} not taken over as {view.unkept.length === 1 ? 'an attribute' : 'attributes'}
      </h2>
      <p className="max-w-[860px] text-soft">
        What was said under {view.unkept.length === 1 ? 'it' : 'them'} is kept with its events. A name begins with a letter and has letters,
        digits, _ . and -, at most 80 characters; a person has at most {sayCount(view.mostOfPerson)} attributes, the store takes over at
        most {sayCount(view.most)} names.
      </p>
      <p className="mt-2 break-all font-mono text-xs">
        {shown.map((one) => `${one.name === '' ? '(no name)' : one.name} in ${plural(one.events, 'event', 'events')}`).join(' · ')}
      </p>
      {view.unkept.length > 8 && (
        <Button kind="quiet" className="mt-1 !px-0" onClick={() => setOpen(!isOpen)}>
          {isOpen ? 'Show fewer' : `Show all ${view.unkept.length}`}
        </Button>
      )}
    </section>
  );
}

/** What is recorded about people: declared or discovered, with types, and what uses each. */
export function AttributesScreen() {
  const client = useQueryClient();
  // who has what is counted over everybody: the list is there before
  const named = useQuery({ queryKey: ['attributes'], queryFn: () => api<AttributesView>('/attributes?count=no') });
  const counted = useQuery({ queryKey: ['attributes', 'counted'], queryFn: () => api<AttributesView>('/attributes') });
  const data = counted.data ?? named.data;
  const error = named.error ?? counted.error;
  const refetch = () => Promise.all([named.refetch(), counted.refetch()]);
  const [asked, setAsked] = useState<Asked | null>(null);
  const refresh = () => client.invalidateQueries({ queryKey: ['attributes'] });
  if (error) return <Failed error={error} retry={() => void refetch()} />;
  const retire = (one: AttributeView) =>
    attempt(
      async () => {
        await api(`/attributes/${encodeURIComponent(one.name)}`, { method: 'PATCH', body: { isRetired: !one.isRetired } });
        await refresh();
      },
      one.isRetired ? `${one.name} is taken in again.` : `${one.name} is retired: what is on file stays, nothing more is taken in.`,
    );
  return (
    <Page
      title="Attributes"
      about={
        <>
          What is recorded about people. A type that is declared brings what arrives into one form; what does not fit is kept as it was said
          and counted here.
        </>
      }
      acts={
        <Button kind="primary" onClick={() => setAsked({ kind: 'declare', attribute: null })}>
          <Plus size={16} aria-hidden="true" />
          Declare an attribute
        </Button>
      }
    >
      {data && data.unkept.length > 0 && <Unkept view={data} />}
      <div className="overflow-x-auto rounded-md border border-line bg-panel">
        <table className="w-full">
          <thead className="border-b border-line text-xs text-soft">
            <tr>
              <th scope="col" className={thClass}>
                Attribute
              </th>
              <th scope="col" className={thClass}>
                Type
              </th>
              <th scope="col" className={`${thClass} text-right`}>
                People who have it
              </th>
              <th scope="col" className={thClass}>
                Used by
              </th>
              <th scope="col" className={thClass}>
                <span className="sr-only">Acts</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {data?.attributes.map((one) => {
              const odd = Object.entries(one.kinds)
                .filter(([kind]) => !FITS[one.type].includes(kind))
                .reduce((sum, [, count]) => sum + count, 0);
              return (
                <tr key={one.name} className="border-b border-line last:border-0">
                  <td className={tdClass}>
                    <span className="font-mono font-semibold">{one.name}</span> {one.isRetired && <Label>retired</Label>}{' '}
                    {one.goesTo && <Label>goes to {one.goesTo}</Label>}
                    <div className="text-xs text-soft">{one.about || sayName(one.name)}</div>
                  </td>
                  <td className={tdClass}>
                    {ATTRIBUTE_TYPE_WORDS[one.type]} <span className="text-xs text-soft">{one.isDeclared ? 'declared' : 'discovered'}</span>
                    {odd > 0 && <div className="text-xs text-caution">{plural(odd, 'value does', 'values do')} not fit</div>}
                  </td>
                  <td className={`${tdClass} num`}>
                    {one.people === null ? <span className="text-soft">counting…</span> : sayCount(one.people)}
                  </td>
                  <td className={`${tdClass} text-sm`}>
                    {one.uses.length ? (
                      <span title={one.uses.map((use) => `${use.name}: ${use.where}`).join('\n')}>
                        {usesByName(one)
                          .slice(0, 3)
                          .map((use, index) => (
                            <span key={index}>
                              {index > 0 && ', '}
                              <Link
                                href={
                                  use.kind === 'form' ? `/data/forms/${use.key}` : use.kind === 'view' ? '/people' : `/flows/${use.key}`
                                }
                                className="hover:underline"
                              >
                                {use.name}
                              </Link>
                            </span>
                          ))}
                        {usesByName(one).length > 3 && ` and ${usesByName(one).length - 3} more`}{' '}
                        <span className="text-soft">({plural(one.uses.length, 'place', 'places')})</span>
                      </span>
                    ) : (
                      <span className="text-soft">nothing</span>
                    )}
                  </td>
                  <td className={`${tdClass} text-right`}>
                    <Menu
                      groups={[
                        [
                          { name: 'Declare its type', onSelect: () => setAsked({ kind: 'declare', attribute: one }) },
                          { name: 'Values and spellings', onSelect: () => setAsked({ kind: 'values', attribute: one }) },
                          { name: 'Rename or merge', onSelect: () => setAsked({ kind: 'rename', attribute: one }) },
                          { name: one.isRetired ? 'Take in again' : 'Retire', onSelect: () => void retire(one) },
                        ],
                      ]}
                    >
                      <Button kind="quiet" aria-label={`What to do with ${one.name}`}>
                        Do
                      </Button>
                    </Menu>
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
        {!data ? (
          <Empty title="Loading…" />
        ) : (
          !data.attributes.length && (
            <Empty title="Nothing is recorded about anybody yet">
              Attributes appear with the first event that says something of a person.
            </Empty>
          )
        )}
      </div>
      {asked?.kind === 'declare' && <Declare attribute={asked.attribute} onClose={() => setAsked(null)} onDone={refresh} />}
      {asked?.kind === 'rename' && (
        <Rename attribute={asked.attribute!} all={data?.attributes ?? []} onClose={() => setAsked(null)} onDone={refresh} />
      )}
      {asked?.kind === 'values' && <Values attribute={asked.attribute!} onClose={() => setAsked(null)} onDone={refresh} />}
    </Page>
  );
}

function Declare({ attribute, onClose, onDone }: { attribute: AttributeView | null; onClose: () => void; onDone: () => Promise<void> }) {
  const [name, setName] = useState(attribute?.name ?? '');
  const [type, setType] = useState<AttributeType>(attribute?.type ?? 'text');
  const [about, setAbout] = useState(attribute?.about ?? '');
  return (
    <Ask
      isOpen
      onClose={onClose}
      title={attribute ? `Declare ${attribute.name}` : 'Declare an attribute'}
      act="Save"
      canAct={Boolean(name.trim())}
      onAct={async () => {
        await api(`/attributes/${encodeURIComponent(name.trim())}`, { method: 'PUT', body: { type, about } });
        await onDone();
      }}
    >
      {!attribute && (
        <Field label="Name" hint="As the shop sends it, for example tankSize">
          <input
            autoFocus
            value={name}
            maxLength={80}
            onChange={(event) => setName(event.target.value)}
            className={`${inputClass} font-mono`}
          />
        </Field>
      )}
      <Field label="Type">
        <select value={type} onChange={(event) => setType(event.target.value as AttributeType)} className={inputClass}>
          {ATTRIBUTE_TYPES.map((one) => (
            <option key={one} value={one}>
              {ATTRIBUTE_TYPE_WORDS[one]}
            </option>
          ))}
        </select>
      </Field>
      <Field label="What it says">
        <input value={about} maxLength={300} onChange={(event) => setAbout(event.target.value)} className={inputClass} />
      </Field>
    </Ask>
  );
}

function Rename({
  attribute,
  all,
  onClose,
  onDone,
}: {
  attribute: AttributeView;
  all: readonly AttributeView[];
  onClose: () => void;
  onDone: () => Promise<void>;
}) {
  const [to, setTo] = useState('');
  const isThere = all.some((one) => one.name === to.trim());
  return (
    <Ask
      isOpen
      onClose={onClose}
      title={`Rename ${attribute.name}`}
      act={isThere ? `Merge into ${to.trim()}` : 'Rename'}
      canAct={Boolean(to.trim()) && to.trim() !== attribute.name}
      about={
        <>
          {attribute.people !== null && `${plural(attribute.people, 'person has', 'people have')} it. `}What the shop goes on sending as{' '}
          <code className="font-mono">{attribute.name}</code> lands under the new name.{' '}
          {attribute.uses.some((use) => use.kind !== 'view') && (
            <b>It is used, and has to be changed there first: {attribute.uses.map((use) => use.name).join(', ')}.</b>
          )}
        </>
      }
      onAct={async () => {
        const { people } = await api<{ people: number }>(`/attributes/${encodeURIComponent(attribute.name)}/rename`, {
          method: 'POST',
          body: { to: to.trim() },
        });
        toast.success(`Changed for ${plural(people, 'person', 'people')}.`);
        await onDone();
      }}
    >
      <Field
        label="New name, or one that is there to merge with"
        hint={isThere ? 'The two become one: where a person has both, the newer word wins.' : undefined}
      >
        <input
          autoFocus
          list="names-there"
          value={to}
          maxLength={80}
          onChange={(event) => setTo(event.target.value)}
          className={`${inputClass} font-mono`}
        />
      </Field>
      <datalist id="names-there">
        {all
          .filter((one) => one.name !== attribute.name)
          .map((one) => (
            <option key={one.name} value={one.name} />
          ))}
      </datalist>
    </Ask>
  );
}

function Values({ attribute, onClose, onDone }: { attribute: AttributeView; onClose: () => void; onDone: () => Promise<void> }) {
  const { data, error, refetch } = useQuery({
    queryKey: ['attribute-values', attribute.name],
    queryFn: () =>
      api<{ values: { value: string; count: number }[]; groups: SpellingGroup[] }>(
        `/attributes/${encodeURIComponent(attribute.name)}/values`,
      ),
  });
  const client = useQueryClient();
  const [off, setOff] = useState<ReadonlySet<number>>(new Set());
  const [keep, setKeep] = useState<Record<number, string>>({});
  const groups = data?.groups ?? [];
  const wanted = groups.flatMap((group, index) =>
    off.has(index) ? [] : [{ keep: keep[index] ?? group.keep, variants: group.variants.map((one) => one.value) }],
  );
  return (
    <Ask
      isOpen
      onClose={onClose}
      title={`Values of ${attribute.name}`}
      act={groups.length ? `Bring ${plural(wanted.length, 'group', 'groups')} into one spelling` : 'Close'}
      width={600}
      canAct={!groups.length || wanted.length > 0}
      onAct={async () => {
        if (!groups.length) return;
        const { people } = await api<{ people: number }>(`/attributes/${encodeURIComponent(attribute.name)}/values`, {
          method: 'POST',
          body: { groups: wanted },
        });
        toast.success(`Changed for ${plural(people, 'person', 'people')}.`);
        await client.invalidateQueries({ queryKey: ['attribute-values'] });
        await onDone();
      }}
    >
      {error ? (
        <Failed error={error} retry={() => void refetch()} />
      ) : !data ? (
        <Empty title="Counting…" />
      ) : (
        <>
          {groups.length > 0 && (
            <p className="text-soft">
              These mean the same and are spelled differently. A rule that asks for one of them misses the others.
            </p>
          )}
          <div className="grid max-h-[44vh] gap-2 overflow-y-auto">
            {groups.map((group, index) => (
              <div key={index} className="flex items-start gap-3 rounded-md border border-line p-2">
                <input
                  type="checkbox"
                  aria-label={`Bring into one: ${group.variants.map((one) => one.value).join(', ')}`}
                  checked={!off.has(index)}
                  onChange={(event) => {
                    const next = new Set(off);
                    if (event.target.checked) next.delete(index);
                    else next.add(index);
                    setOff(next);
                  }}
                  className="mt-1"
                />
                <div className="min-w-0 flex-1">
                  <div>{group.variants.map((one) => `${one.value} (${sayCount(one.count)})`).join(', ')}</div>
                  <div className="text-xs text-soft">{group.because}</div>
                </div>
                <label className="flex items-center gap-2 text-sm">
                  becomes
                  <input
                    value={keep[index] ?? group.keep}
                    onChange={(event) => setKeep({ ...keep, [index]: event.target.value })}
                    className={`${inputClass} !w-32`}
                  />
                </label>
              </div>
            ))}
            {!groups.length && <p className="text-soft">Nothing that is spelled in two ways was found.</p>}
            <table className="w-full text-sm">
              <thead className="text-xs text-soft">
                <tr>
                  <th scope="col">{data.values.length < 100 ? 'Value' : 'The 100 values found most'}</th>
                  <th scope="col" className="num">
                    People
                  </th>
                </tr>
              </thead>
              <tbody>
                {data.values.map((one) => (
                  <tr key={one.value} className="border-t border-line">
                    <td className="max-w-[380px] truncate py-0.5">{one.value}</td>
                    <td className="num">{sayCount(one.count)}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
        </>
      )}
    </Ask>
  );
}
