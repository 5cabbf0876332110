'use client';

import { useQuery } from '@tanstack/react-query';
import { Plus } from 'lucide-react';
import { useRouter } from 'next/navigation';
import { useMemo, useState } from 'react';
import { nameInput, type FormView } from '@/core/api';
import { cardColumn, useCards } from '../cards';
import {
  api,
  Ask,
  Button,
  Empty,
  Entry,
  Failed,
  isoOf,
  Label,
  Page,
  sayCount,
  sayDate,
  Table,
  type TableColumn,
  useAsked,
  useStore,
  Link,
} from '../kit';

const columnsOf = (zone: string): TableColumn<FormView>[] => [
  {
    key: 'name',
    name: 'Form',
    value: (form) => form.name,
    show: (form) => (
      <>
        <Link href={`/data/forms/${form.key}`} className="font-semibold hover:underline">
          {form.name}
        </Link>
        <div className="font-mono text-xs text-soft">{form.address.replace(/^https?:\/\//, '')}</div>
      </>
    ),
  },
  {
    key: 'state',
    name: 'State',
    value: (form) => (form.isOpen ? 'open' : 'closed'),
    show: (form) => (form.isOpen ? <span className="text-good">open</span> : <Label tone="caution">closed</Label>),
  },
  {
    key: 'submitted',
    name: 'Submitted, ever',
    isNumber: true,
    value: (form) => form.submitted,
  },
  {
    key: 'recently',
    name: 'Submitted, 30 days',
    isNumber: true,
    value: (form) => form.submitted30d,
  },
  {
    key: 'waiting',
    name: 'Wait for the click',
    isNumber: true,
    value: (form) => (form.document.doubleOptIn ? form.waiting : null),
    show: (form) => (form.document.doubleOptIn ? sayCount(form.waiting) : <span className="text-soft">not asked</span>),
  },
  {
    key: 'flows',
    name: 'Flows that listen',
    value: (form) => form.flows.map((flow) => flow.name).join(', '),
    show: (form) => form.flows.map((flow) => flow.name).join(', ') || <span className="text-soft">none</span>,
    className: 'text-sm',
  },
  {
    key: 'changed',
    name: 'Changed',
    isNumber: true,
    value: (form) => isoOf(form.changedAt),
    show: (form) => sayDate(form.changedAt, zone),
  },
];

/** Sign-up and update forms, with what came of each. */
export function FormsScreen() {
  const store = useStore();
  const router = useRouter();
  const { data, error, refetch } = useQuery({ queryKey: ['forms'], queryFn: () => api<{ forms: FormView[] }>('/forms') });
  const cards = useCards('form');
  const columns = useMemo(() => [...columnsOf(store.zone), cardColumn<FormView>(cards, ({ key }) => key)], [store.zone, cards]);
  const [isMaking, setMaking] = useState(false);
  if (error) return <Failed error={error} retry={() => void refetch()} />;
  return (
    <Page
      title="Forms"
      about={
        <>
          For signing up and for updating what is on file: as a page of their own or inside the shop's. A submission is an event, and a flow
          can listen to one form, to several, or to all including those made later.
        </>
      }
      acts={
        <Button changes="/forms" kind="primary" onClick={() => setMaking(true)}>
          <Plus size={16} aria-hidden="true" />
          New form
        </Button>
      }
    >
      <div className="rounded-md border border-line bg-panel">
        <Table name="Forms" rows={data?.forms} columns={columns} keyOf={(form) => form.key} hrefOf={(form) => `/data/forms/${form.key}`} />
        {!data ? (
          <Empty title="Loading…" />
        ) : (
          !data.forms.length && <Empty title="No form yet">Make one: it is ready to be filled in at once, with double opt-in.</Empty>
        )}
      </div>
      {isMaking && <NewForm onClose={() => setMaking(false)} onDone={(made) => router.push(`/data/forms/${made.key}`)} />}
    </Page>
  );
}

function NewForm({ onClose, onDone }: { onClose: () => void; onDone: (form: FormView) => void }) {
  const form = useAsked(nameInput, { name: '' });
  return (
    <Ask
      isOpen
      onClose={onClose}
      title="New form"
      act="Create"
      form={form}
      onAct={async (body) => onDone(await api<FormView>('/forms', { method: 'POST', body }))}
    >
      <Entry
        form={form}
        name="name"
        label="Name"
        hint="It is also the first title; both can be changed."
        autoFocus
        maxLength={80}
        placeholder="Newsletter"
      />
    </Ask>
  );
}
