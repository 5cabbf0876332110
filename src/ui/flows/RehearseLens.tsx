'use client';

import { clsx } from 'clsx';
import { Plus, X } from 'lucide-react';
import { useMemo, useState } from 'react';
import { toast } from 'sonner';
import type { FlowDocument } from '@/core/flows';
import type { Rehearsed } from '@/core/rehearsal';
import { Button, Field, inputClass } from '../kit';
import { drawingOf, type MapLayer } from '../map';
import {
  Clock,
  Fire,
  momentsOf,
  MOST_PEOPLE,
  nameOf,
  PersonForm,
  readWritten,
  secondsOf,
  someoneNew,
  Story,
  Travellers,
  useRehearsal,
  wayUntil,
  type Sent,
  type Written,
} from '../rehearsal';
import type { Edit } from './fields';
import type { Fold } from './Stage';
import type { StepActs } from './useStepActs';
import { Viewed } from './Viewed';

/** People who are made up, or on file, go through the draft side by side on a clock that is dragged. Nothing leaves the house, nothing is stored. */
export default function RehearseLens({
  flowKey,
  revision,
  document,
  edit,
  acts,
  fold,
}: {
  flowKey: string;
  revision: number;
  document: FlowDocument;
  edit: Edit;
  acts: StepActs;
  fold: Fold;
}) {
  const [people, setPeople] = useState<readonly Written[]>(() => [someoneNew(document, 0)]);
  const [shown, setShown] = useState('p1');
  const [clock, setClock] = useState<number | null>(null);
  const sent = useMemo(
    () =>
      people.flatMap((one, index): Sent[] => {
        const read = readWritten(one);
        return read ? [{ id: one.id, name: nameOf(one, index), one: read }] : [];
      }),
    [people],
  );
  const { now, came, problems, isBusy } = useRehearsal(flowKey, revision, document, sent);
  const moments = useMemo(() => (now === null ? [] : momentsOf(came.values(), now)), [came, now]);
  const at = Math.max(now ?? 0, clock ?? moments.at(-1) ?? 0);
  const index = Math.max(
    0,
    people.findIndex(({ id }) => id === shown),
  );
  const one = people[index]!;
  const its = came.get(one.id);
  const problem = problems.get(one.id);
  const put = (next: Written) => setPeople(people.map((other) => (other.id === next.id ? next : other)));
  /** lets something happen right after all that is shown at the moment of the clock */
  const fire = (type: string) => {
    if (now === null) return;
    put({ ...one, events: [...one.events, { type, after: secondsOf(at - now + 1000), data: one.events[0]?.data ?? '{}' }] });
  };
  const add = () => {
    const taken = new Set(people.map(({ id }) => id));
    const free = Array.from({ length: MOST_PEOPLE }, (_, n) => n).find((n) => !taken.has(`p${n + 1}`))!;
    setPeople([...people, someoneNew(document, free)]);
    setShown(`p${free + 1}`);
  };
  const keep = (name: string, view: Rehearsed) => {
    const { person: _, ...asked } = readWritten(one)!;
    const expects = { sends: view.sends.map((send) => send.step), goal: view.runs.some((run) => run.goalAt !== null) };
    const others = (document.checks ?? []).filter((check) => check.name !== name);
    edit({ ...document, checks: [...others, { name, ...asked, expects }] }, '');
    toast.success(`Kept: “${name}” is looked at before each publishing.`);
  };
  const layer = useMemo((): MapLayer => {
    const travellers = people.map((person, n) => ({ id: person.id, name: nameOf(person, n), came: came.get(person.id) }));
    const mine = came.get(shown);
    return {
      height: 0,
      // which stretches there are does not depend on how wide the frame is
      lit: mine ? wayUntil(mine.runs, drawingOf(document, { width: 640, height: 480 }), at) : undefined,
      overlay: (drawing) => <Travellers drawing={drawing} people={travellers} at={at} shown={shown} />,
    };
  }, [people, came, shown, at, document]);
  return (
    <Viewed
      document={document}
      acts={acts}
      fold={fold}
      layer={layer}
      name="Rehearsal"
      foot={now !== null && <Clock now={now} at={at} moments={moments} onChange={setClock} />}
      pane={
        <div className="grid gap-4">
          <div className="mr-8 flex flex-wrap items-center gap-1">
            <div className="contents" role="tablist" aria-label="People">
              {people.map((person, n) => (
                <button
                  key={person.id}
                  role="tab"
                  type="button"
                  aria-selected={person.id === one.id}
                  onClick={() => setShown(person.id)}
                  className={clsx(
                    'flex h-8 items-center gap-1.5 rounded-md border px-2',
                    person.id === one.id ? 'border-ink font-semibold' : 'border-line hover:bg-wash',
                  )}
                >
                  <span
                    className={clsx(
                      'grid size-4 place-items-center rounded-full text-[10px] font-bold text-paper',
                      person.id === one.id ? 'bg-ink' : 'bg-soft',
                    )}
                  >
                    {n + 1}
                  </span>
                  <span className="max-w-[90px] truncate">{nameOf(person, n)}</span>
                </button>
              ))}
            </div>
            <Button kind="quiet" onClick={add} disabled={people.length >= MOST_PEOPLE} aria-label="Add a person" className="px-2">
              <Plus size={16} aria-hidden="true" />
            </Button>
            {people.length > 1 && (
              <Button
                kind="quiet"
                aria-label={`Take ${nameOf(one, index)} out`}
                className="px-2"
                onClick={() => {
                  setPeople(people.filter(({ id }) => id !== one.id));
                  setShown(people.find(({ id }) => id !== one.id)!.id);
                }}
              >
                <X size={16} aria-hidden="true" />
              </Button>
            )}
          </div>
          <Fire document={document} onFire={fire} />
          <div aria-busy={isBusy}>
            {problem ? (
              <p role="alert" className="text-stop">
                {problem}
              </p>
            ) : its ? (
              <Story
                came={its}
                at={at}
                one={one}
                onChange={put}
                onStep={(id) => {
                  acts.select(id);
                }}
              />
            ) : readWritten(one) ? (
              <p className="text-soft">Working it out…</p>
            ) : (
              <p className="text-soft">Something below cannot be read yet.</p>
            )}
          </div>
          <details className="border-t border-line pt-3" open={!readWritten(one) || undefined}>
            <summary className="cursor-pointer font-semibold">Who, and what happens to them</summary>
            <div className="mt-3">
              <PersonForm document={document} one={one} onChange={put} />
            </div>
          </details>
          {one.kind === 'madeUp' && its && its.runs.length > 0 && <KeepCheck onKeep={(name) => keep(name, its)} />}
          <p className="text-xs text-soft">
            The draft as it stands, run by the very code that runs it for real. No message goes out and nothing is stored.
          </p>
        </div>
      }
    />
  );
}

/** Keeps what was rehearsed as a check: before each publishing the same has to come of it. */
function KeepCheck({ onKeep }: { onKeep: (name: string) => void }) {
  const [name, setName] = useState('');
  return (
    <form
      className="grid gap-2 border-t border-line pt-3"
      onSubmit={(event) => {
        event.preventDefault();
        onKeep(name.trim());
        setName('');
      }}
    >
      <h3 className="font-semibold">Keep it as a check</h3>
      <p className="text-xs text-soft">
        Before each publishing this person is sent through again, and the same messages have to come of it. Limits of the store are left
        aside.
      </p>
      <div className="flex items-end gap-2">
        <div className="flex-1">
          <Field label="What it shows">
            <input
              value={name}
              maxLength={80}
              placeholder="Who orders after the first mail gets no second"
              onChange={(event) => setName(event.target.value)}
              className={inputClass}
            />
          </Field>
        </div>
        <Button type="submit" disabled={!name.trim()}>
          Keep
        </Button>
      </div>
    </form>
  );
}
