'use client';

import { useQuery } from '@tanstack/react-query';
import { useDeferredValue, useState } from 'react';
import { useWatch } from 'react-hook-form';
import * as z from 'zod';
import {
  consentInput,
  letterInput,
  tagInput,
  type AttributeView,
  type DirectoryView,
  type FlowListView,
  type ListView,
  type PersonView,
  type TypeView,
} from '@/core/api';
import { fitAttribute, guessType } from '@/core/people';
import { sayName, type Value } from '@/core/rules';
import { toast } from 'sonner';
import { plainLetter, type Email } from '@/core/messages';
import { api, Ask, Button, Empty, Entry, Field, inputClass, plural, useAsked } from '../kit';
import { LetterDesk } from '../letters';
import { ConsentSaid } from './ConsentSaid';

export type PersonAct = 'edit' | 'tag' | 'list' | 'flow' | 'write' | 'event' | 'consent' | 'merge' | 'suppress' | 'erase';

interface Props {
  readonly person: PersonView;
  readonly path: string;
  readonly onClose: () => void;
  readonly onDone: () => Promise<void>;
  readonly onGone: (to: string) => void;
}

/** What can be done with one person, each asked for in a dialog of its own. */
export function PersonDialog({ act, ...props }: Props & { act: PersonAct }) {
  switch (act) {
    case 'edit':
      return <Edit {...props} />;
    case 'tag':
      return <Tag {...props} />;
    case 'list':
      return <List {...props} />;
    case 'flow':
      return <Flow {...props} />;
    case 'write':
      return <Write {...props} />;
    case 'event':
      return <Record {...props} />;
    case 'consent':
      return <Consent {...props} />;
    case 'merge':
      return <MergeWith {...props} />;
    case 'suppress':
      return (
        <Ask
          isOpen
          onClose={props.onClose}
          title="Never write to this address"
          act="Suppress"
          isDanger
          onAct={async () => {
            await api(`${props.path}/suppress`, { method: 'POST', body: {} });
            await props.onDone();
          }}
          about={
            <>
              {props.person.email} is put on the list of addresses that nothing marketing is ever sent to, whatever else says. It can be
              taken off under Data, Consent.
            </>
          }
        />
      );
    case 'erase':
      return <Erase {...props} />;
  }
}

function Edit({ person, path, onClose, onDone }: Props) {
  const attributes = useQuery({ queryKey: ['attributes'], queryFn: () => api<{ attributes: AttributeView[] }>('/attributes?count=no') });
  const [changed, setChanged] = useState<Record<string, string>>({});
  const [added, setAdded] = useState('');
  const first = ['firstName', 'lastName', 'email', 'phone', 'country', 'zone'];
  const names = [...new Set([...first, ...Object.keys(person.attributes), ...Object.keys(changed)])];
  const textOf = (value: Value | undefined): string =>
    value === undefined || value === null
      ? ''
      : typeof value === 'string'
        ? value
        : Array.isArray(value)
          ? value.join(', ')
          : typeof value === 'object'
            ? JSON.stringify(value)
            : String(value);
  const valueOf = (name: string, text: string): Value => {
    if (text.trim() === '') return null;
    const type = attributes.data?.attributes.find((one) => one.name === name)?.type ?? guessType(person.attributes[name] ?? '') ?? 'text';
    // what does not fit goes as it was typed: the server says what is wrong with it
    return fitAttribute(type, text) ?? text;
  };
  return (
    <Ask
      isOpen
      onClose={onClose}
      title="Edit attributes"
      act="Save"
      width={560}
      canAct={Object.keys(changed).length > 0}
      about="A field that is emptied is taken away. What you enter counts from now on; a later word from the shop replaces it."
      onAct={async () => {
        await api(path, {
          method: 'PATCH',
          body: { attributes: Object.fromEntries(Object.entries(changed).map(([name, text]) => [name, valueOf(name, text)])) },
        });
        await onDone();
      }}
    >
      <div className="grid max-h-[46vh] grid-cols-2 gap-3 overflow-y-auto pr-1">
        {names.map((name) => (
          <Field key={name} label={sayName(name)}>
            <input
              value={changed[name] ?? textOf(person.attributes[name])}
              maxLength={2000}
              onChange={(event) => setChanged({ ...changed, [name]: event.target.value })}
              className={inputClass}
            />
          </Field>
        ))}
      </div>
      <Field label="Another attribute" hint="Pick one that is on record, or type a new name and press Enter.">
        <input
          list="known-attributes"
          value={added}
          onChange={(event) => setAdded(event.target.value)}
          onKeyDown={(event) => {
            if (event.key !== 'Enter') return;
            event.preventDefault();
            if (/^[\p{L}_][\p{L}\p{N}_.-]*$/u.test(added.trim())) {
              setChanged({ ...changed, [added.trim()]: '' });
              setAdded('');
            }
          }}
          className={inputClass}
        />
      </Field>
      <datalist id="known-attributes">
        {attributes.data?.attributes
          .filter((one) => !names.includes(one.name))
          .map((one) => (
            <option key={one.name} value={one.name} />
          ))}
      </datalist>
    </Ask>
  );
}

