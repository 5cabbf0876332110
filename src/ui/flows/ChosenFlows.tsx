'use client';

import { useState } from 'react';
import { toast } from 'sonner';
import type { FlowListItem, FlowView } from '@/core/api';
import { api, Ask, Button, Field, inputClass, plural } from '../kit';

type Act = 'pause' | 'archive' | 'restore';

/** What can be done with several flows at once. Each is done for itself: one that cannot be is named, and the others are. */
export function Chosen({ flows, onDone }: { flows: readonly FlowListItem[]; onDone: () => void }) {
  const [asks, setAsks] = useState<'archive' | 'tag' | null>(null);
  const [tag, setTag] = useState('');
  const inside = flows.reduce((sum, flow) => sum + flow.inside, 0);
  const on = flows.filter((flow) => flow.state === 'on');
  const leaving = inside ? `, and ${plural(inside, 'person who is inside leaves', 'people who are inside leave')}` : '';
  const isAway = flows.every((flow) => flow.state === 'archived');
  const all = async (some: readonly FlowListItem[], work: (flow: FlowListItem) => Promise<unknown>, done: string) => {
    const came = await Promise.allSettled(some.map(work));
    const bad = some.filter((_, at) => came[at]!.status === 'rejected');
    const first = came.find((one) => one.status === 'rejected');
    if (bad.length) toast.error(`${bad.map((flow) => `“${flow.name}”`).join(', ')}: ${(first!.reason as Error).message}`);
    if (bad.length < some.length) toast.success(`${plural(some.length - bad.length, 'flow is', 'flows are')} ${done}.`);
    onDone();
  };
  const act = (flow: FlowListItem, to: Act) => api<FlowView>(`/flows/${flow.key}/${to}`, { method: 'POST' });
  const putTag = async (flow: FlowListItem) => {
    const { draft, revision } = await api<FlowView>(`/flows/${flow.key}`);
    const tags = [...new Set([...(draft.tags ?? []), tag.trim()])];
    await api(`/flows/${flow.key}`, { method: 'PUT', body: { ...draft, tags }, headers: { 'if-match': `"${revision}"` } });
  };
  return (
    <div role="group" aria-label="Chosen flows" className="flex items-center gap-2">
      <span className="text-soft">{plural(flows.length, 'flow', 'flows')} chosen</span>
      {isAway ? (
        <Button changes="/flows/x/restore" onClick={() => void all(flows, (flow) => act(flow, 'restore'), 'back')}>
          Restore
        </Button>
      ) : (
        <>
          {on.length > 0 && (
            <Button changes="/flows/x/pause" onClick={() => void all(on, (flow) => act(flow, 'pause'), 'paused')}>
              Pause
            </Button>
          )}
          <Button changes="/flows" onClick={() => setAsks('tag')}>
            Tag…
          </Button>
          <Button changes="/flows/x/archive" onClick={() => setAsks('archive')}>
            Archive…
          </Button>
        </>
      )}
      <Ask
        isOpen={asks === 'archive'}
        onClose={() => setAsks(null)}
        title={`Archive ${plural(flows.length, 'flow', 'flows')}?`}
        about={`Nobody enters them any more${leaving}. Their versions and figures stay.`}
        act="Archive"
        isDanger={inside > 0}
        onAct={() => all(flows, (flow) => act(flow, 'archive'), 'archived')}
      />
      <Ask
        isOpen={asks === 'tag'}
        onClose={() => setAsks(null)}
        title={`Tag ${plural(flows.length, 'flow', 'flows')}`}
        about="It is put on their drafts; what the others do with them goes on."
        act="Add tag"
        canAct={tag.trim() !== ''}
        onAct={() => all(flows, putTag, `tagged “${tag.trim()}”`)}
      >
        <Field label="Tag">
          <input value={tag} maxLength={40} autoFocus onChange={(event) => setTag(event.target.value)} className={inputClass} />
        </Field>
      </Ask>
    </div>
  );
}
