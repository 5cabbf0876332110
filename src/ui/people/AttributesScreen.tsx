'use client';

import { useQuery, useQueryClient } from '@tanstack/react-query';
import { Plus } from 'lucide-react';
import { useMemo, useState } from 'react';
import { toast } from 'sonner';
import { useWatch } from 'react-hook-form';
import { attributeInput, attributeName, renameInput, type AttributesView, type AttributeView } from '@/core/api';
import { ATTRIBUTE_TYPES, ATTRIBUTE_TYPE_WORDS, type AttributeType, type SpellingGroup } from '@/core/people';
import { sayName } from '@/core/rules';
import {
  api,
  Ask,
  attempt,
  Button,
  Empty,
  Failed,
  Entry,
  inputClass,
  Label,
  Menu,
  Page,
  plural,
  sayCount,
  Table,
  type TableColumn,
  useAsked,
  Link,
} from '../kit';

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

const placeOf = (use: AttributeView['uses'][number]) =>
  use.kind === 'form'
    ? `/data/forms/${use.key}`
    : use.kind === 'view'
      ? '/people'
      : use.kind === 'segment'
        ? `/people/segments/${use.key}`
        : `/flows/${use.key}`;
/** how many values on file are not of the attribute's type */
const oddOf = (one: AttributeView) =>
  Object.entries(one.kinds)
    .filter(([kind]) => !FITS[one.type].includes(kind))
    .reduce((sum, [, count]) => sum + count, 0);

const columnsOf = (onAsk: (asked: Asked) => void, onRetire: (one: AttributeView) => void): TableColumn<AttributeView>[] => [
  {
    key: 'name',
    name: 'Attribute',
    value: (one) => one.name,
    show: (one) => (
      <>
        <span className="font-mono font-semibold">{one.name}</span> {one.isRetired && <Label>retired</Label>}{' '}
        {one.goesTo && <Label>goes to {one.goesTo}</Label>}
        <div className="text-xs text-soft">{one.about || sayName(one.name)}</div>
      </>
    ),
  },
  {
    key: 'type',
    name: 'Type',
    value: (one) => ATTRIBUTE_TYPE_WORDS[one.type],
    show: (one) => (
      <>
        {ATTRIBUTE_TYPE_WORDS[one.type]} <span className="text-xs text-soft">{one.isDeclared ? 'declared' : 'discovered'}</span>
        {oddOf(one) > 0 && <div className="text-xs text-caution">{plural(oddOf(one), 'value does', 'values do')} not fit</div>}
      </>
    ),
  },
  {
    key: 'people',
    name: 'People who have it',
    isNumber: true,
    value: (one) => one.people,
    show: (one) => (one.people === null ? <span className="text-soft">counting…</span> : sayCount(one.people)),
  },
  {
    key: 'uses',
    name: 'Used by',
    value: (one) =>
      usesByName(one)
        .map((use) => use.name)
        .join(', ') || null,
    show: (one) => <Uses of={one} />,
    className: 'text-sm',
  },
  {
    key: 'acts',
    name: 'Acts',
    isActs: true,
    show: (one) => (
      <Menu
        groups={[
          [
            { name: 'Declare its type', onSelect: () => onAsk({ kind: 'declare', attribute: one }) },
            { name: 'Values and spellings', onSelect: () => onAsk({ kind: 'values', attribute: one }) },
            { name: 'Rename or merge', onSelect: () => onAsk({ kind: 'rename', attribute: one }) },
            { name: one.isRetired ? 'Take in again' : 'Retire', onSelect: () => onRetire(one) },
          ],
        ]}
      >
        <Button changes="/attributes" kind="quiet" aria-label={`What to do with ${one.name}`}>
          Do
        </Button>
      </Menu>
    ),
  },
];

const VALUE_COLUMNS: TableColumn<{ value: string; count: number }>[] = [
  { key: 'value', name: 'Value', value: (one) => one.value, className: 'max-w-[380px] truncate' },
  { key: 'count', name: 'People', isNumber: true, value: (one) => one.count },
];

