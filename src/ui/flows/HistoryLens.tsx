'use client';

import { useQuery } from '@tanstack/react-query';
import { clsx } from 'clsx';
import { useMemo, useState } from 'react';
import type { FlowView, VersionView } from '@/core/api';
import { diff, planOf } from '@/core/flows';
import { api, attempt, Button, doneUndoable, Failed, isoOf, plural, sayMoment, useStore } from '../kit';
import type { Fold } from './Stage';
import type { StepActs } from './useStepActs';
import { Viewed } from './Viewed';

/** All that a flow has been, the newest first: who changed what and when, each version on the map, and a way to have it back as the draft. */
export default function HistoryLens({
  flow,
  acts,
  fold,
  onRestored,
}: {
  flow: FlowView;
  acts: StepActs;
  fold: Fold;
  onRestored: (flow: FlowView) => void;
}) {
  const { zone, currency } = useStore();
  const [chosen, setChosen] = useState(flow.version!);
  const versions = useQuery({
    queryKey: ['versions', flow.key, flow.version],
    queryFn: () => api<{ versions: VersionView[] }>(`/flows/${flow.key}/versions`),
  });
  const read = useQuery({
    queryKey: ['version', flow.key, chosen],
    queryFn: () => api<FlowView['draft']>(`/flows/${flow.key}/versions/${chosen}`),
    enabled: chosen !== flow.version,
  });
  const document = (chosen === flow.version ? flow.published : read.data) ?? flow.published!;
  const shown = versions.data?.versions.find(({ version }) => version === chosen);
  // what this version has changed is marked on the map
  const marked = useMemo(() => {
    const { steps } = planOf(document);
    return new Set(shown?.changes.flatMap(({ stepId }) => (stepId !== null && steps.has(stepId) ? [stepId] : [])));
  }, [shown, document]);
  const toDraft = useMemo(() => diff(document, flow.draft, currency), [document, flow.draft, currency]);
  const restore = (version: number) =>
    attempt(async () => {
      const before = flow.draft;
      const back = await api<FlowView>(`/flows/${flow.key}/versions/${version}/restore`, { method: 'POST' });
      onRestored(back);
      doneUndoable(
        `Version ${version} is the draft again. Publish it to switch it on.`,
        () => void attempt(async () => onRestored(await api<FlowView>(`/flows/${flow.key}`, { method: 'PUT', body: before }))),
      );
    });
  return (
    <Viewed
      document={document}
      acts={acts}
      fold={fold}
      marked={marked}
      name="History"
      pane={
        versions.error ? (
          <Failed error={versions.error} retry={() => void versions.refetch()} />
        ) : !versions.data ? (
          <p className="text-soft">Loading…</p>
        ) : (
          <div className="grid gap-4">
            <h2 className="font-semibold">All that it has been</h2>
            <ol className="grid gap-1">
              {versions.data.versions.map(({ version, at, by, changes, inside }) => (
                <li key={version} className={clsx('border-l-2 pl-3', version === chosen ? 'border-accent' : 'border-line')}>
                  <button
                    type="button"
                    aria-current={version === chosen ? 'true' : undefined}
                    onClick={() => setChosen(version)}
                    className="w-full rounded-md text-left hover:bg-wash"
                  >
                    <b className={clsx(version === chosen && 'text-accent')}>Version {version}</b>
                    {version === flow.version && <span className="text-good"> · {flow.state === 'on' ? 'on' : 'paused'}</span>}
                    <span className="block text-xs text-soft">
                      {sayMoment(isoOf(at), zone)}, by {by}
                      {inside > 0 && `; ${plural(inside, 'person is', 'people are')} inside on it`}
                    </span>
                  </button>
                  <ul className="text-sm">
                    {changes.map((change, index) => (
                      <li key={index}>
                        {change.stepId !== null && version === chosen ? (
                          <button type="button" className="min-h-6 text-left hover:underline" onClick={() => acts.select(change.stepId!)}>
                            {change.says}
                          </button>
                        ) : (
                          change.says
                        )}
                      </li>
                    ))}
                  </ul>
                </li>
              ))}
            </ol>
            <section className="grid gap-2 border-t border-line pt-3" aria-label="Against the draft">
              <h3 className="font-semibold">Since version {chosen} the draft has</h3>
              {toDraft.length ? (
                <ul className="text-sm">
                  {toDraft.map((change, index) => (
                    <li key={index}>{change.says}</li>
                  ))}
                </ul>
              ) : (
                <p className="text-soft">not been changed.</p>
              )}
              <Button
                changes="/flows/x/restore"
                className="justify-self-start"
                disabled={!toDraft.length}
                onClick={() => void restore(chosen)}
                aria-label={`Bring version ${chosen} back as the draft`}
              >
                Restore version {chosen}
              </Button>
            </section>
          </div>
        )
      }
    />
  );
}
