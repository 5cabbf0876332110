'use client';

import { clsx } from 'clsx';
import { useQuery } from '@tanstack/react-query';
import { Pause, Play } from 'lucide-react';
import dynamic from 'next/dynamic';
import { useCallback, useEffect, useState } from 'react';
import { toast } from 'sonner';
import type { DueView, FlowReport, FlowView, PresenceView } from '@/core/api';
import { diff, flowSchema, planOf, sayStep, type FlowDocument } from '@/core/flows';
import { sayMoney } from '@/core/money';
import {
  api,
  attempt,
  Button,
  doneUndoable,
  issuesOf,
  Link,
  plural,
  SavingNote,
  sayCount,
  sayShare,
  StateSignal,
  UndoActs,
  useDraft,
  useStore,
} from '../kit';
import { Comments } from '../comments';
import { FlowActs } from './FlowActs';
import { LetterLayer } from './LetterLater';
import { WriteContext } from './writing';
import { ResumeDialog, type Due } from './Meanwhile';
import { MergeDialog } from './MergeDialog';
import { NowLens } from './NowLens';
import { PlanLens } from './PlanLens';
import { PublishDialog } from './PublishDialog';
import { useFolded } from './Stage';
import { usePresence } from './usePresence';
import { useStepActs } from './useStepActs';

/** What only some lenses need is loaded when one of them is opened. */
const Loading = () => <p className="flex-1 bg-panel p-4 text-soft">Loading…</p>;
const RehearseLens = dynamic(() => import('./RehearseLens'), { loading: Loading, ssr: false });
const ResultsLens = dynamic(() => import('./ResultsLens'), { loading: Loading, ssr: false });
const HistoryLens = dynamic(() => import('./HistoryLens'), { loading: Loading, ssr: false });
const BacktestLens = dynamic(() => import('./BacktestLens'), { loading: Loading, ssr: false });

type Lens = 'plan' | 'rehearse' | 'backtest' | 'now' | 'results' | 'history';
/** What the map can show over the same stops; with why it cannot before the flow has been on. */
const LENSES: readonly (readonly [Lens, string, string | undefined])[] = [
  ['plan', 'Plan', undefined],
  ['rehearse', 'Rehearse', undefined],
  ['backtest', 'Backtest', undefined],
  ['now', 'Now', 'Nobody can be inside before it has been on'],
  ['results', 'Results', 'There are results once it has been on'],
  ['history', 'History', 'There is a history once it has been on'],
];

/** What a step is called in a comment at it; null for one that is not there any more. */
const partName = (document: FlowDocument, part: string): string | null => {
  const step = planOf(document).steps.get(part);
  return step ? `“${sayStep(step)}”` : null;
};

