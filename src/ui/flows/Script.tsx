'use client';

import { clsx } from 'clsx';
import type { ReactNode } from 'react';
import { sayRule } from '@/core/rules';
import {
  armsOf,
  goesByWhatComes,
  sayGoal,
  sayShares,
  sayStep,
  sayTriggers,
  wordingOf,
  type Arm,
  type FlowDocument,
  type Step,
} from '@/core/flows';
import { laneColour } from './marks';

/** When the two arms of a step are taken that go by what comes of it. */
const WHEN: { readonly [kind in Step['kind']]?: readonly [string, string] } = {
  code: ['if they got one', 'if they got none'],
  lookup: ['if there is a row', 'if there is none'],
  call: ['if it answered well', 'if it did not'],
  task: ['if it was done', 'if it was not done in time'],
};

/** The flow as an indented list of sentences: the line map's equal in text. */
export function Script({
  document,
  currency,
  selected,
  onSelect,
  troubled,
}: {
  document: FlowDocument;
  currency: string;
  selected: string;
  onSelect: (id: string) => void;
  troubled: ReadonlySet<string>;
}) {
  const wording = wordingOf(document, currency);
  // lanes are handed out in reading order, as on the map: the first arm keeps its lane
  let lanes = 1;

  const line = (id: string, content: ReactNode, key = id) => (
    <li key={key}>
      <button
        type="button"
        aria-current={selected === id && key === id ? 'true' : undefined}
        onClick={() => onSelect(id)}
        className={clsx(
          'w-full rounded-md px-2 py-1 text-left hover:bg-wash',
          selected === id && key === id && 'bg-wash font-semibold text-accent',
          troubled.has(id) && 'outline outline-1 outline-caution',
        )}
      >
        {content}
      </button>
    </li>
  );
  const say = (step: Step): string => (step.kind === 'send' && step.off ? `${sayStep(step)} (off)` : sayStep(step));
  const whom = (arm: Arm, arms: readonly Arm[], step: Step): string =>
    goesByWhatComes(step)
      ? arm === arms[0]
        ? (WHEN[step.kind]?.[0] ?? 'if that came')
        : (WHEN[step.kind]?.[1] ?? 'if it did not')
      : arm.share !== undefined
        ? `${sayShares(arms, arm)}, by lot`
        : arm.when
          ? `when ${sayRule(arm.when, wording)}`
          : 'everyone else';
  const sequence = (steps: readonly Step[], lane: number): ReactNode =>
    steps.map((step) => {
      const arms = armsOf(step);
      if (!arms.length) return line(step.id, say(step));
      return (
        <li key={step.id}>
          <ul>{line(step.id, sayStep(step))}</ul>
          {arms.map((arm, index) => {
            const own = index === 0 ? lane : lanes++;
            return (
              <div key={arm.id} className="ml-2 border-l-[3px] pl-2" style={{ borderColor: laneColour(own) }}>
                <button type="button" onClick={() => onSelect(step.id)} className="w-full rounded-md px-2 py-1 text-left hover:bg-wash">
                  <span className="font-semibold" style={{ color: laneColour(own) }}>
                    {arm.name}
                  </span>
                  <span className="block text-xs text-soft">{whom(arm, arms, step)}</span>
                </button>
                <ul>{arm.steps.length ? sequence(arm.steps, own) : <li className="px-2 py-1 text-soft">nothing happens</li>}</ul>
              </div>
            );
          })}
        </li>
      );
    });

  return (
    <nav aria-label="Script" className="text-sm">
      <ul className="grid gap-px">
        {line('trigger', <>When: {sayTriggers(document.triggers)}</>)}
        {document.entry && line('trigger', <span className="text-soft">Enters who {sayRule(document.entry, wording)}</span>, 'entry-rule')}
        {document.stay && line('trigger', <span className="text-soft">Stays who {sayRule(document.stay, wording)}</span>, 'stay-rule')}
        {document.goal && line('trigger', <span className="text-soft">Goal: {sayGoal(document.goal, wording)}</span>, 'goal')}
      </ul>
      <hr className="my-2 border-line" />
      <ul className="grid gap-px">{sequence(document.steps, 0)}</ul>
    </nav>
  );
}