function Tag({ person, path, onClose, onDone }: Props) {
  const tags = useQuery({ queryKey: ['tags'], queryFn: () => api<{ tags: { tag: string }[] }>('/tags') });
  const form = useAsked(tagInput, { tag: '' });
  return (
    <Ask
      isOpen
      onClose={onClose}
      title="Tag this person"
      act="Add"
      form={form}
      onAct={async ({ tag }) => {
        await api(`${path}/tags`, { method: 'POST', body: { tag, isOn: true } });
        await onDone();
      }}
    >
      <Entry form={form} name="tag" label="Tag" autoFocus list="tags-there" maxLength={60} />
      <datalist id="tags-there">
        {tags.data?.tags
          .filter((one) => !person.tags.includes(one.tag))
          .map((one) => (
            <option key={one.tag} value={one.tag} />
          ))}
      </datalist>
    </Ask>
  );
}

function List({ person, path, onClose, onDone }: Props) {
  const lists = useQuery({ queryKey: ['lists'], queryFn: () => api<{ lists: ListView[] }>('/lists') });
  const free = lists.data?.lists.filter((list) => !person.lists.some((one) => one.key === list.key)) ?? [];
  const [chosen, setChosen] = useState('');
  const list = free.find((one) => one.key === (chosen || free[0]?.key));
  return (
    <Ask
      isOpen
      onClose={onClose}
      title="Add to a list"
      act="Add"
      canAct={Boolean(list)}
      about={
        list?.doubleOptIn && person.consent.email.state !== 'given'
          ? 'This list asks for confirmation: a mail goes out first, and they are on it when they press its button.'
          : undefined
      }
      onAct={async () => {
        const { state } = await api<{ state: string }>(`${path}/lists`, { method: 'POST', body: { list: list!.key, isOn: true } });
        toast.success(state === 'asked' ? 'A mail that asks them to confirm is on its way.' : `On “${list!.name}”.`);
        await onDone();
      }}
    >
      {lists.data && !free.length ? (
        <p className="text-soft">There is no other list. Make one under People, Lists.</p>
      ) : (
        <Field label="List">
          <select autoFocus value={list?.key ?? ''} onChange={(event) => setChosen(event.target.value)} className={inputClass}>
            {free.map((one) => (
              <option key={one.key} value={one.key}>
                {one.name}
              </option>
            ))}
          </select>
        </Field>
      )}
    </Ask>
  );
}

function Flow({ path, onClose, onDone }: Props) {
  const flows = useQuery({ queryKey: ['flows'], queryFn: () => api<FlowListView>('/flows') });
  const on = flows.data?.flows.filter((flow) => flow.state === 'on') ?? [];
  const [chosen, setChosen] = useState('');
  const flow = on.find((one) => one.key === (chosen || on[0]?.key));
  return (
    <Ask
      isOpen
      onClose={onClose}
      title="Start a flow"
      act="Start"
      canAct={Boolean(flow)}
      about="The person enters at once, with the data of their last trigger event. The entry rule and re-entry still hold; the time line says what was decided."
      onAct={async () => {
        await api(`${path}/flows`, { method: 'POST', body: { flow: flow!.key } });
        toast.success(`“${flow!.name}” starts.`);
        await onDone();
      }}
    >
      {flows.data && !on.length ? (
        <p className="text-soft">No flow is on.</p>
      ) : (
        <Field label="Flow" hint={flow ? `Usually started by: ${flow.trigger}` : undefined}>
          <select autoFocus value={flow?.key ?? ''} onChange={(event) => setChosen(event.target.value)} className={inputClass}>
            {on.map((one) => (
              <option key={one.key} value={one.key}>
                {one.name}
              </option>
            ))}
          </select>
        </Field>
      )}
    </Ask>
  );
}

