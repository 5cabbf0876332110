'use client';

import { clsx } from 'clsx';
import { useQuery } from '@tanstack/react-query';
import { ChevronsLeft, ChevronsRight, Pause, Play } from 'lucide-react';
import { useMemo, useRef, useState } from 'react';
import { toast } from 'sonner';
import type { DueView, FlowReport, FlowView, TableItem } from '@/core/api';
import { answersIn, flowSchema, preflight, sayStep, type FlowDocument } from '@/core/flows';
import { sayMoney } from '@/core/money';
import { api, Button, issuesOf, plural, SavingNote, sayCount, sayShare, StateSignal, UndoActs, useDraft, useStore } from '../kit';
import { AnswersContext } from '../rules';
import { FlowActs } from './FlowActs';
import { Inspector } from './Inspector';
import { LineMap } from './LineMap';
import { ResumeDialog, type Due } from './Meanwhile';
import { NowPane, useInside } from './NowPane';
import { PublishDialog } from './PublishDialog';
import { Script } from './Script';
import { TryDialog } from './TryDialog';
import { Versions } from './Versions';

type Lens = 'plan' | 'now' | 'results';
/** What the map can show over the same stops; with why it cannot before the flow has been on. */
const LENSES: readonly (readonly [Lens, string, string | undefined])[] = [
  ['plan', 'Plan', undefined],
  ['now', 'Now', 'Nobody can be inside before it has been on'],
  ['results', 'Results', 'There are results once it has been on'],
];

/** Steps of which something comes, for the rules of the flow: of a row that is looked up its columns are known. */
const answersOf = (document: FlowDocument, tables: readonly TableItem[] = []) =>
  answersIn(document).map((step) => {
    const table = step.kind === 'lookup' ? tables.find(({ key }) => key === step.table) : undefined;
    return { step: step.id, says: sayStep(step), ...(table && { properties: table.columns }) };
  });

