'use client';

import { keepPreviousData, useQuery, useQueryClient } from '@tanstack/react-query';
import { useMemo, useState } from 'react';
import { toast } from 'sonner';
import type { DeparturesView, FlowView, InsideView } from '@/core/api';
import { planOf, sayStep, stepsOf, type FlowDocument } from '@/core/flows';
import {
  Ask,
  api,
  Bars,
  Button,
  Empty,
  Failed,
  Field,
  inputClass,
  Label,
  Menu,
  plural,
  sayCount,
  sayMoment,
  sayTime,
  useStore,
  Link,
} from '../kit';
import { Part } from './fields';

export interface Inside {
  readonly counts: ReadonlyMap<string, number>;
  readonly view: InsideView | undefined;
  readonly error: Error | null;
  readonly refetch: () => void;
}

/** How many are at each step of a flow at this moment, followed while the lens is open. */
export function useInside(key: string, isOpen: boolean): Inside {
  const { data, error, refetch } = useQuery({
    queryKey: ['inside', key],
    queryFn: () => api<InsideView>(`/flows/${key}/inside?limit=0`),
    enabled: isOpen,
    refetchInterval: 3_000,
  });
  const counts = useMemo(
    () => new Map(data?.steps.flatMap(({ step, people }): [string, number][] => (step === null ? [] : [[step, people]]))),
    [data],
  );
  return { counts, view: data, error, refetch: () => void refetch() };
}

/** Who waits where: by name, since when and until when, what holds them; each can be moved on or taken out. */
export function NowPane({
  flow,
  document,
  selected,
  inside,
  onSelect,
}: {
  flow: FlowView;
  document: FlowDocument;
  selected: string;
  inside: Inside;
  onSelect: (id: string) => void;
}) {
  const { zone } = useStore();
  const client = useQueryClient();
  const step = planOf(document).steps.get(selected);
  const people = useQuery({
    queryKey: ['inside', flow.key, 'people', step?.id ?? ''],
    queryFn: () => api<InsideView>(`/flows/${flow.key}/inside${step ? `?step=${step.id}` : ''}`),
    refetchInterval: 5_000,
    placeholderData: keepPreviousData,
  });
  const [moving, setMoving] = useState<InsideView['people'][number] | null>(null);
  const [taking, setTaking] = useState<InsideView['people'][number] | null>(null);
  const renew = () => client.invalidateQueries({ queryKey: ['inside', flow.key] });
  const total = [...inside.counts.values()].reduce((sum, one) => sum + one, 0);
  const here = step ? (inside.counts.get(step.id) ?? 0) : total;
  const gone = inside.view?.steps.filter(({ step: id }) => id !== null && !planOf(document).steps.has(id)) ?? [];
  if (inside.error) return <Failed error={inside.error} retry={inside.refetch} />;
  return (
    <div className="grid gap-4">
      <Part title={step ? sayStep(step) : 'Inside now'}>
        <p data-testid="now-count">
          <b>{plural(here, 'person', 'people')}</b> {step ? 'here' : 'inside'} at this moment
          {step && (
            <>
              , of {sayCount(total)} inside.{' '}
              <button type="button" className="text-accent underline" onClick={() => onSelect('trigger')}>
                Show all
              </button>
            </>
          )}
        </p>
        {!step && gone.length > 0 && (
          <p className="text-xs text-soft">
            {plural(
              gone.reduce((sum, one) => sum + one.people, 0),
              'person stands',
              'people stand',
            )}{' '}
            at steps of an older version, which are not on this map.
          </p>
        )}
        {people.error ? (
          <Failed error={people.error} retry={() => void people.refetch()} />
        ) : !people.data ? (
          <Empty title="Loading…" />
        ) : !people.data.people.length ? (
          <Empty title="Nobody">{step ? 'Nobody is at this step now.' : 'Nobody is inside this flow now.'}</Empty>
        ) : (
          <ul className="max-h-[420px] overflow-y-auto rounded-md border border-line" aria-label="Who">
            {people.data.people.map((one) => (
              <li key={one.run} className="flex items-start gap-2 border-b border-line px-3 py-2 last:border-0">
                <span className="min-w-0 flex-1">
                  <Link href={`/people/~${one.person}`} className="block truncate font-semibold hover:underline">
                    {one.name}
                  </Link>
                  <span className="block text-xs text-soft">
                    {step ? `since ${sayMoment(one.since, zone)}` : one.says}
                    {one.until && <>, until {sayMoment(one.until, zone)}</>}
                  </span>
                  {one.held && <Label tone="caution">held: {one.held}</Label>}
                </span>
                <Menu
                  groups={[
                    [{ name: 'Move on to a step…', changes: '/runs', onSelect: () => setMoving(one) }],
                    [{ name: 'Take out of the flow', changes: '/runs', takes: true, onSelect: () => setTaking(one) }],
                  ]}
                >
                  <Button kind="quiet" aria-label={`Acts on ${one.name}`} className="px-2">
                    …
                  </Button>
                </Menu>
              </li>
            ))}
          </ul>
        )}
        {people.data && !people.data.isAll && (
          <p className="text-xs text-soft">Those who go on first are shown, {sayCount(people.data.people.length)} of them.</p>
        )}
      </Part>
      <Leaving flow={flow} />
      {moving && (
        <MoveOn
          document={document}
          who={moving}
          onClose={() => setMoving(null)}
          onDone={async (name) => {
            toast.success(`${moving.name} goes on at ${name}.`);
            await renew();
          }}
        />
      )}
      {taking && (
        <Ask
          isOpen
          onClose={() => setTaking(null)}
          title={`Take ${taking.name} out`}
          about="Their run ends here: nothing more of this flow goes to them. They may enter again as the flow allows it."
          act="Take out"
          isDanger
          onAct={async () => {
            await api(`/runs/${taking.run}/leave`, { method: 'POST' });
            toast.success(`${taking.name} is out of the flow.`);
            await renew();
          }}
        />
      )}
    </div>
  );
}