function Write({ person, path, onClose, onDone }: Props) {
  const { email } = person.consent;
  const form = useAsked(letterInput, { kind: email.reachable ? 'marketing' : 'service', subject: '', text: '' });
  const kind = useWatch({ control: form.control, name: 'kind' });
  const [letter, setLetter] = useState<Email | null>(null);
  if (letter)
    return (
      <LetterDesk
        title={`To ${person.name ?? person.email}`}
        letter={letter}
        reader={{ id: person.id, name: person.name ?? person.email ?? '', tells: 'gets it' }}
        act="Send"
        canAct={kind === 'service' || email.reachable}
        onClose={onClose}
        onAct={async (message) => {
          await api(`${path}/letters`, { method: 'POST', body: { message } });
          toast.success('It is on its way.');
          await onDone();
          onClose();
        }}
      />
    );
  return (
    <Ask
      isOpen
      onClose={onClose}
      title={`Write to ${person.name ?? person.email}`}
      act="Send"
      width={560}
      canAct={kind === 'service' || email.reachable}
      form={form}
      onAct={async (letter) => {
        await api(`${path}/letters`, { method: 'POST', body: letter });
        toast.success('It is on its way.');
        await onDone();
      }}
    >
      <Entry
        form={form}
        name="kind"
        as="select"
        label="Kind"
        hint={
          kind === 'service'
            ? 'About something they asked or ordered: needs no consent, and must not advertise.'
            : email.reachable
              ? 'Carries an unsubscribe link.'
              : `Cannot go out: ${email.because}.`
        }
      >
        <option value="marketing">Marketing</option>
        <option value="service">Service</option>
      </Entry>
      <Entry form={form} name="subject" label="Subject" autoFocus maxLength={300} />
      <Entry
        form={form}
        name="text"
        as="textarea"
        label="Text"
        hint={'{{ person.firstName | fallback: "there" }} stands for their name.'}
        rows={8}
        maxLength={10_000}
      />
      <div>
        <Button
          onClick={() => {
            const { subject, text } = form.getValues();
            setLetter(plainLetter({ kind, subject, text }));
          }}
        >
          Write it as a letter…
        </Button>
      </div>
    </Ask>
  );
}

/** An event as it is typed: its properties as a text of JSON. */
const typedEvent = z.strictObject({
  type: z.string().trim().min(1, 'is empty').max(120),
  data: z.string().transform((text, said): Record<string, unknown> => {
    try {
      const value: unknown = JSON.parse(text);
      if (value !== null && typeof value === 'object' && !Array.isArray(value)) return value as Record<string, unknown>;
      said.issues.push({
        code: 'custom',
        input: text,
        message: 'is not a JSON object',
        params: { right: '{ } with a name for each value' },
      });
    } catch (error) {
      said.issues.push({ code: 'custom', input: text, message: 'is not JSON', params: { right: (error as Error).message } });
    }
    return z.NEVER;
  }),
});

function Record({ path, onClose, onDone }: Props) {
  const types = useQuery({ queryKey: ['catalogue'], queryFn: () => api<{ types: TypeView[] }>('/catalogue') });
  const form = useAsked(typedEvent, { type: '', data: '{\n}' });
  return (
    <Ask
      isOpen
      onClose={onClose}
      title="Record an event"
      act="Add"
      width={560}
      about="It goes through the same door as one from the shop: it can start flows and count as an order."
      form={form}
      onAct={async (event) => {
        await api(`${path}/events`, { method: 'POST', body: event });
        await onDone();
      }}
    >
      <Entry form={form} name="type" label="Type" autoFocus list="event-types" placeholder="app.reminder_set" className="font-mono" />
      <datalist id="event-types">
        {types.data?.types
          .filter((one) => !one.type.startsWith('message.'))
          .map((one) => (
            <option key={one.type} value={one.type} />
          ))}
      </datalist>
      <Entry form={form} name="data" as="textarea" label="Properties, as JSON" rows={7} className="font-mono text-xs" />
    </Ask>
  );
}

