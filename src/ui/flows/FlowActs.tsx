'use client';

import { useQueryClient } from '@tanstack/react-query';
import { MoreHorizontal } from 'lucide-react';
import { useRouter } from 'next/navigation';
import { useState } from 'react';
import { toast } from 'sonner';
import type { FlowListView, FlowView } from '@/core/api';
import { freeKey } from '@/core/flows';
import { api, areaClass, Ask, attempt, Button, doneUndoable, Field, inputClass, Menu, plural, saveAs } from '../kit';

/** What can be done with a flow as a whole: copied, kept to begin others with, saved, put away and brought back. */
export function FlowActs({ flow, onChanged }: { flow: FlowView; onChanged: (flow: FlowView) => void }) {
  const router = useRouter();
  const client = useQueryClient();
  const [asks, setAsks] = useState<'archive' | 'starter' | null>(null);
  const [name, setName] = useState(flow.name);
  const [says, setSays] = useState(flow.draft.description ?? '');
  const isAway = flow.state === 'archived';
  const restore = () =>
    attempt(
      async () => {
        onChanged(await api<FlowView>(`/flows/${flow.key}/restore`, { method: 'POST' }));
        await client.invalidateQueries({ queryKey: ['flows'] });
      },
      `“${flow.name}” is back${flow.version === null ? '' : ', and paused'}.`,
    );
  const duplicate = () =>
    attempt(async () => {
      const { flows } = await api<FlowListView>('/flows');
      const called = `${flow.draft.name}, copy`.slice(0, 80);
      const key = freeKey(
        called,
        flows.map((one) => one.key),
      );
      await api<FlowView>(`/flows/${key}`, { method: 'PUT', body: { ...flow.draft, name: called } });
      router.push(`/flows/${key}`);
    });
  return (
    <>
      <Menu
        groups={[
          [
            { name: 'Duplicate', changes: '/flows/copy', onSelect: () => void duplicate() },
            { name: 'Storyboard, to print', onSelect: () => router.push(`/flows/${flow.key}/storyboard`) },
            { name: 'Save as a starter…', changes: '/starters', onSelect: () => setAsks('starter') },
            {
              name: 'Save as a file',
              onSelect: () => saveAs(`${freeKey(flow.draft.name, [])}.json`, JSON.stringify(flow.draft, null, 2), 'application/json'),
            },
          ],
          [
            isAway
              ? { name: 'Restore', changes: '/flows/x/archive', onSelect: () => void restore() }
              : { name: 'Archive…', changes: '/flows/x/archive', onSelect: () => setAsks('archive'), takes: true },
          ],
        ]}
      >
        <Button kind="quiet" className="px-2" aria-label="More acts">
          <MoreHorizontal size={16} aria-hidden="true" />
        </Button>
      </Menu>
      <Ask
        isOpen={asks === 'archive'}
        onClose={() => setAsks(null)}
        title={`Archive “${flow.name}”?`}
        about={
          flow.inside
            ? `Nobody enters any more, and ${plural(flow.inside, 'person who is inside leaves', 'people who are inside leave')}. Its versions and figures stay.`
            : 'Nobody enters any more. Its versions and figures stay.'
        }
        act="Archive"
        isDanger={flow.inside > 0}
        onAct={async () => {
          onChanged(await api<FlowView>(`/flows/${flow.key}/archive`, { method: 'POST' }));
          await client.invalidateQueries({ queryKey: ['flows'] });
          doneUndoable('Archived.', () => void restore());
        }}
      />
      <Ask
        isOpen={asks === 'starter'}
        onClose={() => setAsks(null)}
        title="Save as a starter"
        about="It stands first among the flows to begin with, with its messages, for everybody here."
        act="Save"
        canAct={name.trim() !== '' && says.trim() !== ''}
        onAct={async () => {
          await api('/starters', { method: 'POST', body: { flow: flow.key, name, says } });
          await client.invalidateQueries({ queryKey: ['starters'] });
          toast.success('Saved. It stands under New flow.');
        }}
      >
        <Field label="Name">
          <input value={name} maxLength={80} onChange={(event) => setName(event.target.value)} className={inputClass} />
        </Field>
        <Field label="What it does, in two sentences">
          <textarea value={says} maxLength={300} rows={3} onChange={(event) => setSays(event.target.value)} className={areaClass} />
        </Field>
      </Ask>
    </>
  );
}
