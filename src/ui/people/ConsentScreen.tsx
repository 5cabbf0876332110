'use client';

import { useQuery, useQueryClient } from '@tanstack/react-query';
import { Plus, Trash2 } from 'lucide-react';
import { useDeferredValue, useMemo, useState } from 'react';
import { toast } from 'sonner';
import * as z from 'zod';
import { liftInput, suppressionsInput, type SuppressionView } from '@/core/api';
import { countries, mayTickBeforehand, sayCountry, type CheckoutBox } from '@/core/people';
import { slugOf } from '@/core/text';
import {
  api,
  Ask,
  attempt,
  Button,
  Empty,
  Entry,
  Failed,
  fieldClass,
  inputClass,
  isoOf,
  Page,
  Part,
  plural,
  sayCount,
  sayMoment,
  Table,
  type TableColumn,
  useAsked,
  useStore,
  Link,
} from '../kit';

/** What consent rests on: the box at the checkout, the topics of the preference page, and addresses never written to. */
export function ConsentScreen() {
  return (
    <Page
      title="Consent"
      about={
        <>
          How people are asked, what they can choose, and whom nothing is ever sent to. What each person said, where, when and in which
          words stands on their page.
        </>
      }
    >
      <div className="grid grid-cols-[1fr_1fr] items-start gap-5">
        <div className="grid gap-4">
          <Box />
          <Topics />
        </div>
        <Suppressions />
      </div>
    </Page>
  );
}

function Box() {
  const client = useQueryClient();
  const { data, error } = useQuery({ queryKey: ['checkout-box'], queryFn: () => api<CheckoutBox>('/checkout-box') });
  const [draft, setDraft] = useState<CheckoutBox | null>(null);
  const [country, setCountry] = useState('');
  if (error) return <Failed error={error} />;
  const box = draft ?? data;
  if (!box)
    return (
      <Part title="Box at the checkout">
        <Empty title="Loading…" />
      </Part>
    );
  const save = () =>
    attempt(async () => {
      client.setQueryData(['checkout-box'], await api<CheckoutBox>('/checkout-box', { method: 'PUT', body: box }));
      setDraft(null);
    }, 'The checkout shows it so from now on.');
  const put = (key: string, change: Partial<CheckoutBox['everywhere']>) =>
    setDraft({ ...box, countries: { ...box.countries, [key]: { ...box.countries[key]!, ...change } } });
  return (
    <Part
      title="Box at the checkout"
      acts={
        <Button changes="/checkout-box" kind="primary" disabled={!draft} onClick={() => void save()}>
          Save
        </Button>
      }
    >
      <div className="grid gap-3 p-4">
        <p className="text-sm text-soft">
          The shop asks for it by country, and sends back with the consent how the box stood, its wording, the country and the time.
        </p>
        <div className="grid grid-cols-[130px_1fr_auto] items-center gap-2">
          <b>Everywhere else</b>
          <input
            aria-label="Wording everywhere else"
            value={box.everywhere.wording}
            maxLength={1000}
            onChange={(event) => setDraft({ ...box, everywhere: { ...box.everywhere, wording: event.target.value } })}
            className={inputClass}
          />
          <label className="flex items-center gap-1.5 text-sm">
            <input
              type="checkbox"
              checked={box.everywhere.ticked}
              onChange={(event) => setDraft({ ...box, everywhere: { ...box.everywhere, ticked: event.target.checked } })}
            />
            ticked
          </label>
          {Object.entries(box.countries).map(([code, rule]) => (
            <div key={code} className="contents">
              <span className="flex items-center gap-1">
                {sayCountry(code)}
                <button
                  type="button"
                  aria-label={`No rule of its own for ${sayCountry(code)}`}
                  className="text-soft"
                  onClick={() => {
                    const { [code]: _, ...rest } = box.countries;
                    setDraft({ ...box, countries: rest });
                  }}
                >
                  <Trash2 size={14} aria-hidden="true" />
                </button>
              </span>
              <input
                aria-label={`Wording in ${sayCountry(code)}`}
                value={rule.wording}
                maxLength={1000}
                onChange={(event) => put(code, { wording: event.target.value })}
                className={inputClass}
              />
              {mayTickBeforehand(code) ? (
                <label className="flex items-center gap-1.5 text-sm">
                  <input type="checkbox" checked={rule.ticked} onChange={(event) => put(code, { ticked: event.target.checked })} />
                  ticked
                </label>
              ) : (
                <span className="text-xs text-soft" title="The law there takes no box that is ticked beforehand for consent">
                  never ticked
                </span>
              )}
            </div>
          ))}
        </div>
        <div className="flex gap-2">
          <select
            aria-label="Country"
            value={country}
            onChange={(event) => setCountry(event.target.value)}
            className={`${fieldClass} w-56`}
          >
            <option value="">A country of its own…</option>
            {countries()
              .filter(({ code }) => !box.countries[code])
              .map(({ code, name }) => (
                <option key={code} value={code}>
                  {name}
                </option>
              ))}
          </select>
          <Button
            changes="/checkout-box"
            disabled={!country}
            onClick={() => {
              setDraft({ ...box, countries: { ...box.countries, [country]: { ticked: false, wording: box.everywhere.wording } } });
              setCountry('');
            }}
          >
            <Plus size={16} aria-hidden="true" />
            Add
          </Button>
        </div>
        {box.everywhere.ticked && (
          <p className="text-xs text-caution">
            Where the law asks for an act of the person (the EU, the EEA, the United Kingdom, Switzerland, Canada), and where the country is
            not known, the box stays unticked all the same.
          </p>
        )}
      </div>
    </Part>
  );
}