/** Puts somebody at another step: they go on from there at once. */
function MoveOn({
  document,
  who,
  onClose,
  onDone,
}: {
  document: FlowDocument;
  who: InsideView['people'][number];
  onClose: () => void;
  onDone: (name: string) => Promise<void>;
}) {
  const steps = stepsOf(document);
  const at = steps.findIndex(({ id }) => id === who.step);
  const [to, setTo] = useState(steps[Math.min(steps.length - 1, at + 1)]?.id ?? '');
  return (
    <Ask
      isOpen
      onClose={onClose}
      title={`Move ${who.name} on`}
      about="They are put at the beginning of a step and go on from there at once; what lies between is not done. The trace of their run says who did it."
      act="Move on"
      canAct={to !== ''}
      onAct={async () => {
        await api(`/runs/${who.run}/move`, { method: 'POST', body: { step: to } });
        await onDone(sayStep(planOf(document).steps.get(to)!));
      }}
    >
      <Field label="To the step">
        <select value={to} onChange={(event) => setTo(event.target.value)} className={inputClass}>
          {steps.map((step) => (
            <option key={step.id} value={step.id}>
              {sayStep(step)}
              {step.id === who.step ? ' (where they are)' : ''}
            </option>
          ))}
        </select>
      </Field>
    </Ask>
  );
}

/** When those who wait in this flow go on, hour by hour for two days; and how many may enter in that time. */
function Leaving({ flow }: { flow: FlowView }) {
  const { zone } = useStore();
  const { data, error } = useQuery({
    queryKey: ['departures', flow.key],
    queryFn: () => api<DeparturesView>('/departures'),
    refetchInterval: 15_000,
  });
  const hours = useMemo(() => {
    const known = new Map(data?.departures.filter((one) => one.flow === flow.key).map((one) => [Date.parse(one.hour), one.runs]));
    const first = known.size ? Math.min(...known.keys()) : 0;
    return known.size
      ? Array.from({ length: 48 }, (_, n) => ({ at: first + n * 3_600_000, runs: known.get(first + n * 3_600_000) ?? 0 }))
      : [];
  }, [data, flow.key]);
  if (error || !data) return null;
  const entries = data.entries.find((one) => one.flow === flow.key);
  const sum = hours.reduce((total, one) => total + one.runs, 0);
  return (
    <Part title="Going on in the next 48 hours">
      {hours.length ? (
        <Bars
          name="People who go on, by hour"
          sum={plural(sum, 'person goes on', 'people go on')}
          bars={hours.map(({ at, runs }, index) => ({
            key: String(at),
            value: runs,
            says: `${sayMoment(new Date(at).toISOString(), zone)}: ${plural(runs, 'person goes on', 'people go on')}`,
            label: index % 12 === 0 ? sayTime(at, zone).slice(0, 5) : undefined,
          }))}
        />
      ) : (
        <p className="text-soft">Nobody who waits goes on by the clock in that time.</p>
      )}
      {entries && (
        <p className="text-xs text-soft">
          Beside them, {entries.least === entries.most ? sayCount(entries.most) : `${sayCount(entries.least)} to ${sayCount(entries.most)}`}{' '}
          may enter in that time, judged by the last four weeks.
        </p>
      )}
    </Part>
  );
}
