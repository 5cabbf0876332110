'use client';

import { useQuery } from '@tanstack/react-query';
import { Command } from 'cmdk';
import { useRouter } from 'next/navigation';
import { useDeferredValue, useState } from 'react';
import { toast } from 'sonner';
import type { DirectoryView, DueView, BroadcastItem, FlowListView } from '@/core/api';
import { sayDuration } from '@/core/time';
import { api, useStore } from '../kit';
import { MOVES, useMoveClock } from './Clock';
import { PLACES, SECTIONS } from './sections';

const groupClass =
  '[&_[cmdk-group-heading]]:px-3 [&_[cmdk-group-heading]]:pb-1 [&_[cmdk-group-heading]]:pt-3 ' +
  '[&_[cmdk-group-heading]]:text-xs [&_[cmdk-group-heading]]:font-semibold [&_[cmdk-group-heading]]:text-soft';
const itemClass = 'flex cursor-pointer items-center justify-between gap-4 rounded-md px-3 py-1.5 aria-selected:bg-wash';

/** Every screen, flow, person and act from the keyboard (Ctrl+K). */
export function SearchAndDo({
  isOpen,
  onOpenChange,
  signOut,
}: {
  isOpen: boolean;
  onOpenChange: (open: boolean) => void;
  signOut: () => Promise<void>;
}) {
  const router = useRouter();
  const store = useStore();
  const { move } = useMoveClock();
  const [words, setWords] = useState('');
  const asked = useDeferredValue(words.trim());
  const flows = useQuery({ queryKey: ['flows'], queryFn: () => api<FlowListView>('/flows'), enabled: isOpen });
  const broadcasts = useQuery({
    queryKey: ['broadcasts'],
    queryFn: () => api<{ broadcasts: BroadcastItem[] }>('/broadcasts'),
    enabled: isOpen,
  });
  const lists = useQuery({
    queryKey: ['lists'],
    queryFn: () => api<{ lists: { key: string; name: string }[] }>('/lists'),
    enabled: isOpen,
  });
  const forms = useQuery({
    queryKey: ['forms'],
    queryFn: () => api<{ forms: { key: string; name: string }[] }>('/forms'),
    enabled: isOpen,
  });
  const people = useQuery({
    queryKey: ['people', 'search', asked],
    queryFn: ({ signal }) => api<DirectoryView>(`/people?limit=8&count=no&q=${encodeURIComponent(asked)}`, { signal }),
    enabled: isOpen && asked.length >= 2,
  });

  const go = (href: string) => () => {
    onOpenChange(false);
    router.push(href);
  };
  const act = (work: () => Promise<unknown>) => () => {
    onOpenChange(false);
    void work();
  };
  const switchFlow = (key: string, name: string, to: 'pause' | 'resume') => async () => {
    try {
      if (to === 'resume' && (await api<DueView>(`/flows/${key}/due`)).people) {
        router.push(`/flows/${key}`);
        toast(`People were due while “${name}” was paused: press Resume and choose what becomes of it.`);
        return;
      }
      await api(`/flows/${key}/${to}`, { method: 'POST' });
      toast.success(to === 'pause' ? `“${name}” is paused.` : `“${name}” is on again.`);
      router.refresh();
    } catch (error) {
      toast.error((error as Error).message);
    }
  };

  return (
    <Command.Dialog
      open={isOpen}
      onOpenChange={onOpenChange}
      label="Search and do"
      // words as they are typed: loose matching puts flows above the person looked for
      filter={(value, search) => (value.toLowerCase().includes(search.trim().toLowerCase()) ? 1 : 0)}
      overlayClassName="fixed inset-0 z-40 bg-black/30"
      contentClassName="fixed left-1/2 top-[12vh] z-50 w-[560px] max-w-[92vw] -translate-x-1/2 rounded-md border border-line bg-panel"
    >
      <Command.Input
        value={words}
        onValueChange={setWords}
        placeholder="A screen, a flow, a person, something to do"
        className="h-12 w-full rounded-t-md border-b border-line bg-panel px-4 text-lg outline-none placeholder:text-soft"
      />
      <Command.List className="max-h-[50vh] overflow-y-auto p-2">
        <Command.Empty className="px-3 py-6 text-center text-soft">
          {people.isFetching ? 'Looking…' : `Nothing is called “${words}”.`}
        </Command.Empty>
        {!!people.data?.people.length && (
          <Command.Group heading="People" className={groupClass}>
            {people.data.people.map((person) => (
              <Command.Item
                key={person.id}
                value={`person ${person.id} ${words} ${person.email ?? ''} ${person.name ?? ''}`}
                onSelect={go(`/people/${encodeURIComponent(person.id)}`)}
                className={itemClass}
              >
                <span>{person.name ?? person.email ?? person.id}</span>
                <span className="text-xs text-soft">{person.email}</span>
              </Command.Item>
            ))}
          </Command.Group>
        )}
        <Command.Group heading="Flows" className={groupClass}>
          {broadcasts.data?.broadcasts.map(({ key, name }) => (
            <Command.Item key={`broadcast ${key}`} value={`broadcast ${name}`} onSelect={go(`/broadcasts/${key}`)} className={itemClass}>
              Broadcast: {name}
            </Command.Item>
          ))}
          {flows.data?.flows.map((flow) => (
            <Command.Item key={flow.key} value={`flow ${flow.name}`} onSelect={go(`/flows/${flow.key}`)} className={itemClass}>
              {flow.name}
            </Command.Item>
          ))}
        </Command.Group>
        {(!!lists.data?.lists.length || !!forms.data?.forms.length) && (
          <Command.Group heading="Lists and forms" className={groupClass}>
            {lists.data?.lists.map((list) => (
              <Command.Item key={list.key} value={`list ${list.name}`} onSelect={go(`/people/lists/${list.key}`)} className={itemClass}>
                {list.name}
                <span className="text-xs text-soft">list</span>
              </Command.Item>
            ))}
            {forms.data?.forms.map((form) => (
              <Command.Item key={form.key} value={`form ${form.name}`} onSelect={go(`/data/forms/${form.key}`)} className={itemClass}>
                {form.name}
                <span className="text-xs text-soft">form</span>
              </Command.Item>
            ))}
          </Command.Group>
        )}
        <Command.Group heading="Go to" className={groupClass}>
          {[...SECTIONS.filter((section) => !section.demoOnly || store.isDemo), ...PLACES].map((section) => (
            <Command.Item key={section.href} value={`go to ${section.name}`} onSelect={go(section.href)} className={itemClass}>
              {section.name}
            </Command.Item>
          ))}
        </Command.Group>
        <Command.Group heading="Do" className={groupClass}>
          {flows.data?.flows
            .filter((flow) => flow.version !== null)
            .map((flow) => (
              <Command.Item
                key={flow.key}
                value={`${flow.state === 'on' ? 'pause' : 'resume'} ${flow.name}`}
                onSelect={act(switchFlow(flow.key, flow.name, flow.state === 'on' ? 'pause' : 'resume'))}
                className={itemClass}
              >
                {flow.state === 'on' ? 'Pause' : 'Resume'} “{flow.name}”
              </Command.Item>
            ))}
          {store.isDemo &&
            MOVES.map((duration) => (
              <Command.Item
                key={duration}
                value={`move store time by ${sayDuration(duration)}`}
                onSelect={act(() => move(duration))}
                className={itemClass}
              >
                Move store time on by {sayDuration(duration)}
              </Command.Item>
            ))}
          <Command.Item value="sign out" onSelect={act(signOut)} className={itemClass}>
            Sign out
          </Command.Item>
        </Command.Group>
      </Command.List>
    </Command.Dialog>
  );
}