function Consent({ path, onClose, onDone }: Props) {
  const form = useAsked(consentInput, { channel: 'email', state: 'given', how: '', wording: '' });
  return (
    <Ask
      isOpen
      onClose={onClose}
      title="Enter consent"
      act="Save"
      about="It is kept for good, with your name, and can be shown years later. Nobody can edit it, only say something newer."
      form={form}
      onAct={async ({ wording, ...said }) => {
        await api(`${path}/consent`, { method: 'POST', body: { ...said, ...(wording?.trim() && { wording }) } });
        await onDone();
      }}
    >
      <ConsentSaid form={form} />
      <Entry form={form} name="how" label="How" hint="For example: told us on the phone on Tuesday" autoFocus maxLength={200} />
      <Entry form={form} name="wording" label="Wording, if there was one" maxLength={2000} />
    </Ask>
  );
}

function MergeWith({ person, path, onClose, onGone }: Props) {
  const [words, setWords] = useState(person.maybeSame[0]?.email ?? '');
  const asked = useDeferredValue(words.trim());
  const [chosen, setChosen] = useState<{ id: string; name: string } | null>(null);
  const found = useQuery({
    queryKey: ['people', 'merge', asked],
    queryFn: ({ signal }) => api<DirectoryView>(`/people?limit=8&count=no&q=${encodeURIComponent(asked)}`, { signal }),
    enabled: asked.length >= 2,
  });
  const others = found.data?.people.filter((one) => one.number !== person.number) ?? [];
  return (
    <Ask
      isOpen
      onClose={onClose}
      title="Merge with another person"
      act={chosen ? `Merge with ${chosen.name}` : 'Merge'}
      canAct={chosen !== null}
      about={
        <>
          The older one’s id stays, the newest word wins for each attribute, all events are kept, and of their consents the stricter holds.
          It can be undone for 30 days.
        </>
      }
      onAct={async () => {
        const { id } = await api<{ id: string }>(`${path}/merge`, { method: 'POST', body: { other: chosen!.id } });
        toast.success('They are one now.');
        onGone(`/people/${encodeURIComponent(id)}`);
      }}
    >
      <Field label="Whom">
        <input
          autoFocus
          type="search"
          placeholder="Name, email, phone or id"
          value={words}
          onChange={(event) => {
            setWords(event.target.value);
            setChosen(null);
          }}
          className={inputClass}
        />
      </Field>
      <div role="radiogroup" aria-label="People found" className="grid gap-1">
        {others.map((one) => (
          <label key={one.number} className="flex cursor-pointer items-center gap-2 rounded-md px-2 py-1 hover:bg-wash">
            <input
              type="radio"
              name="other"
              checked={chosen?.id === one.id}
              onChange={() => setChosen({ id: one.id, name: one.name ?? one.email ?? one.id })}
            />
            <span className="font-semibold">{one.name ?? 'name not known'}</span>
            <span className="truncate text-soft" title={one.email ?? one.id}>
              {one.email ?? one.id}
            </span>
            <span className="ml-auto text-xs text-soft">{plural(one.orders, 'order', 'orders')}</span>
          </label>
        ))}
        {asked.length >= 2 && found.data && !others.length && <Empty title="Nobody else is found by that" />}
      </div>
    </Ask>
  );
}

/** Typed in full, so that nobody does it by a slip. */
const eraseTyped = z.strictObject({
  word: z
    .string()
    .trim()
    .refine((text) => text.toLowerCase() === 'erase', { message: 'is not the word', params: { right: 'erase' } }),
});

function Erase({ person, path, onClose, onGone }: Props) {
  const form = useAsked(eraseTyped, { word: '' });
  return (
    <Ask
      isOpen
      onClose={onClose}
      title="Erase this person"
      act="Erase"
      isDanger
      about={
        <>
          Name, addresses, attributes, consent and events of <b>{person.name ?? person.email ?? person.id}</b> go for good. Counts and
          takings stay, with nothing that leads back, and an import does not bring them back. This cannot be undone.
        </>
      }
      form={form}
      onAct={async () => {
        await api(path, { method: 'DELETE' });
        toast.success('Erased.');
        onGone('/people');
      }}
    >
      <Entry form={form} name="word" label="Type “erase” to go on" autoFocus />
    </Ask>
  );
}
