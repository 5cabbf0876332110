'use client';

import { useQuery } from '@tanstack/react-query';
import { CircleCheck, CircleSlash } from 'lucide-react';
import { useState } from 'react';
import { DECISIONS, type FlowListView, type WhyView } from '@/core/api';
import { api, Button, Dialog, Empty, Failed, Field, inputClass, sayMoment, useStore } from '../kit';
import { Why } from '../rules';

/** "Why did this person not get …?": for any flow, the condition that kept them out. */
export function WhyNot({ path, onClose }: { path: string; onClose: () => void }) {
  const store = useStore();
  const flows = useQuery({ queryKey: ['flows'], queryFn: () => api<FlowListView>('/flows') });
  const [chosen, setChosen] = useState('');
  const key = chosen || (flows.data?.flows[0]?.key ?? '');
  const why = useQuery({
    queryKey: ['why', path, key],
    queryFn: () => api<WhyView>(`${path}/why?flow=${encodeURIComponent(key)}`),
    enabled: Boolean(key),
  });
  return (
    <Dialog isOpen onClose={onClose} title="Why did this person not get …?" width={620}>
      <Field label="Flow">
        <select value={key} onChange={(event) => setChosen(event.target.value)} className={inputClass}>
          {flows.data?.flows.map((flow) => (
            <option key={flow.key} value={flow.key}>
              {flow.name}
            </option>
          ))}
        </select>
      </Field>
      {why.error ? (
        <Failed error={why.error} retry={() => void why.refetch()} />
      ) : !why.data ? (
        <Empty title="Looking…" />
      ) : (
        <>
          <p className="text-base font-semibold" data-testid="why-says">
            {why.data.says}
          </p>
          {!!why.data.conditions.length && (
            <section>
              <h3 className="mb-1 text-xs font-semibold text-soft">On the way in, as it stands now</h3>
              <ol className="grid gap-2">
                {why.data.conditions.map((one, index) => (
                  <li key={index} className="grid grid-cols-[20px_1fr] gap-2">
                    {one.holds ? (
                      <CircleCheck size={16} aria-label="holds" className="translate-y-[2px] text-good" />
                    ) : (
                      <CircleSlash size={16} aria-label="does not hold" className="translate-y-[2px] text-stop" />
                    )}
                    <div>
                      {one.says}
                      {one.because && (
                        <div className="mt-1">
                          <Why because={one.because} />
                        </div>
                      )}
                    </div>
                  </li>
                ))}
              </ol>
            </section>
          )}
          {!!why.data.runs.length && (
            <section>
              <h3 className="mb-1 text-xs font-semibold text-soft">What was decided, newest first</h3>
              <ol className="grid gap-1 text-sm">
                {why.data.runs.map((run, index) => (
                  <li key={index} className="grid grid-cols-[140px_1fr] gap-2">
                    <time dateTime={run.at} className="text-soft tabular">
                      {sayMoment(run.at, store.zone)}
                    </time>
                    <div>
                      {run.says}
                      {run.because && !run.because.holds && <Why because={run.because} />}
                    </div>
                  </li>
                ))}
              </ol>
              {why.data.runs.length >= DECISIONS && (
                <p className="mt-1 text-xs text-soft">The last {DECISIONS}; the earlier ones stand in their story.</p>
              )}
            </section>
          )}
        </>
      )}
      <div className="text-right">
        <Button onClick={onClose}>Close</Button>
      </div>
    </Dialog>
  );
}
