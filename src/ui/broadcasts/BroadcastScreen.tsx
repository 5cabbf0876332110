'use client';

import { useQuery, useQueryClient } from '@tanstack/react-query';
import { clsx } from 'clsx';
import { MoreHorizontal, Pause, Play, Send } from 'lucide-react';
import { useRouter } from 'next/navigation';
import { useEffect, useState } from 'react';
import { toast } from 'sonner';
import type { BroadcastView, DueView, FlowView } from '@/core/api';
import { broadcastOf, documentOf, type Broadcast } from '@/core/broadcasts';
import { flowSchema, freeKey, type FlowDocument } from '@/core/flows';
import {
  api,
  Ask,
  attempt,
  Button,
  Empty,
  fieldClass,
  issuesOf,
  Menu,
  plural,
  SavingNote,
  saveAs,
  UndoActs,
  useDraft,
  WordList,
  Dialog,
  Field,
  areaClass,
  inputClass,
  Link,
} from '../kit';
import { Comments } from '../comments';
import { LetterLayer } from '../flows';
import { Became } from './Became';
import { LastLook } from './LastLook';
import { Moments } from './Moments';
import { PhaseSignal } from './PhaseSignal';
import { WhatPart } from './WhatPart';
import { WhenPart } from './WhenPart';
import { WhoPart } from './WhoPart';