/** One flow: script, line map and inspector, in the lenses Plan, Now and Results. */
export function FlowScreen({ initial }: { initial: FlowView }) {
  const [flow, setFlow] = useState(initial);
  const [lens, setLens] = useState<Lens>('plan');
  const fold = useFolded();
  const [writing, setWriting] = useState<{ step: string; version: string | null } | null>(null);
  const write = useCallback((step: string, version: string | null) => setWriting({ step, version }), []);
  const { currency } = useStore();
  const [theirs, setTheirs] = useState<FlowView | null>(null);
  const [isPublishing, setPublishing] = useState(false);
  const [meanwhile, setMeanwhile] = useState<DueView | null>(null);
  const [isSwitching, setSwitching] = useState(false);
  const draft = useDraft<FlowDocument, FlowView>({
    place: `/flows/${initial.key}`,
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
  const isResults = lens === 'results' && flow.published !== null;
  const isNow = lens === 'now' && flow.published !== null;
  const isWriting = writing !== null && planOf(document).steps.get(writing.step)?.kind === 'send';
  const acts = useStepActs(document, draft.edit, lens === 'plan' && !isWriting);

  const presence = usePresence(flow.key, acts.selected);
  const who = presence?.others.length === 1 ? presence.others[0]!.name : 'Somebody else';
  // what another has stored shows here at once, unless something here is not stored yet: then it is asked
  useEffect(() => {
    if (!presence || presence.revision <= draft.revision() || !draft.isStored()) return;
    api<FlowView>(`/flows/${flow.key}`).then(
      (now) => {
        if (!draft.isStored() || now.revision <= draft.revision()) return;
        const [first] = diff(flow.draft, now.draft, currency);
        setFlow(now);
        draft.load(now.draft, now.revision);
        toast.info(`${who} has changed this draft${first ? `: ${first.says}` : ''}. You see it as it is now.`);
      },
      // the next answer, some seconds later, asks again
      () => undefined,
    );
    // eslint-disable-next-line react-hooks/exhaustive-deps -- asked once for each answer
  }, [presence]);
  const isApart = draft.saving.state === 'failed' && draft.saving.isConflict;
  const compare = async () => setTheirs(await api<FlowView>(`/flows/${flow.key}`));

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
      if (to === 'pause')
        doneUndoable(
          `Paused. Nobody enters, and ${plural(done.inside, 'person', 'people')} inside stay where they are.`,
          () =>
            void api<FlowView>(`/flows/${flow.key}/resume`, { method: 'POST' }).then((back) =>
              setFlow((before) => ({ ...back, draft: before.draft, revision: before.revision })),
            ),
        );
      else
        toast.success(
          due === 'drop'
            ? 'On again. What was due during the pause is dropped.'
            : 'On again. Whoever was due during the pause goes on now.',
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
    setWriting(null);
    setLens('plan');
    acts.select(id);
    fold[1](false);
  };

  const foot = flow.version !== null && (
    <Figures report={report.data} error={report.error} hasGoal={(isResults || isNow ? flow.published! : document).goal !== null} />
  );

  return (
    <div className="flex h-[calc(100vh-48px-var(--note,0px))] flex-col">
      <div className="flex items-center gap-3 border-b border-line bg-panel px-4 py-2">
        <h1 className="min-w-0 truncate text-lg font-semibold" title={document.name}>
          {document.name || 'Without a name'}
        </h1>
        <StateSignal state={flow.state} />
        {document.as === 'broadcast' && (
          <Link href={`/broadcasts/${flow.key}`} className="whitespace-nowrap text-accent underline">
            As a broadcast
          </Link>
        )}
        {flow.version !== null && (
          <button
            type="button"
            onClick={() => setLens('history')}
            className="whitespace-nowrap text-soft underline decoration-dotted hover:text-ink"
          >
            Version {flow.version}
          </button>
        )}
        <div role="tablist" aria-label="Lens" className="ml-2 flex rounded-md border border-line">
          {LENSES.map(([one, word, without]) => (
            <button
              key={one}
              role="tab"
              type="button"
              aria-selected={lens === one && !isWriting}
              disabled={without !== undefined && flow.published === null}
              title={flow.published === null ? without : undefined}
              onClick={() => {
                setWriting(null);
                setLens(one);
              }}
              className={clsx(
                'h-8 px-2.5 font-semibold first:rounded-l-[5px] last:rounded-r-[5px] disabled:opacity-50',
                lens === one && !isWriting ? 'bg-ink text-paper' : 'hover:bg-wash',
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
        {isApart && (
          <Button onClick={() => void attempt(compare)} className="whitespace-nowrap">
            See what differs…
          </Button>
        )}
        {presence && presence.others.length > 0 && <Others others={presence.others} document={document} onShow={acts.select} />}
        <UndoActs draft={draft} />
        <Comments kind="flow" of={flow.key} part={acts.selected} sayPart={(part) => partName(document, part)} />
        <FlowActs flow={flow} onChanged={(next) => setFlow((before) => ({ ...next, draft: before.draft, revision: before.revision }))} />
        {flow.version !== null && flow.state !== 'archived' && (
          <Button changes="/flows/x/pause" onClick={() => void turn()} disabled={isSwitching}>
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
        <Button
          changes="/flows/x/publish"
          kind="primary"
          onClick={() => void openPublish()}
          disabled={draft.saving.state === 'invalid' || flow.state === 'archived'}
        >
          Publish…
        </Button>
      </div>

      {isWriting ? (
        <LetterLayer
          document={document}
          stepId={writing.step}
          version={writing.version}
          edit={draft.edit}
          onClose={() => setWriting(null)}
        />
      ) : lens === 'rehearse' ? (
        <RehearseLens flowKey={flow.key} revision={flow.revision} document={document} edit={draft.edit} acts={acts} fold={fold} />
      ) : lens === 'backtest' ? (
        <BacktestLens flowKey={flow.key} document={document} acts={acts} fold={fold} />
      ) : lens === 'history' && flow.published ? (
        <HistoryLens
          flow={{ ...flow, draft: document }}
          acts={acts}
          fold={fold}
          onRestored={(back) => {
            setFlow(back);
            draft.load(back.draft, back.revision);
          }}
        />
      ) : isNow ? (
        <NowLens flow={flow} acts={acts} fold={fold} foot={foot} />
      ) : isResults ? (
        <ResultsLens flow={flow} acts={acts} fold={fold} />
      ) : (
        <WriteContext.Provider value={write}>
          <PlanLens
            document={document}
            edit={draft.edit}
            acts={acts}
            fold={fold}
            foot={foot}
            report={report.data}
            changes={flow.version === null ? [] : flow.changes}
          />
        </WriteContext.Provider>
      )}
      {theirs && (
        <MergeDialog
          base={flow.draft}
          mine={document}
          theirs={theirs.draft}
          who={who}
          onClose={() => setTheirs(null)}
          onMerged={(merged) => {
            setFlow(theirs);
            draft.load(theirs.draft, theirs.revision);
            draft.edit(merged, '');
            setTheirs(null);
          }}
        />
      )}
      {meanwhile && <ResumeDialog flow={flow} due={meanwhile} onClose={() => setMeanwhile(null)} onResume={turn} />}
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

/** How many others have a sign each; the rest are counted, by name where one looks. */
const SHOWN = 3;

/** Who else has the flow open, and where they are. */
function Others({ others, document, onShow }: { others: PresenceView['others']; document: FlowDocument; onShow: (id: string) => void }) {
  return (
    <ul className="flex gap-1" aria-label="Also here">
      {others.slice(0, SHOWN).map(({ name, step }, index) => {
        const at = step === null ? undefined : planOf(document).steps.get(step);
        const says = `${name} is here${at ? `, at ${sayStep(at)}` : ''}`;
        return (
          <li key={index}>
            <button
              type="button"
              title={says}
              aria-label={says}
              onClick={() => onShow(at ? at.id : 'trigger')}
              className="grid size-7 place-items-center rounded-full border-2 border-[var(--lane-1)] text-xs font-semibold"
            >
              {name
                .split(/\s+/)
                .map((word) => word[0])
                .slice(0, 2)
                .join('')}
            </button>
          </li>
        );
      })}
      {others.length > SHOWN && (
        <li
          className="self-center text-xs text-soft"
          title={others
            .slice(SHOWN)
            .map(({ name }) => name)
            .join(', ')}
        >
          +{others.length - SHOWN}
        </li>
      )}
    </ul>
  );
}

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