interface Topic {
  key: string;
  name: string;
  about: string;
}

function Topics() {
  const client = useQueryClient();
  const { data, error, refetch } = useQuery({ queryKey: ['topics'], queryFn: () => api<{ topics: Topic[] }>('/topics') });
  const [draft, setDraft] = useState<Topic[] | null>(null);
  const topics = draft ?? data?.topics;
  if (error && !topics)
    return (
      <Part title="Topics">
        <Failed error={error} retry={() => void refetch()} />
      </Part>
    );
  if (!topics)
    return (
      <Part title="Topics">
        <Empty title="Loading…" />
      </Part>
    );
  const save = () =>
    attempt(async () => {
      client.setQueryData(['topics'], await api('/topics', { method: 'PUT', body: { topics } }));
      setDraft(null);
    }, 'The preference page offers them from now on.');
  return (
    <Part
      title="Topics people can choose"
      acts={
        <>
          <Button
            changes="/topics"
            kind="quiet"
            onClick={() => setDraft([...topics, { key: `topic-${topics.length + 1}`, name: '', about: '' }])}
          >
            <Plus size={16} aria-hidden="true" />
            Topic
          </Button>
          <Button
            changes="/topics"
            kind="primary"
            disabled={!draft || topics.some((topic) => !topic.name.trim())}
            onClick={() => void save()}
          >
            Save
          </Button>
        </>
      }
    >
      <div className="grid gap-2 p-4">
        {topics.map((topic, index) => (
          <div key={index} className="grid grid-cols-[150px_1fr_auto] gap-2">
            <input
              aria-label={`Name of topic ${index + 1}`}
              value={topic.name}
              maxLength={60}
              placeholder="Plants"
              onChange={(event) =>
                setDraft(
                  topics.map((one, at) =>
                    at === index
                      ? {
                          ...one,
                          name: event.target.value,
                          ...(one.key.startsWith('topic-') && { key: slugOf(event.target.value, 40) || one.key }),
                        }
                      : one,
                  ),
                )
              }
              className={inputClass}
            />
            <input
              aria-label={`What topic ${index + 1} is about`}
              value={topic.about}
              maxLength={200}
              placeholder="what it is about, for those who choose"
              onChange={(event) => setDraft(topics.map((one, at) => (at === index ? { ...one, about: event.target.value } : one)))}
              className={inputClass}
            />
            <Button
              kind="quiet"
              className="!px-1.5"
              aria-label={`Remove ${topic.name || 'topic'}`}
              onClick={() => setDraft(topics.filter((_, at) => at !== index))}
            >
              <Trash2 size={16} aria-hidden="true" />
            </Button>
          </div>
        ))}
        {!topics.length && (
          <p className="text-soft">
            With topics, people can leave what they do not want to read about and keep the rest. A message says in its settings what it is
            about.
          </p>
        )}
      </div>
    </Part>
  );
}

/** An address that breaks before its @ where it must break. */
function Address({ text }: { text: string }) {
  const at = text.lastIndexOf('@');
  return at > 0 ? (
    <>
      {text.slice(0, at)}
      <wbr />
      {text.slice(at)}
    </>
  ) : (
    text
  );
}

const suppressionColumns = (zone: string, onLift: (one: SuppressionView) => void): TableColumn<SuppressionView>[] => [
  {
    key: 'address',
    name: 'Address',
    value: (one) => one.address,
    show: (one) =>
      one.person ? (
        <Link href={`/people/${one.person}`} className="hover:underline">
          <Address text={one.address} />
        </Link>
      ) : (
        <Address text={one.address} />
      ),
    className: 'max-w-[230px] [overflow-wrap:anywhere]',
  },
  {
    key: 'why',
    name: 'Why',
    value: (one) => [one.reason, one.by && `by ${one.by}`, one.note].filter(Boolean).join(' '),
    show: (one) => (
      <>
        {one.reason}
        {one.by && <span className="text-soft"> by {one.by}</span>}
        {one.note && <div className="text-xs text-soft">{one.note}</div>}
      </>
    ),
    className: 'text-sm',
  },
  {
    key: 'since',
    name: 'Since',
    isNumber: true,
    value: (one) => isoOf(one.at),
    show: (one) => sayMoment(one.at, zone),
    className: 'text-sm',
  },
  {
    key: 'acts',
    name: 'Acts',
    isActs: true,
    show: (one) => (
      <button type="button" className="text-xs text-accent" aria-label={`Remove ${one.address}`} onClick={() => onLift(one)}>
        Remove
      </button>
    ),
  },
];

