'use client';

import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import type { FlowView, PreflightView } from '@/core/api';
import type { FlowDocument } from '@/core/flows';
import { api, Button, Field, inputClass, plural, wordsOf } from '../kit';

type Found = PreflightView['findings'][number];

/** What the server finds wrong with a draft as it was saved, by all that it knows. */
export const usePreflight = (flow: Pick<FlowView, 'key' | 'revision'>, isOpen: boolean) =>
  useQuery({
    queryKey: ['preflight', flow.key, flow.revision],
    queryFn: () => api<PreflightView>(`/flows/${flow.key}/preflight`),
    enabled: isOpen,
  });

/** What is to be mended or thought about before publishing: mended in one act where that can be, or accepted with a reason. */
export function Preflight({
  preflight,
  error,
  document,
  change,
  onShow,
}: {
  preflight: PreflightView | undefined;
  error: Error | null;
  document: FlowDocument;
  /** changes the draft and saves it */
  change: (to: FlowDocument) => Promise<void>;
  onShow: (stepId: string) => void;
}) {
  const [isBusy, setBusy] = useState(false);
  const [accepting, setAccepting] = useState<Found | null>(null);
  const put = async (to: FlowDocument) => {
    setBusy(true);
    try {
      await change(to);
    } finally {
      setBusy(false);
      setAccepting(null);
    }
  };
  const isSame = (found: Found) => (one: { code: string; step: string | null }) =>
    one.code === found.code && one.step === (found.place?.step ?? null);
  const accepted = document.accepted ?? [];
  const open = preflight?.findings.filter((found) => found.accepted === null);
  return (
    <section className="grid gap-2" aria-label="Preflight" aria-busy={!preflight}>
      <h3 className="font-semibold">Preflight</h3>
      {error && (
        <p role="alert" className="text-stop">
          {wordsOf(error)}
        </p>
      )}
      {!preflight && !error && <p className="text-soft">Looking at the draft, at what is on file, and at the last 90 days…</p>}
      {preflight && !open!.length && <p className="text-good">Nothing to mend.</p>}
      {preflight && preflight.checks.length > 0 && (
        <p className={preflight.checks.every((one) => one.isWell) ? 'text-good' : 'text-stop'}>
          {plural(preflight.checks.filter((one) => one.isWell).length, 'check', 'checks')} of {preflight.checks.length}{' '}
          {preflight.checks.length === 1 ? 'holds' : 'hold'}.
        </p>
      )}
      {preflight && (
        <ul className="grid gap-2">
          {preflight.findings.map((found, index) => (
            <li
              key={index}
              className={`border-l-2 pl-2 ${found.accepted !== null ? 'border-line' : found.severity === 'stops' ? 'border-stop' : 'border-caution'}`}
            >
              <span
                className={`font-semibold ${found.accepted !== null ? 'text-soft' : found.severity === 'stops' ? 'text-stop' : 'text-caution'}`}
              >
                {found.accepted !== null ? 'Accepted' : found.severity === 'stops' ? 'Stops it' : 'Warns'}:{' '}
              </span>
              {found.says}
              <span className="block text-soft">{found.accepted !== null ? `Because: ${found.accepted}` : found.advice}</span>
              {accepting === found ? (
                <Reason
                  isBusy={isBusy}
                  onCancel={() => setAccepting(null)}
                  onAccept={(reason) =>
                    void put({ ...document, accepted: [...accepted, { code: found.code, step: found.place?.step ?? null, reason }] })
                  }
                />
              ) : (
                <span className="flex flex-wrap gap-3">
                  {found.mend && found.accepted === null && (
                    <button
                      type="button"
                      disabled={isBusy}
                      className="text-accent underline"
                      onClick={() => void put(found.mend!.document)}
                    >
                      {found.mend.says}
                    </button>
                  )}
                  {found.place && (
                    <button type="button" className="text-accent underline" onClick={() => onShow(found.place!.step)}>
                      Show it
                    </button>
                  )}
                  {found.severity === 'warns' && found.accepted === null && (
                    <button type="button" disabled={isBusy} className="text-accent underline" onClick={() => setAccepting(found)}>
                      Accept…
                    </button>
                  )}
                  {found.accepted !== null && (
                    <button
                      type="button"
                      disabled={isBusy}
                      className="text-accent underline"
                      onClick={() => void put({ ...document, accepted: accepted.filter((one) => !isSame(found)(one)) })}
                    >
                      Take it back
                    </button>
                  )}
                </span>
              )}
            </li>
          ))}
        </ul>
      )}
    </section>
  );
}

function Reason({ isBusy, onAccept, onCancel }: { isBusy: boolean; onAccept: (reason: string) => void; onCancel: () => void }) {
  const [reason, setReason] = useState('');
  return (
    <form
      className="mt-1 grid gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        onAccept(reason.trim());
      }}
    >
      <Field label="Why it is right as it is" hint="It stays with the flow, for whoever looks at it next.">
        <input autoFocus value={reason} maxLength={300} onChange={(event) => setReason(event.target.value)} className={inputClass} />
      </Field>
      <div className="flex gap-2">
        <Button onClick={onCancel}>Cancel</Button>
        <Button kind="primary" type="submit" disabled={isBusy || reason.trim().length < 3}>
          Accept
        </Button>
      </div>
    </form>
  );
}
