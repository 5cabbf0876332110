'use client';

import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import type { RenderView } from '@/core/api';
import { byDay } from '@/core/letters';
import type { Rehearsed } from '@/core/rehearsal';
import { api, plural, sayMoment, sayShort, useStore } from '../kit';
import { Why } from '../rules';
import { secondsOf, type Written } from './happens';

/** What has come of a rehearsal up to the moment of its clock: each decision with its reason, each message as it would look. */
export function Story({
  came,
  at,
  one,
  onChange,
  onStep,
}: {
  came: Rehearsed;
  at: number;
  one: Written;
  onChange: (one: Written) => void;
  /** shows a step on the map */
  onStep: (id: string) => void;
}) {
  const { zone } = useStore();
  const [shown, setShown] = useState<string | null>(null);
  const isPast = (moment: string) => Date.parse(moment) <= at;
  const sends = came.sends.filter((send) => isPast(send.at));
  const does = (what: 'opens' | 'clicks', step: string, since: string) =>
    onChange({ ...one, [what]: [...one[what], { step, after: secondsOf(at - Date.parse(since)) }] });
  return (
    <div className="grid gap-4" data-testid="rehearsed">
      {came.isCut && <p className="text-stop">It went on without end and was stopped.</p>}
      {!came.runs.length && <p className="text-soft">Nothing of this starts the flow.</p>}
      {came.runs.map((run, index) => {
        const trace = run.trace.filter((entry) => isPast(entry.at));
        const isStarted = run.armedAt !== null && isPast(run.armedAt);
        return (
          <section key={index} aria-label={`Run ${index + 1}`}>
            <h3 className="font-semibold">
              {run.key ? `For ${run.key}` : 'The run'}
              {!isStarted && <span className="font-normal text-soft"> · not begun yet</span>}
              {run.goalAt && isPast(run.goalAt) && (
                <span className="font-normal text-good"> · goal reached {sayMoment(run.goalAt, zone)}</span>
              )}
            </h3>
            <ol className="grid gap-1">
              {trace.map((entry, n) => (
                <li key={n} className="grid grid-cols-[112px_1fr] gap-2">
                  <span className="text-xs text-soft tabular">{sayShort(entry.at, zone)}</span>
                  <span className="min-w-0">
                    {entry.step ? (
                      <button type="button" className="min-h-6 text-left hover:underline" onClick={() => onStep(entry.step!)}>
                        {entry.says}
                      </button>
                    ) : (
                      entry.says
                    )}
                    {entry.because && (
                      <details>
                        <summary className="min-h-6 text-xs text-accent">Why</summary>
                        <Why because={entry.because} />
                      </details>
                    )}
                  </span>
                </li>
              ))}
              {trace.length === run.trace.length && run.next && (
                <li className="grid grid-cols-[112px_1fr] gap-2 text-soft">
                  <span className="text-xs tabular">{sayShort(run.next.at, zone)}</span>
                  <span>would go on: {run.next.says}</span>
                </li>
              )}
            </ol>
          </section>
        );
      })}
      {sends.length > 0 && (
        <section aria-label="Messages" className="grid gap-2">
          <h3 className="font-semibold">{plural(sends.length, 'message', 'messages')}</h3>
          {sends.map((send) => {
            const key = `${send.step} ${send.at}`;
            const has = (what: 'opens' | 'clicks') => one[what].some(({ step }) => step === send.step);
            return (
              <div key={key} className="rounded-md border border-line">
                <button
                  type="button"
                  aria-expanded={shown === key}
                  onClick={() => setShown(shown === key ? null : key)}
                  className="grid w-full px-2 py-1 text-left hover:bg-wash"
                >
                  <span className="text-xs text-soft tabular">{sayShort(send.at, zone)}</span>
                  <span>
                    <b>{send.name}</b>: {send.problem ?? send.subject}
                  </span>
                </button>
                <p className="flex gap-4 px-2 pb-1 text-xs">
                  {has('opens') || has('clicks') ? (
                    <button
                      type="button"
                      className="min-h-6 text-accent underline"
                      onClick={() =>
                        onChange({
                          ...one,
                          opens: one.opens.filter(({ step }) => step !== send.step),
                          clicks: one.clicks.filter(({ step }) => step !== send.step),
                        })
                      }
                    >
                      {has('clicks') ? 'They click in it: take it back' : 'They open it: take it back'}
                    </button>
                  ) : (
                    <>
                      <button type="button" className="min-h-6 text-accent underline" onClick={() => does('opens', send.step, send.at)}>
                        They open it now
                      </button>
                      <button type="button" className="min-h-6 text-accent underline" onClick={() => does('clicks', send.step, send.at)}>
                        They click in it now
                      </button>
                    </>
                  )}
                </p>
                {shown === key &&
                  (send.channel === 'email' ? (
                    <Letter send={send} />
                  ) : (
                    <p className="whitespace-pre-wrap border-t border-line px-2 py-1">{send.text}</p>
                  ))}
              </div>
            );
          })}
        </section>
      )}
    </div>
  );
}

/** A letter as it would look: laid out by the code that sends it, filled in with what the rehearsal knows. */
function Letter({ send }: { send: Rehearsed['sends'][number] }) {
  const { message, personal } = send;
  const { data, error } = useQuery({
    queryKey: ['rehearsed', message, personal],
    queryFn: () =>
      api<RenderView>('/messages/render', {
        method: 'POST',
        body: {
          message,
          person: personal.person,
          event: personal.event,
          ...(personal.offer && { offer: personal.offer }),
          ...(personal.answers && { answers: personal.answers }),
          holds: Object.keys(personal.holds ?? {}),
        },
      }),
    retry: false,
    staleTime: Infinity,
  });
  if (error)
    return (
      <p role="alert" className="border-t border-line px-2 py-1 text-stop">
        {error.message}
      </p>
    );
  if (!data) return <p className="border-t border-line px-2 py-1 text-soft">Putting it together…</p>;
  return (
    <iframe
      title={`${send.name} as it would look`}
      sandbox=""
      srcDoc={byDay(data.html)}
      className="h-[360px] w-full border-t border-line bg-white"
    />
  );
}