function Suppressions() {
  const store = useStore();
  const client = useQueryClient();
  const [words, setWords] = useState('');
  const [offset, setOffset] = useState(0);
  const asked = useDeferredValue(words.trim());
  const { data, error, refetch } = useQuery({
    queryKey: ['suppressions', asked, offset],
    queryFn: () => api<{ total: number; suppressions: SuppressionView[] }>(`/suppressions?q=${encodeURIComponent(asked)}&offset=${offset}`),
  });
  const [isAdding, setAdding] = useState(false);
  const [lifted, setLifted] = useState<SuppressionView | null>(null);
  const refresh = () => client.invalidateQueries({ queryKey: ['suppressions'] });
  const columns = useMemo(() => suppressionColumns(store.zone, setLifted), [store.zone]);
  return (
    <Part
      title="Never written to"
      acts={
        <>
          <input
            type="search"
            aria-label="Search addresses"
            placeholder="Address or reason"
            value={words}
            onChange={(event) => {
              setWords(event.target.value);
              setOffset(0);
            }}
            className={`${fieldClass} w-44`}
          />
          <Button changes="/suppressions" onClick={() => setAdding(true)}>
            <Plus size={16} aria-hidden="true" />
            Add
          </Button>
        </>
      }
    >
      {error ? (
        <Failed error={error} retry={() => void refetch()} />
      ) : !data ? (
        <Empty title="Loading…" />
      ) : !data.suppressions.length ? (
        <Empty title={asked ? 'No address matches' : 'No address is on it'}>
          {asked ? 'Take a word out.' : 'Addresses come onto it by hard bounces, complaints, unsubscribing, and by hand.'}
        </Empty>
      ) : (
        <>
          <Table name="Never written to" rows={data.suppressions} columns={columns} keyOf={(one) => `${one.channel} ${one.address}`} />
          <div className="flex items-center gap-2 border-t border-line px-4 py-2 text-sm text-soft">
            <span className="flex-1">
              {sayCount(offset + 1)} to {sayCount(offset + data.suppressions.length)} of {plural(data.total, 'address', 'addresses')}
            </span>
            <Button disabled={!offset} onClick={() => setOffset(Math.max(0, offset - 100))}>
              Newer
            </Button>
            <Button disabled={offset + 100 >= data.total} onClick={() => setOffset(offset + 100)}>
              Older
            </Button>
          </div>
        </>
      )}
      {isAdding && <AddAddresses onClose={() => setAdding(false)} onDone={refresh} />}
      {lifted && <Lift one={lifted} onClose={() => setLifted(null)} onDone={refresh} />}
    </Part>
  );
}

/** Addresses as they are typed or pasted in: one a line, or with spaces or commas between. */
const typedAddresses = z.strictObject({
  addresses: z
    .string()
    .transform((text) => text.split(/[\s,;]+/).filter(Boolean))
    .pipe(suppressionsInput.shape.addresses),
});

function AddAddresses({ onClose, onDone }: { onClose: () => void; onDone: () => Promise<unknown> }) {
  const form = useAsked(typedAddresses, { addresses: '' });
  return (
    <Ask
      isOpen
      onClose={onClose}
      title="Never write to these addresses"
      act="Add"
      about="One a line, or the column of a file pasted in. Whatever else says, nothing marketing goes to them."
      form={form}
      onAct={async (body) => {
        const answer = await api<{ added: number; known: number; wrong: string[] }>('/suppressions', { method: 'POST', body });
        toast.success(
          `${plural(answer.added, 'address is', 'addresses are')} on it now${answer.known ? `, ${sayCount(answer.known)} had been before` : ''}.`,
        );
        form.setValue('addresses', answer.wrong.join('\n'));
        await onDone();
        if (answer.wrong.length)
          throw new Error(
            answer.wrong.length === 1
              ? '1 line is no address and is left here. Mend it, or close.'
              : `${sayCount(answer.wrong.length)} lines are no addresses and are left here. Mend them, or close.`,
          );
      }}
    >
      <Entry form={form} name="addresses" as="textarea" label="Addresses" autoFocus rows={8} className="font-mono text-xs" />
      <label className="text-sm text-soft">
        Or a file, one address a line:{' '}
        <input
          type="file"
          accept=".csv,.txt"
          onChange={(event) => void event.target.files?.[0]?.text().then((text) => form.setValue('addresses', text))}
        />
      </label>
    </Ask>
  );
}

function Lift({ one, onClose, onDone }: { one: SuppressionView; onClose: () => void; onDone: () => Promise<unknown> }) {
  const form = useAsked(liftInput, { why: '' });
  return (
    <Ask
      isOpen
      onClose={onClose}
      title={`Remove ${one.address}`}
      act="Remove"
      isDanger
      about={
        <>
          It is there because: {one.reason}. Consent stays as it is; writing to an address that bounced or complained harms every other mail
          of the store.
        </>
      }
      form={form}
      onAct={async ({ why }) => {
        await api(`/suppressions?${new URLSearchParams({ channel: one.channel, address: one.address, why })}`, { method: 'DELETE' });
        await onDone();
      }}
    >
      <Entry form={form} name="why" label="Why it may be written to again" autoFocus maxLength={200} />
    </Ask>
  );
}
