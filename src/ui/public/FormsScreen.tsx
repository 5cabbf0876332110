'use client';

import { useQuery } from '@tanstack/react-query';
import { Plus } from 'lucide-react';
import Link from 'next/link';
import { useRouter } from 'next/navigation';
import { useState } from 'react';
import type { FormView } from '@/core/api';
import { api, Ask, Button, Empty, Failed, Field, inputClass, Label, Page, sayCount, sayDate, tdClass, thClass, useStore } from '../kit';

/** Sign-up and update forms, with what came of each. */
export function FormsScreen() {
  const store = useStore();
  const router = useRouter();
  const { data, error, refetch } = useQuery({ queryKey: ['forms'], queryFn: () => api<{ forms: FormView[] }>('/forms') });
  const [isMaking, setMaking] = useState(false);
  const [name, setName] = useState('');
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
        <Button kind="primary" onClick={() => setMaking(true)}>
          <Plus size={16} aria-hidden="true" />
          New form
        </Button>
      }
    >
      <div className="overflow-x-auto rounded-md border border-line bg-panel">
        <table className="w-full">
          <thead className="border-b border-line text-xs text-soft">
            <tr>
              <th scope="col" className={thClass}>
                Form
              </th>
              <th scope="col" className={thClass}>
                State
              </th>
              <th scope="col" className={`${thClass} text-right`}>
                Submitted, ever
              </th>
              <th scope="col" className={`${thClass} text-right`}>
                Submitted, 30 days
              </th>
              <th scope="col" className={`${thClass} text-right`}>
                Wait for the click
              </th>
              <th scope="col" className={thClass}>
                Flows that listen
              </th>
              <th scope="col" className={`${thClass} text-right`}>
                Changed
              </th>
            </tr>
          </thead>
          <tbody>
            {data?.forms.map((form) => (
              <tr
                key={form.key}
                className="cursor-pointer border-b border-line last:border-0 hover:bg-wash"
                onClick={() => router.push(`/data/forms/${form.key}`)}
              >
                <td className={tdClass}>
                  <Link
                    href={`/data/forms/${form.key}`}
                    className="font-semibold hover:underline"
                    onClick={(event) => event.stopPropagation()}
                  >
                    {form.name}
                  </Link>
                  <div className="font-mono text-xs text-soft">{form.address.replace(/^https?:\/\//, '')}</div>
                </td>
                <td className={tdClass}>{form.isOpen ? <span className="text-good">open</span> : <Label tone="caution">closed</Label>}</td>
                <td className={`${tdClass} num`}>{sayCount(form.submitted)}</td>
                <td className={`${tdClass} num`}>{sayCount(form.submitted30d)}</td>
                <td className={`${tdClass} num`}>
                  {form.document.doubleOptIn ? sayCount(form.waiting) : <span className="text-soft">not asked</span>}
                </td>
                <td className={`${tdClass} text-sm`}>
                  {form.flows.length ? form.flows.map((flow) => flow.name).join(', ') : <span className="text-soft">none</span>}
                </td>
                <td className={`${tdClass} num`}>{sayDate(form.changedAt, store.zone)}</td>
              </tr>
            ))}
          </tbody>
        </table>
        {!data ? (
          <Empty title="Loading…" />
        ) : (
          !data.forms.length && <Empty title="No form yet">Make one: it is ready to be filled in at once, with double opt-in.</Empty>
        )}
      </div>
      {isMaking && (
        <Ask
          isOpen
          onClose={() => setMaking(false)}
          title="New form"
          act="Create"
          canAct={Boolean(name.trim())}
          onAct={async () => {
            const made = await api<FormView>('/forms', { method: 'POST', body: { name } });
            router.push(`/data/forms/${made.key}`);
          }}
        >
          <Field label="Name" hint="It is also the first title; both can be changed.">
            <input
              autoFocus
              value={name}
              maxLength={80}
              placeholder="Newsletter"
              onChange={(event) => setName(event.target.value)}
              className={inputClass}
            />
          </Field>
        </Ask>
      )}
    </Page>
  );
}