/** One flow: script, line map and inspector, in the lenses Plan, Now and Results. */
export function FlowScreen({ initial }: { initial: FlowView }) {
  const store = useStore();
  const [flow, setFlow] = useState(initial);
  const [selected, setSelected] = useState('trigger');
  const [lens, setLens] = useState<Lens>('plan');
  const [isFolded, setFolded] = useState(false);
  const [isPublishing, setPublishing] = useState(false);
  const [isTrying, setTrying] = useState(false);
  const [meanwhile, setMeanwhile] = useState<DueView | null>(null);
  const [isSwitching, setSwitching] = useState(false);
  const inspector = useRef<HTMLElement>(null);
  const draft = useDraft<FlowDocument, FlowView>({
    document: initial.draft,
    revision: initial.revision,
    put: (draft, revision) =>
      api<FlowView>(`/flows/${initial.key}`, { method: 'PUT', body: draft, headers: { 'if-match': `"${revision}"` } }),
    problemsOf: (draft) => issuesOf(flowSchema.safeParse(draft)),
    onSaved: setFlow,
  });
  const { document } = draft;

  const report = useQuery({
    queryKey: ['report', flow.key],
    queryFn: () => api<FlowReport>(`/flows/${flow.key}/report`),
    enabled: flow.version !== null,
    refetchInterval: 10_000,
  });
  useQuery({
    queryKey: ['flow', flow.key],
    queryFn: async () => {
      const now = await api<FlowView>(`/flows/${flow.key}`);
      // figures and state follow; the draft is what is edited here
      setFlow((before) => ({
        ...now,
        draft: before.draft,
        revision: before.revision,
        ...(before.revision !== now.revision && { changes: before.changes, preflight: before.preflight }),
      }));
      return now.inside;
    },
    refetchInterval: 10_000,
    enabled: !isPublishing,
  });
  const troubled = useMemo(
    () => new Set(preflight(document).flatMap((finding) => (finding.accepted === undefined ? (finding.stepId ?? []) : []))),
    [document],
  );
  const tables = useQuery({
    queryKey: ['tables'],
    queryFn: () => api<{ tables: TableItem[] }>('/tables'),
    enabled: answersIn(document).some(({ kind }) => kind === 'lookup'),
    staleTime: 60_000,
  });
  const answers = useMemo(() => answersOf(document, tables.data?.tables), [document, tables.data]);
  const isResults = lens === 'results' && flow.published !== null;
  const isNow = lens === 'now' && flow.published !== null;
  const shownDocument = isResults || isNow ? flow.published! : document;
  const inside = useInside(flow.key, isNow);

  const turn = async (due: Due | null = null) => {
    setSwitching(true);
    const to = flow.state === 'on' ? 'pause' : 'resume';
    try {
      if (to === 'resume' && !due) {
        const meanwhile = await api<DueView>(`/flows/${flow.key}/due`);
        if (meanwhile.people) return setMeanwhile(meanwhile);
      }
      const done = await api<FlowView>(`/flows/${flow.key}/${to}${due ? `?due=${due}` : ''}`, { method: 'POST' });
      setFlow((before) => ({ ...done, draft: before.draft, revision: before.revision }));
      setMeanwhile(null);
      toast.success(
        to === 'pause'
          ? `Paused. Nobody enters, and ${plural(done.inside, 'person', 'people')} inside stay where they are.`
          : due === 'drop'
            ? 'On again. What was due during the pause is dropped.'
            : 'On again. Whoever was due during the pause goes on now.',
        to === 'pause'
          ? {
              action: {
                label: 'Undo',
                onClick: () =>
                  void api<FlowView>(`/flows/${flow.key}/resume`, { method: 'POST' }).then((back) =>
                    setFlow((before) => ({ ...back, draft: before.draft, revision: before.revision })),
                  ),
              },
            }
          : undefined,
      );
    } catch (error) {
      toast.error((error as Error).message);
    } finally {
      setSwitching(false);
    }
  };
  const openPublish = async () => {
    if (await draft.save()) setPublishing(true);
    else toast.error('The draft could not be saved, so there is nothing to publish yet.');
  };
  const reload = async () => {
    const now = await api<FlowView>(`/flows/${flow.key}`);
    setFlow(now);
    draft.load(now.draft, now.revision);
  };
  const show = (id: string) => {
    setSelected(id);
    setFolded(false);
  };

  return (
    <div className="flex h-[calc(100vh-48px)] flex-col">
      <div className="flex items-center gap-4 border-b border-line bg-panel px-4 py-2">
        <h1 className="text-lg font-semibold">{document.name || 'Without a name'}</h1>
        <StateSignal state={flow.state} />
        {flow.version !== null && (
          <Versions
            flow={flow}
            onRestored={(back) => {
              setFlow(back);
              draft.load(back.draft, back.revision);
            }}
          />
        )}
        <div role="tablist" aria-label="Lens" className="ml-2 flex rounded-md border border-line">
          {LENSES.map(([one, word, without]) => (
            <button
              key={one}
              role="tab"
              type="button"
              aria-selected={lens === one}
              disabled={one !== 'plan' && flow.published === null}
              title={flow.published === null ? without : undefined}
              onClick={() => setLens(one)}
              className={clsx(
                'h-8 px-3 font-semibold first:rounded-l-[5px] last:rounded-r-[5px] disabled:opacity-50',
                lens === one ? 'bg-ink text-paper' : 'hover:bg-wash',
              )}
            >
              {word}
            </button>
          ))}
        </div>
        <div className="flex-1" />
        <SavingNote
          saving={draft.saving}
          saved={
            flow.version !== null && flow.changes.length
              ? `Draft saved, ${plural(flow.changes.length, 'change', 'changes')} not published`
              : 'Draft saved'
          }
          onReload={() => void reload()}
          onRetry={() => void draft.save()}
        />
        <UndoActs draft={draft} />
        <FlowActs flow={flow} onChanged={(next) => setFlow((before) => ({ ...next, draft: before.draft, revision: before.revision }))} />
        {flow.version !== null && flow.state !== 'archived' && (
          <Button onClick={() => void turn()} disabled={isSwitching}>
            {flow.state === 'on' ? (
              <>
                <Pause size={16} aria-hidden="true" /> Pause
              </>
            ) : (
              <>
                <Play size={16} aria-hidden="true" /> Resume
              </>
            )}
          </Button>
        )}
        <Button onClick={() => setTrying(true)} disabled={draft.saving.state === 'invalid'}>
          Try out…
        </Button>
        <Button kind="primary" onClick={() => void openPublish()} disabled={draft.saving.state === 'invalid' || flow.state === 'archived'}>
          Publish…
        </Button>
      </div>

      <div className="flex min-h-0 flex-1">
        <aside className="w-[272px] shrink-0 overflow-y-auto border-r border-line bg-panel p-3">
          <Script document={shownDocument} currency={store.currency} selected={selected} onSelect={show} troubled={troubled} />
        </aside>
        <div className="flex min-w-0 flex-1 flex-col bg-panel">
          <div className="min-h-0 flex-1">
            <LineMap
              document={shownDocument}
              selected={selected}
              onSelect={show}
              onOpen={() => setTimeout(() => inspector.current?.querySelector<HTMLElement>('input, textarea, select')?.focus())}
              report={isResults ? (report.data ?? null) : null}
              now={isNow ? inside.counts : undefined}
              troubled={isResults || isNow ? EMPTY : troubled}
            />
          </div>
          {flow.version !== null && <Figures report={report.data} error={report.error} hasGoal={shownDocument.goal !== null} />}
        </div>
        {isFolded ? (
          <button
            type="button"
            onClick={() => setFolded(false)}
            aria-label="Unfold the inspector"
            title="Unfold the inspector"
            className="grid w-8 shrink-0 place-items-center border-l border-line bg-panel hover:bg-wash"
          >
            <ChevronsLeft size={16} aria-hidden="true" />
          </button>
        ) : (
          <aside
            ref={inspector}
            aria-label="Inspector"
            className="relative w-[340px] shrink-0 overflow-y-auto border-l border-line bg-panel p-4"
          >
            <button
              type="button"
              onClick={() => setFolded(true)}
              aria-label="Fold the inspector away"
              title="Fold the inspector away"
              className="absolute right-2 top-2 grid size-8 place-items-center rounded-md hover:bg-wash"
            >
              <ChevronsRight size={16} aria-hidden="true" />
            </button>
            {isNow ? (
              <NowPane flow={flow} document={flow.published!} selected={selected} inside={inside} onSelect={show} />
            ) : (
              <AnswersContext value={answers}>
                <Inspector document={document} selected={selected} edit={draft.edit} onSelect={show} report={report.data} />
              </AnswersContext>
            )}
          </aside>
        )}
      </div>
      {meanwhile && <ResumeDialog flow={flow} due={meanwhile} onClose={() => setMeanwhile(null)} onResume={turn} />}
      {isTrying && <TryDialog flowKey={flow.key} document={document} edit={draft.edit} isOpen onClose={() => setTrying(false)} />}
      <PublishDialog
        flow={flow}
        isOpen={isPublishing}
        onOpenChange={setPublishing}
        onShow={show}
        onPublished={setFlow}
        onReload={() => void reload()}
        change={async (to) => {
          draft.edit(to, '');
          await draft.save();
        }}
      />
    </div>
  );
}

