'use client';

import { useState } from 'react';
import type { BroadcastView, FlowView } from '@/core/api';
import { planOf } from '@/core/flows';
import { api, Ask, Button, Part, percent, plural, sayCount, sayShort, Spans, useStore } from '../kit';

/** How the trial goes: each message with the interval in which its share lies, and, where somebody has to choose, the choice. */
export function Trial({
  view,
  document,
  flowKey,
  onChanged,
}: {
  view: BroadcastView;
  document: FlowView['draft'];
  flowKey: string;
  onChanged: () => void;
}) {
  const { zone } = useStore();
  const [keeping, setKeeping] = useState<{ id: string; name: string } | null>(null);
  const trial = view.trial!;
  const step = [...planOf(document).steps.values()].find((one) => one.kind === 'test');
  const by = step?.kind === 'test' ? { opened: 'opened it', clicked: 'clicked in it', goal: 'ordered' }[step.trial?.by ?? 'opened'] : '';
  return (
    <Part title="The trial">
      <div className="grid grid-cols-[1fr_580px] gap-6 p-4">
        <div className="grid content-start gap-3">
          <p data-testid="trial-says">{trial.says}</p>
          {!trial.won && (
            <p className="text-soft">
              {trial.endsAt ? `Its time is over at ${sayShort(trial.endsAt, zone)}.` : 'More of its people are still to get theirs.'}
              {trial.waiting > 0 && ` ${plural(trial.waiting, 'person waits', 'people wait')} for what it shows.`}
            </p>
          )}
          {!trial.won && (
            <div className="flex flex-wrap gap-2">
              {trial.arms.map(({ id, name }) => (
                <Button
                  changes="/tests"
                  key={id}
                  kind={view.phase === 'asks' ? 'primary' : 'plain'}
                  onClick={() => setKeeping({ id, name })}
                >
                  Send “{name}” to the others…
                </Button>
              ))}
            </div>
          )}
        </div>
        <Spans
          label={`Share of people who ${by}, by message`}
          axis={`Share of people who ${by}`}
          spans={trial.arms
            .filter(({ people }) => people > 0)
            .map(({ id, name, people, did, low, high }) => ({
              key: id,
              name: `${name} (${sayCount(people)})`,
              value: did / people,
              low,
              high,
            }))}
          say={percent}
        />
      </div>
      {keeping && step && (
        <Ask
          isOpen
          onClose={() => setKeeping(null)}
          title={`Send “${keeping.name}” to the others?`}
          about={`${plural(trial.waiting, 'person who waits gets', 'people who wait get')} it now, by the limits of sending.`}
          act="Send"
          onAct={async () => {
            await api(`/tests/${flowKey}/${step.id}/keep`, { method: 'POST', body: { arm: keeping.id } });
            setKeeping(null);
            onChanged();
          }}
        />
      )}
    </Part>
  );
}