/** One broadcast: whom, what and when, as long as it has not gone out; and what became of it. */
export function BroadcastScreen({ initial, became }: { initial: FlowView; became: BroadcastView }) {
  const router = useRouter();
  const client = useQueryClient();
  const [flow, setFlow] = useState(initial);
  const [writing, setWriting] = useState<string | null>(null);
  const [isLooking, setLooking] = useState(false);
  const [asks, setAsks] = useState<'archive' | 'about' | null>(null);
  const [due, setDue] = useState<DueView | null>(null);
  const draft = useDraft<FlowDocument, FlowView>({
    place: `/flows/${initial.key}`,
    document: initial.draft,
    revision: initial.revision,
    put: (document, revision) =>
      api<FlowView>(`/flows/${initial.key}`, { method: 'PUT', body: document, headers: { 'if-match': `"${revision}"` } }),
    problemsOf: (document) => issuesOf(flowSchema.safeParse(document)),
    onSaved: setFlow,
  });
  const { document } = draft;
  const view = useQuery({
    queryKey: ['broadcast', flow.key],
    queryFn: () => api<BroadcastView>(`/broadcasts/${flow.key}`),
    initialData: became,
    refetchInterval: (query) => (['going', 'trying'].includes(query.state.data?.phase ?? '') ? 2_000 : 10_000),
  });
  const { phase } = view.data;
  const hasBegun = view.data.entered > 0 || phase === 'going' || phase === 'gone' || phase === 'trying' || phase === 'asks';
  const [tab, setTab] = useState<'plan' | 'became'>(hasBegun ? 'became' : 'plan');
  const broadcast = broadcastOf(document, flow.key);
  const change = (next: Broadcast, tag: string) => draft.edit(documentOf(next, flow.key, document), tag);
  const refresh = () => client.invalidateQueries({ queryKey: ['broadcast', flow.key] });
  const reload = async () => {
    const now = await api<FlowView>(`/flows/${flow.key}`);
    setFlow(now);
    draft.load(now.draft, now.revision);
  };
  const turn = (to: 'pause' | 'resume', what: 'send' | 'drop' | null = null) =>
    attempt(async () => {
      if (to === 'resume' && !what) {
        const meanwhile = await api<DueView>(`/flows/${flow.key}/due`);
        if (meanwhile.people) return setDue(meanwhile);
      }
      const done = await api<FlowView>(`/flows/${flow.key}/${to}${what ? `?due=${what}` : ''}`, { method: 'POST' });
      setFlow((before) => ({ ...done, draft: before.draft, revision: before.revision }));
      setDue(null);
      await refresh();
      toast.success(to === 'pause' ? 'Stopped. Nothing more of it goes out until it goes on.' : 'It goes on.');
    });
  const openLook = async () => {
    if (await draft.save()) setLooking(true);
    else toast.error('The draft could not be saved yet, so there is nothing to send.');
  };
  const duplicate = () =>
    attempt(async () => {
      const called = `${document.name}, copy`.slice(0, 80);
      const { broadcasts } = await api<{ broadcasts: { key: string }[] }>('/broadcasts');
      const key = freeKey(called, [flow.key, ...broadcasts.map((one) => one.key)], 'broadcast');
      const copied = broadcast
        ? documentOf({ ...broadcast, won: null }, key, { ...document, name: called })
        : { ...document, name: called };
      await api<FlowView>(`/flows/${key}`, { method: 'PUT', body: copied });
      router.push(`/broadcasts/${key}`);
    });
  // a page that comes back from the browser's memory is as it was left: what has become of it since is asked for
  useEffect(() => {
    api<FlowView>(`/flows/${initial.key}`).then(
      (now) => {
        setFlow((before) => ({ ...now, draft: before.draft, revision: before.revision }));
        if (draft.isStored() && now.revision > draft.revision()) {
          setFlow(now);
          draft.load(now.draft, now.revision);
        }
      },
      () => undefined,
    );
    // eslint-disable-next-line react-hooks/exhaustive-deps -- once, as it is opened
  }, []);
  const isAway = flow.state === 'archived';
  const canSend = !isAway && (phase === 'draft' || phase === 'planned' || flow.changes.length > 0);

  return (
    <div className="flex h-[calc(100vh-48px-var(--note,0px))] flex-col">
      <div className="flex items-center gap-3 border-b border-line bg-panel px-4 py-2">
        <Link href="/broadcasts" className="whitespace-nowrap text-accent">
          Broadcasts
        </Link>
        <input
          aria-label="Name of the broadcast"
          value={document.name}
          maxLength={80}
          onChange={(event) => draft.edit({ ...document, name: event.target.value }, 'name')}
          className={`${fieldClass} w-56 border-transparent bg-transparent text-lg font-semibold hover:border-line`}
        />
        <PhaseSignal phase={phase} />
        <div role="tablist" aria-label="View" className="ml-2 flex rounded-md border border-line">
          {(['plan', 'became'] as const).map((one) => (
            <button
              key={one}
              role="tab"
              type="button"
              aria-selected={tab === one && !writing}
              disabled={one === 'became' && flow.version === null}
              title={one === 'became' && flow.version === null ? 'There is something to see once it goes out' : undefined}
              onClick={() => (setWriting(null), setTab(one))}
              className={clsx(
                'h-8 whitespace-nowrap px-2.5 font-semibold first:rounded-l-[5px] last:rounded-r-[5px] disabled:opacity-50',
                tab === one && !writing ? 'bg-ink text-paper' : 'hover:bg-wash',
              )}
            >
              {one === 'plan' ? 'Who, what, when' : 'What became of it'}
            </button>
          ))}
        </div>
        <div className="flex-1" />
        <SavingNote
          saving={draft.saving}
          saved={flow.version !== null && flow.changes.length ? 'Saved, and not planned like this yet' : 'Saved'}
          onReload={() => void reload()}
          onRetry={() => void draft.save()}
        />
        <UndoActs draft={draft} />
        <Comments kind="flow" of={flow.key} />
        <Menu
          groups={[
            [
              { name: 'Duplicate', changes: '/flows/copy', onSelect: () => void duplicate() },
              { name: 'Description, owner and tags…', changes: '/flows', onSelect: () => setAsks('about') },
              { name: 'Open as a flow', onSelect: () => router.push(`/flows/${flow.key}`) },
              {
                name: 'Save as a file',
                onSelect: () => saveAs(`${flow.key}.json`, JSON.stringify(document, null, 2), 'application/json'),
              },
            ],
            [
              isAway
                ? {
                    name: 'Restore',
                    onSelect: () =>
                      void attempt(async () => {
                        setFlow(await api<FlowView>(`/flows/${flow.key}/restore`, { method: 'POST' }));
                        await refresh();
                      }, 'It is back.'),
                  }
                : { name: 'Archive…', changes: '/flows/x/archive', onSelect: () => setAsks('archive'), takes: true },
            ],
          ]}
        >
          <Button kind="quiet" className="px-2" aria-label="More acts">
            <MoreHorizontal size={16} aria-hidden="true" />
          </Button>
        </Menu>
        {flow.state === 'on' && phase !== 'gone' && (
          <Button changes="/flows/x/pause" onClick={() => void turn('pause')}>
            <Pause size={16} aria-hidden="true" /> Stop
          </Button>
        )}
        {flow.state === 'paused' && (
          <Button changes="/flows/x/resume" onClick={() => void turn('resume')}>
            <Play size={16} aria-hidden="true" /> Go on
          </Button>
        )}
        <Button
          changes="/flows/x/publish"
          kind="primary"
          onClick={() => void openLook()}
          disabled={draft.saving.state === 'invalid' || !canSend || !broadcast}
          title={canSend ? undefined : 'It has gone out. Duplicate it to send it again.'}
        >
          <Send size={16} aria-hidden="true" /> {phase === 'draft' ? 'Send…' : 'Plan anew…'}
        </Button>
      </div>

      {writing ? (
        <LetterLayer
          document={document}
          stepId={writing}
          version={null}
          edit={draft.edit}
          onClose={() => setWriting(null)}
          back="To the broadcast"
        />
      ) : tab === 'became' && flow.version !== null ? (
        <Became view={view.data} flow={flow} onChanged={() => void refresh().then(reload)} />
      ) : broadcast ? (
        <>
          <Moments broadcast={broadcast} />
          <div className="grid min-h-0 flex-1 grid-cols-[1fr_1.15fr_0.8fr] bg-panel">
            <WhoPart broadcast={broadcast} change={change} />
            <WhatPart broadcast={broadcast} change={change} onWrite={setWriting} />
            <WhenPart broadcast={broadcast} change={change} />
          </div>
        </>
      ) : (
        <Empty title="This broadcast has been changed as a flow">
          It does more than this screen can show.{' '}
          <Link href={`/flows/${flow.key}`} className="text-accent underline">
            Open it as a flow
          </Link>
          .
        </Empty>
      )}

      {isLooking && broadcast && (
        <LastLook
          flow={flow}
          broadcast={broadcast}
          onClose={() => setLooking(false)}
          change={async (to) => {
            draft.edit(to, '');
            await draft.save();
          }}
          onStartNow={async (starts) => {
            // stored at once: what is typed here comes to the server a moment later
            const saved = await api<FlowView>(`/flows/${flow.key}`, {
              method: 'PUT',
              body: documentOf({ ...broadcast, when: { ...broadcast.when, starts } }, flow.key, document),
              headers: { 'if-match': `"${flow.revision}"` },
            });
            setFlow(saved);
            draft.load(saved.draft, saved.revision);
            return saved;
          }}
          onDone={(done) => {
            setLooking(false);
            setFlow(done);
            draft.load(done.draft, done.revision);
            void refresh();
          }}
          onShow={(step) => {
            setLooking(false);
            setTab('plan');
            setWriting(step);
          }}
        />
      )}
      {due && (
        <Dialog isOpen onClose={() => setDue(null)} title="It fell due while it was stopped" width={480}>
          <p>{plural(due.people, 'message', 'messages')} would have gone out by now.</p>
          <div className="flex justify-end gap-2">
            <Button onClick={() => setDue(null)}>Cancel</Button>
            <Button changes="/flows/x/resume" onClick={() => void turn('resume', 'drop')}>
              Let them pass
            </Button>
            <Button changes="/flows/x/resume" kind="primary" onClick={() => void turn('resume', 'send')}>
              Send them now
            </Button>
          </div>
        </Dialog>
      )}
      {asks === 'about' && (
        <Dialog isOpen onClose={() => setAsks(null)} title="Description, owner and tags" width={480}>
          <Field label="What it is for">
            <textarea
              rows={3}
              maxLength={1000}
              value={document.description ?? ''}
              onChange={(event) => draft.edit({ ...document, description: event.target.value }, 'description')}
              className={areaClass}
            />
          </Field>
          <Field label="Who looks after it">
            <input
              maxLength={120}
              value={document.owner ?? ''}
              onChange={(event) => draft.edit({ ...document, owner: event.target.value }, 'owner')}
              className={inputClass}
            />
          </Field>
          <Field label="Tags" hint="With commas between them">
            <WordList value={document.tags ?? []} onChange={(tags) => draft.edit({ ...document, tags: [...tags] }, 'tags')} />
          </Field>
          <div className="flex justify-end">
            <Button kind="primary" onClick={() => setAsks(null)}>
              Done
            </Button>
          </div>
        </Dialog>
      )}
      <Ask
        isOpen={asks === 'archive'}
        onClose={() => setAsks(null)}
        title={`Archive “${flow.name}”?`}
        about={
          view.data.inside || view.data.toCome
            ? `${plural(view.data.inside + view.data.toCome, 'person does', 'people do')} not get what is still to come of it. What it came to stays.`
            : 'Nothing more of it goes out. What it came to stays.'
        }
        act="Archive"
        isDanger={view.data.inside + view.data.toCome > 0}
        onAct={async () => {
          setFlow(await api<FlowView>(`/flows/${flow.key}/archive`, { method: 'POST' }));
          await refresh();
          setAsks(null);
        }}
      />
    </div>
  );
}
