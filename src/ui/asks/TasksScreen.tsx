'use client';

import { useQuery, useQueryClient } from '@tanstack/react-query';
import { Check } from 'lucide-react';
import { useMemo, useState } from 'react';
import { toast } from 'sonner';
import { taskInput, type TasksView, type TaskView } from '@/core/api';
import {
  api,
  Ask,
  Button,
  Empty,
  Entry,
  Failed,
  Field,
  inputClass,
  isoOf,
  Label,
  Named,
  NotKnown,
  Page,
  plural,
  sayMoment,
  Table,
  type TableColumn,
  useAsked,
  useStore,
  Link,
} from '../kit';

type State = TaskView['state'];
const STATES: readonly (readonly [State, string])[] = [
  ['open', 'Open'],
  ['done', 'Done'],
  ['declined', 'Will not be done'],
];

/** What flows have asked colleagues to do: what is due first stands first; closing one lets its person go on. */
export function TasksScreen({ initial }: { initial: TasksView }) {
  const { zone } = useStore();
  const client = useQueryClient();
  const [state, setState] = useState<State>('open');
  const [owner, setOwner] = useState('');
  const [closing, setClosing] = useState<{ task: TaskView; to: 'done' | 'declined' } | null>(null);
  const { data, error, refetch } = useQuery({
    queryKey: ['tasks', state],
    queryFn: () => api<TasksView>(`/tasks?state=${state}`),
    ...(state === 'open' && { initialData: initial }),
    refetchInterval: 30_000,
  });
  const owners = [...new Set(data?.tasks.flatMap((task) => task.owner || []) ?? [])].sort();
  const rows = data?.tasks.filter((task) => !owner || task.owner === owner);
  const columns = useMemo<TableColumn<TaskView>[]>(
    () => [
      {
        key: 'title',
        name: 'Task',
        value: (task) => task.title,
        show: (task) => (
          <div>
            <p className="font-semibold">{task.title}</p>
            {task.text && <p className="max-w-[420px] whitespace-pre-line text-soft">{task.text}</p>}
            {task.note && <p className="max-w-[420px] whitespace-pre-line">“{task.note}”</p>}
          </div>
        ),
      },
      {
        key: 'person',
        name: 'About',
        value: (task) => task.person.name,
        show: (task) => <Named href={`/people/${encodeURIComponent(task.person.id)}`} name={task.person.name || task.person.id} />,
      },
      { key: 'owner', name: 'Who', value: (task) => task.owner, show: (task) => task.owner || <NotKnown what="anybody" /> },
      {
        key: 'due',
        name: state === 'open' ? 'Due' : 'Closed',
        value: (task) => isoOf(task.closedAt ?? task.due),
        show: (task) =>
          task.closedAt ? (
            `${sayMoment(task.closedAt, zone)}${task.closedBy ? ` by ${task.closedBy}` : ''}`
          ) : (
            <span className="grid justify-items-start gap-1">
              {sayMoment(task.due, zone)}
              {task.isLate && <Label tone="caution">late: they have gone on without it</Label>}
            </span>
          ),
      },
      {
        key: 'flow',
        name: 'Flow',
        value: (task) => task.flow.name,
        show: (task) => (
          <Link href={`/flows/${task.flow.key}`} className="hover:underline">
            {task.flow.name}
          </Link>
        ),
      },
      ...(state === 'open'
        ? [
            {
              key: 'acts',
              name: 'Acts',
              isActs: true,
              show: (task: TaskView) => (
                <span className="flex justify-end gap-2">
                  <Button changes="/tasks" onClick={() => setClosing({ task, to: 'declined' })}>
                    Will not be done
                  </Button>
                  <Button changes="/tasks" kind="primary" onClick={() => setClosing({ task, to: 'done' })}>
                    <Check size={16} aria-hidden="true" /> Done
                  </Button>
                </span>
              ),
            },
          ]
        : []),
    ],
    [state, zone],
  );
  if (error) return <Failed error={error} retry={() => void refetch()} />;
  return (
    <Page
      title="Tasks"
      back={{ href: '/people', name: 'All people' }}
      about="What flows have asked colleagues to do for somebody. Closing one lets that person go on in the flow at once."
    >
      <div className="mb-3 flex flex-wrap items-end gap-3">
        <div role="group" aria-label="Which tasks" className="flex overflow-hidden rounded-md border border-line">
          {STATES.map(([one, words]) => (
            <button
              key={one}
              type="button"
              aria-pressed={state === one}
              onClick={() => setState(one)}
              className={`h-8 px-3 ${state === one ? 'bg-wash font-semibold' : 'bg-panel'}`}
            >
              {words}
            </button>
          ))}
        </div>
        {owners.length > 0 && (
          <div className="w-[220px]">
            <Field label="Who does it">
              <select value={owner} onChange={(event) => setOwner(event.target.value)} className={inputClass}>
                <option value="">anybody</option>
                {owners.map((one) => (
                  <option key={one}>{one}</option>
                ))}
              </select>
            </Field>
          </div>
        )}
        {data && data.total > data.tasks.length && (
          <p className="text-soft">
            {plural(data.tasks.length, 'task', 'tasks')} of {data.total.toLocaleString('en-IE')} are shown
          </p>
        )}
      </div>
      <div className="rounded-md border border-line bg-panel">
        <Table name="Tasks" rows={rows} columns={columns} keyOf={(task) => task.id} />
        {!rows ? (
          <Empty title="Loading…" />
        ) : (
          !rows.length && (
            <Empty title={state === 'open' ? 'Nothing is to be done' : 'No such task'}>
              {state === 'open' && 'Tasks come from flows with the step “Task”: such as calling somebody whose large order was cancelled.'}
            </Empty>
          )
        )}
      </div>
      {closing && (
        <CloseDialog
          {...closing}
          onClose={() => setClosing(null)}
          onDone={() => {
            toast.success('Closed.');
            void client.invalidateQueries({ queryKey: ['tasks'] });
          }}
        />
      )}
    </Page>
  );
}

function CloseDialog({ task, to, onClose, onDone }: { task: TaskView; to: 'done' | 'declined'; onClose: () => void; onDone: () => void }) {
  const form = useAsked(taskInput, { state: to, note: '' });
  return (
    <Ask
      isOpen
      onClose={onClose}
      title={to === 'done' ? `“${task.title}” is done` : `“${task.title}” will not be done`}
      act={to === 'done' ? 'Done' : 'Close the task'}
      form={form}
      onAct={async (body) => {
        await api(`/tasks/${task.id}`, { method: 'PATCH', body });
        onDone();
      }}
    >
      <p className="text-soft">
        {task.person.name || 'Whoever it is about'} goes on in “{task.flow.name}”
        {task.isLate ? ' already: the time for it is over' : ' at once'}.
      </p>
      <Entry
        form={form}
        name="note"
        label="A word on it"
        as="textarea"
        rows={3}
        hint="Later steps of the flow can look at it, and colleagues read it here."
      />
    </Ask>
  );
}
