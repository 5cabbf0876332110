'use client';

import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import type { DueView, FlowView } from '@/core/api';
import { api, Button, Dialog, plural } from '../kit';

export type Due = 'send' | 'drop';

/** What has fallen due in a flow while it was paused; nothing is asked while it is on. */
export const useDue = (flow: FlowView, isAsked: boolean) =>
  useQuery({
    queryKey: ['due', flow.key, flow.state],
    queryFn: () => api<DueView>(`/flows/${flow.key}/due`),
    enabled: isAsked && flow.state === 'paused',
    staleTime: 0,
  });

/** What becomes of what fell due during a pause: the choice, with its numbers. */
export function DueChoice({ due, value, onChange }: { due: DueView; value: Due; onChange: (value: Due) => void }) {
  return (
    <section className="grid gap-2">
      <h3 className="font-semibold">{plural(due.people, 'person was', 'people were')} due while it was paused</h3>
      <ul className="grid gap-1" aria-label="What was due">
        {due.steps.map((one) => (
          <li key={one.step} className="flex justify-between gap-3 border-l-2 border-line pl-2">
            <span>{one.says}</span>
            <span className="shrink-0 text-soft tabular">{plural(one.people, 'person', 'people')}</span>
          </li>
        ))}
      </ul>
      {(
        [
          ['send', 'It goes out now', 'They go on where they stand, late as it is.'],
          [
            'drop',
            'It is dropped',
            'They get no message and no code up to their next wait, and go on from there. The rest is done: branches, tasks, what is put on file.',
          ],
        ] as const
      ).map(([way, words, more]) => (
        <label key={way} className="grid grid-cols-[auto_1fr] gap-x-2">
          <input type="radio" name="due" checked={value === way} onChange={() => onChange(way)} className="mt-1" />
          <span>
            {words}
            <span className="block text-xs text-soft">{more}</span>
          </span>
        </label>
      ))}
    </section>
  );
}

/** Asked before a flow is switched on again, where something fell due meanwhile. */
export function ResumeDialog({
  flow,
  due,
  onClose,
  onResume,
}: {
  flow: FlowView;
  due: DueView;
  onClose: () => void;
  onResume: (due: Due) => Promise<void>;
}) {
  const [way, setWay] = useState<Due>('send');
  const [isBusy, setBusy] = useState(false);
  return (
    <Dialog isOpen onClose={onClose} title={`Resume “${flow.name}”`} width={520} about="Whoever is due from now on goes on at their time.">
      <DueChoice due={due} value={way} onChange={setWay} />
      <div className="flex justify-end gap-2">
        <Button onClick={onClose}>Cancel</Button>
        <Button
          kind="primary"
          disabled={isBusy}
          onClick={() => {
            setBusy(true);
            void onResume(way).finally(() => setBusy(false));
          }}
        >
          {isBusy ? 'Resuming…' : 'Resume'}
        </Button>
      </div>
    </Dialog>
  );
}
