'use client';

import { Command } from 'cmdk';
import { useId, useMemo, useState } from 'react';
import { armsOf, freeId, freshStep, sayStep, STEP_KINDS, typedStep, type FlowDocument, type Step } from '@/core/flows';
import { suggest } from '@/core/rules';
import { useKnown } from '../rules';

/** What a kind of step is called where one is added, and other words by which it is found. */
export const STEP_OFFERS: { readonly [kind in (typeof STEP_KINDS)[number]]: readonly [name: string, also: string] } = {
  wait: ['Wait', 'pause stand still until'],
  send: ['Message', 'send email letter sms text push'],
  branch: ['Branch', 'if split condition'],
  test: ['Test by lot', 'lot random share'],
  code: ['Discount code', 'offer coupon'],
  update: ['Update the person', 'tag list attribute set'],
  record: ['Record an event', 'event'],
  lookup: ['Look up a row of a table', 'table find'],
  call: ['Call a system', 'webhook http'],
  task: ['Task for a colleague', 'phone ring'],
  note: ['Note to a colleague', 'tell chat'],
  hand: ['Hand over to a flow', 'other flow'],
  idea: ['Idea, still a sentence', 'sketch plan'],
  end: ['End', 'stop'],
};

/** What a typed step says before it is put in. */
const sayTyped = (step: Step): string => {
  const arms = armsOf(step);
  return arms.length ? `${sayStep(step)}: ${arms.map((arm) => arm.name).join(' / ')}` : sayStep(step);
};

/** Asks what to put in: typed in words, or chosen. Arrow keys and Enter choose, Escape leaves it. */
export function AddWords({ document, onPick, onCancel }: { document: FlowDocument; onPick: (step: Step) => void; onCancel: () => void }) {
  const [words, setWords] = useState('');
  const hint = useId();
  const known = useKnown(true, document.triggers[0]!.event);
  const typed = useMemo(() => typedStep(words, 'typed', (text) => suggest(text, known, 1)[0]?.rule ?? null), [words, known]);
  const asked = words.trim().toLowerCase();
  const kinds = STEP_KINDS.filter((kind) => STEP_OFFERS[kind].join(' ').toLowerCase().includes(asked));
  const own = (step: Step) => {
    const id = freeId(document, step.kind);
    const again = typedStep(words, id, (text) => suggest(text, known, 1)[0]?.rule ?? null);
    onPick(again?.step ?? freshStep(step.kind, id));
  };
  const item = 'flex cursor-pointer rounded-md px-2 py-1 data-[selected=true]:bg-wash data-[selected=true]:text-accent';
  const typedItem = typed && (
    <Command.Item key="typed" value="typed" className={item} onSelect={() => own(typed.step)}>
      <span className="min-w-0 flex-1 truncate font-semibold">{sayTyped(typed.step)}</span>
    </Command.Item>
  );
  return (
    <Command
      shouldFilter={false}
      label="Add a step"
      onKeyDown={(event) => {
        event.stopPropagation();
        if (event.key === 'Escape') {
          event.preventDefault();
          onCancel();
        }
      }}
      className="grid gap-1"
    >
      <Command.Input
        autoFocus
        value={words}
        onValueChange={setWords}
        aria-describedby={hint}
        placeholder="wait 2 days, send Reminder …"
        maxLength={300}
        className="h-8 w-full rounded-md border border-line bg-panel px-2 outline-none focus-visible:border-accent"
      />
      <span id={hint} className="sr-only">
        Type what comes here: wait 2 days, send Reminder, branch value 100, test 50/50, tag vip, or any sentence as an idea.
      </span>
      <Command.List className="max-h-[236px] overflow-y-auto text-sm">
        {typed && !typed.isIdea && typedItem}
        {(typed && !typed.isIdea ? [] : kinds).map((kind) => (
          <Command.Item key={kind} value={kind} className={item} onSelect={() => onPick(freshStep(kind, freeId(document, kind)))}>
            {STEP_OFFERS[kind][0]}
          </Command.Item>
        ))}
        {typed?.isIdea && typedItem}
      </Command.List>
    </Command>
  );
}
