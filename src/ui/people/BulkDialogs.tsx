'use client';

import { useQuery } from '@tanstack/react-query';
import { useMemo, type ReactNode } from 'react';
import { useWatch, type FieldValues } from 'react-hook-form';
import * as z from 'zod';
import { bulkConsentInput, tagInput, type AttributeView, type BulkAct, type FlowListView, type ListView } from '@/core/api';
import { ATTRIBUTE_TYPE_WORDS, fitAttribute, type AttributeType } from '@/core/people';
import { sayName, type Value } from '@/core/rules';
import { api, Ask, Entry, plural, useAsked, type Asked } from '../kit';
import { ConsentSaid } from './ConsentSaid';

interface Props {
  readonly kind: BulkAct['act'];
  /** the act as its button says it */
  readonly name: string;
  readonly count: number;
  readonly onClose: () => void;
  readonly onStart: (act: BulkAct) => Promise<void>;
}

/** What can be done with everybody who is chosen, each asked for in a dialog of its own that says how many they are. */
export function BulkDialog(props: Props) {
  switch (props.kind) {
    case 'tag':
    case 'untag':
      return <TagMany {...props} kind={props.kind} />;
    case 'list':
    case 'unlist':
      return <ListMany {...props} kind={props.kind} />;
    case 'set':
      return <SetMany {...props} />;
    case 'consent':
      return <ConsentMany {...props} />;
    case 'start':
      return <StartMany {...props} />;
    case 'suppress':
      return <Question {...props} isDanger onAct={() => props.onStart({ act: 'suppress' })} />;
    case 'erase':
      return <EraseMany {...props} />;
  }
}

function Question<In extends FieldValues, Out>({
  name,
  count,
  act,
  about = 'It can be undone when it is done.',
  ...rest
}: Props & {
  act?: string;
  about?: string;
  isDanger?: boolean;
  canAct?: boolean;
  form?: Asked<In, Out>;
  onAct: (fields: Out) => Promise<unknown>;
  children?: ReactNode;
}) {
  const people = plural(count, 'person', 'people');
  return <Ask isOpen {...rest} title={`${name}: ${people}`} act={act ? `${act} ${people}` : `Do it for ${people}`} about={about} />;
}

function TagMany(props: Props & { kind: 'tag' | 'untag' }) {
  const form = useAsked(tagInput, { tag: '' });
  return (
    <Question {...props} form={form} onAct={({ tag }) => props.onStart({ act: props.kind, tag })}>
      <Entry form={form} name="tag" label="Tag" autoFocus maxLength={60} />
    </Question>
  );
}

function StartMany(props: Props) {
  const { data } = useQuery({ queryKey: ['flows'], queryFn: () => api<FlowListView>('/flows') });
  const form = useAsked(z.strictObject({ flow: z.string().min(1, 'is not chosen') }), { flow: '' });
  return (
    <Question
      {...props}
      form={form}
      about={
        'Each enters at once, as far as the flow’s entry rule and how often it may start let them. ' +
        'This cannot be undone; they can be taken out of it one by one.'
      }
      onAct={({ flow }) => props.onStart({ act: 'start', flow })}
    >
      <Entry form={form} name="flow" label="Flow" as="select">
        <option value="">Choose one that is on</option>
        {data?.flows
          .filter((flow) => flow.state === 'on')
          .map((flow) => (
            <option key={flow.key} value={flow.key}>
              {flow.name}
            </option>
          ))}
      </Entry>
    </Question>
  );
}

function ListMany(props: Props & { kind: 'list' | 'unlist' }) {
  const { data } = useQuery({ queryKey: ['lists'], queryFn: () => api<{ lists: ListView[] }>('/lists') });
  const form = useAsked(z.strictObject({ list: z.string() }), { list: '' });
  return (
    <Question
      {...props}
      canAct={Boolean(data?.lists.length)}
      form={form}
      onAct={({ list }) => props.onStart({ act: props.kind, list: list || data!.lists[0]!.key })}
    >
      {data?.lists.length === 0 ? (
        <p className="text-soft">There is no list yet. Make one under Lists.</p>
      ) : (
        <Entry form={form} name="list" as="select" label="List">
          {data?.lists.map((list) => (
            <option key={list.key} value={list.key}>
              {list.name}
            </option>
          ))}
        </Entry>
      )}
    </Question>
  );
}

/** An attribute and its value as it is typed, read as the attribute's type has it; nothing typed takes it away. */
const settingOf = (typeOf: (name: string) => AttributeType) =>
  z
    .strictObject({ name: z.string().min(1, 'is empty'), text: z.string().max(2000) })
    .transform(({ name, text }, said): { name: string; value: Value } => {
      const value = text.trim() === '' ? null : fitAttribute(typeOf(name), text);
      if (value !== undefined) return { name, value };
      const right = ATTRIBUTE_TYPE_WORDS[typeOf(name)];
      said.issues.push({ code: 'custom', input: text, path: ['text'], message: 'does not fit the attribute', params: { right } });
      return z.NEVER;
    });

function SetMany(props: Props) {
  const { data } = useQuery({ queryKey: ['attributes'], queryFn: () => api<{ attributes: AttributeView[] }>('/attributes?count=no') });
  const schema = useMemo(() => settingOf((name) => data?.attributes.find((one) => one.name === name)?.type ?? 'text'), [data]);
  const form = useAsked(schema, { name: '', text: '' });
  const name = useWatch({ control: form.control, name: 'name' });
  return (
    <Question {...props} canAct={Boolean(name)} form={form} onAct={(setting) => props.onStart({ act: 'set', ...setting })}>
      <Entry form={form} name="name" as="select" label="Attribute" autoFocus>
        <option value="">Which one?</option>
        {data?.attributes
          .filter((one) => one.name !== 'email' && !one.isRetired && !one.goesTo)
          .map((one) => (
            <option key={one.name} value={one.name}>
              {sayName(one.name)}
            </option>
          ))}
      </Entry>
      <Entry form={form} name="text" label="Value" hint="Left empty, the attribute is taken away." />
    </Question>
  );
}

function ConsentMany(props: Props) {
  const form = useAsked(bulkConsentInput, { channel: 'email', state: 'withdrawn', how: '' });
  return (
    <Question {...props} form={form} onAct={(said) => props.onStart({ act: 'consent', ...said })}>
      <ConsentSaid form={form} />
      <Entry
        form={form}
        name="how"
        label="How they agreed or asked"
        hint="Kept with each consent, for whoever asks for proof."
        maxLength={200}
      />
    </Question>
  );
}

function EraseMany(props: Props) {
  const schema = useMemo(
    () =>
      z.strictObject({
        typed: z
          .string()
          .trim()
          .refine((text) => text === String(props.count), { message: 'is not their number', params: { right: String(props.count) } }),
      }),
    [props.count],
  );
  const form = useAsked(schema, { typed: '' });
  return (
    <Question
      {...props}
      act="Erase"
      isDanger
      about="Their identity, attributes, consent and events go for good; counts and takings stay, with nothing that leads back. This cannot be undone."
      form={form}
      onAct={() => props.onStart({ act: 'erase' })}
    >
      <Entry
        form={form}
        name="typed"
        label={`Type ${props.count} to erase ${plural(props.count, 'person', 'people')}`}
        autoFocus
        inputMode="numeric"
      />
    </Question>
  );
}