const EMPTY: ReadonlySet<string> = new Set();

/** The flow's figures of the last 30 days in one line. */
function Figures({ report, error, hasGoal }: { report: FlowReport | undefined; error: Error | null; hasGoal: boolean }) {
  if (error)
    return (
      <p role="alert" className="border-t border-line px-4 py-3 text-stop">
        {error.message}
      </p>
    );
  if (!report) return <p className="border-t border-line px-4 py-3 text-soft">Counting…</p>;
  const facts: [string, string, string | null][] = [
    ['Entered', plural(report.entered, 'person', 'people'), null],
    ['Inside now', plural(report.inside, 'person', 'people'), null],
    ['Sent', sayCount(report.sent), `${sayShare(report.opened, report.sent) ?? '–'} opened`],
    ['Clicked', sayCount(report.clicked), sayShare(report.clicked, report.sent)],
    hasGoal || report.goalReached
      ? ['Goal reached', plural(report.goalReached, 'person', 'people'), sayShare(report.goalReached, report.entered)]
      : ['Goal reached', 'no goal', null],
    ['Revenue', sayMoney(report.revenue), plural(report.orders, 'order', 'orders')],
  ];
  return (
    <div className="border-t border-line">
      {report.broken > 0 && (
        <p role="alert" className="border-b border-line px-4 py-2 text-stop">
          {plural(report.broken, 'run has broken and is', 'runs have broken and are')} set aside;{' '}
          {report.broken === 1 ? 'it is' : 'they are'} tried again by {report.broken === 1 ? 'itself' : 'themselves'}. What was wrong stands
          on the page of the person.
        </p>
      )}
      <dl className="grid grid-cols-6" aria-label="Figures of the last 30 days">
        {facts.map(([term, value, more]) => (
          <div key={term} className="border-r border-line px-3 py-2 last:border-0">
            <dt className="text-xs text-soft">{term}</dt>
            <dd className="font-semibold tabular" data-testid={`figure-${term.toLowerCase().replaceAll(' ', '-')}`}>
              {value}
            </dd>
            <dd className="text-xs text-soft tabular">{more ?? ' '}</dd>
          </div>
        ))}
      </dl>
      <p className="border-t border-line px-3 py-1 text-xs text-soft">
        The last 30 days. Revenue by last click within 7 days, else last opened within 2 days.
        {report.control.people > 0 && <Control {...report.control} />}
      </p>
    </div>
  );
}

/** Who was drawn to get nothing, and how many of them reached the goal all the same. */
const Control = ({ people, goalReached }: FlowReport['control']) => (
  <>
    {' '}
    Control group: {plural(people, 'person', 'people')}, {sayCount(goalReached)} of them reached the goal (
    {sayShare(goalReached, people) ?? '–'}).
  </>
);