/** The flows, forms and views that name an attribute, three by name. */
function Uses({ of: one }: { of: AttributeView }) {
  const named = usesByName(one);
  if (!named.length) return <span className="text-soft">nothing</span>;
  return (
    <span title={one.uses.map((use) => `${use.name}: ${use.where}`).join('\n')}>
      {named.slice(0, 3).map((use, index) => (
        <span key={index}>
          {index > 0 && ', '}
          <Link href={placeOf(use)} className="hover:underline">
            {use.name}
          </Link>
        </span>
      ))}
      {named.length > 3 && ` and ${named.length - 3} more`}{' '}
      <span className="text-soft">({plural(one.uses.length, 'place', 'places')})</span>
    </span>
  );
}

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
  const columns = useMemo(() => {
    const retire = (one: AttributeView) =>
      attempt(
        async () => {
          await api(`/attributes/${encodeURIComponent(one.name)}`, { method: 'PATCH', body: { isRetired: !one.isRetired } });
          await client.invalidateQueries({ queryKey: ['attributes'] });
        },
        one.isRetired ? `${one.name} is taken in again.` : `${one.name} is retired: what is on file stays, nothing more is taken in.`,
      );
    return columnsOf(setAsked, (one) => void retire(one));
  }, [client]);
  if (error) return <Failed error={error} retry={() => void refetch()} />;
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
        <Button changes="/attributes" kind="primary" onClick={() => setAsked({ kind: 'declare', attribute: null })}>
          <Plus size={16} aria-hidden="true" />
          Declare an attribute
        </Button>
      }
    >
      {data && data.unkept.length > 0 && <Unkept view={data} />}
      <div className="rounded-md border border-line bg-panel">
        <Table name="Attributes" rows={data?.attributes} columns={columns} keyOf={(one) => one.name} />
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

/** A declaration, with the name of the attribute that its address carries. */
const declaration = attributeInput.extend({ name: attributeName });

function Declare({ attribute, onClose, onDone }: { attribute: AttributeView | null; onClose: () => void; onDone: () => Promise<void> }) {
  const form = useAsked(declaration, { name: attribute?.name ?? '', type: attribute?.type ?? 'text', about: attribute?.about ?? '' });
  return (
    <Ask
      isOpen
      onClose={onClose}
      title={attribute ? `Declare ${attribute.name}` : 'Declare an attribute'}
      act="Save"
      form={form}
      onAct={async ({ name, ...body }) => {
        await api(`/attributes/${encodeURIComponent(name)}`, { method: 'PUT', body });
        await onDone();
      }}
    >
      {!attribute && (
        <Entry
          form={form}
          name="name"
          label="Name"
          hint="As the shop sends it, for example tankSize"
          autoFocus
          maxLength={80}
          className="font-mono"
        />
      )}
      <Entry form={form} name="type" as="select" label="Type">
        {ATTRIBUTE_TYPES.map((one) => (
          <option key={one} value={one}>
            {ATTRIBUTE_TYPE_WORDS[one]}
          </option>
        ))}
      </Entry>
      <Entry form={form} name="about" label="What it says" maxLength={300} />
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
  const form = useAsked(renameInput, { to: '' });
  const to = useWatch({ control: form.control, name: 'to' }).trim();
  const isThere = all.some((one) => one.name === to);
  return (
    <Ask
      isOpen
      onClose={onClose}
      title={`Rename ${attribute.name}`}
      act={isThere ? `Merge into ${to}` : 'Rename'}
      canAct={to !== attribute.name}
      form={form}
      about={
        <>
          {attribute.people !== null && `${plural(attribute.people, 'person has', 'people have')} it. `}What the shop goes on sending as{' '}
          <code className="font-mono">{attribute.name}</code> lands under the new name.{' '}
          {attribute.uses.some((use) => use.kind !== 'view') && (
            <b>It is used, and has to be changed there first: {attribute.uses.map((use) => use.name).join(', ')}.</b>
          )}
        </>
      }
      onAct={async (body) => {
        const { people } = await api<{ people: number }>(`/attributes/${encodeURIComponent(attribute.name)}/rename`, {
          method: 'POST',
          body,
        });
        toast.success(`Changed for ${plural(people, 'person', 'people')}.`);
        await onDone();
      }}
    >
      <Entry
        form={form}
        name="to"
        label="New name, or one that is there to merge with"
        hint={isThere ? 'The two become one: where a person has both, the newer word wins.' : undefined}
        autoFocus
        list="names-there"
        maxLength={80}
        className="font-mono"
      />
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
            <Table
              name={data.values.length < 100 ? `Values of ${attribute.name}` : `The 100 values of ${attribute.name} found most`}
              rows={data.values}
              columns={VALUE_COLUMNS}
              keyOf={(one) => one.value}
              className="text-sm"
            />
          </div>
        </>
      )}
    </Ask>
  );
}
