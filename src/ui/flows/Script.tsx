'use client';

import { clsx } from 'clsx';
import { useRef, useState, type FocusEvent, type KeyboardEvent, type ReactNode } from 'react';
import { sayRule } from '@/core/rules';
import {
  armsOf,
  changeArm,
  changeStep,
  goesByWhatComes,
  insertSteps,
  placeOf,
  planOf,
  retyped,
  sayGoal,
  sayShares,
  sayStep,
  sayTriggers,
  typedWords,
  wordingOf,
  type Arm,
  type FlowDocument,
  type Place,
  type Step,
} from '@/core/flows';
import { laneColour } from '../map';
import { AddWords } from './AddWords';
import type { Edit } from './fields';
import type { StepActs } from './useStepActs';

/** When the two arms of a step are taken that go by what comes of it. */
const WHEN: { readonly [kind in Step['kind']]?: readonly [string, string] } = {
  code: ['if they got one', 'if they got none'],
  lookup: ['if there is a row', 'if there is none'],
  call: ['if it answered well', 'if it did not'],
  task: ['if it was done', 'if it was not done in time'],
};

interface Props {
  readonly document: FlowDocument;
  readonly currency: string;
  readonly acts: StepActs;
  readonly onOpen: (id: string) => void;
  readonly troubled: ReadonlySet<string>;
  /** changes the flow; left out where it is only read */
  readonly edit?: Edit | undefined;
  /** what a lens has to say of a step, behind its sentence */
  readonly notes?: ReadonlyMap<string, string> | undefined;
}

/** Where an arm's line is found: its key cannot be that of a step. */
const armLine = (id: string) => `arm:${id}`;

/**
 * The flow as an indented list of sentences: the line map's equal in text. By keyboard alone a whole flow can be written: arrows walk, A adds,
 * Tab goes into an arm, Enter changes the line, I goes to its settings.
 */
export function Script({ document, currency, acts, onOpen, troubled, edit, notes }: Props) {
  const { selected, chosen } = acts;
  const wording = wordingOf(document, currency);
  const [adding, setAdding] = useState<string | null>(null);
  const [typing, setTyping] = useState<string | null>(null);
  const isWalking = useRef(false);
  // lanes are handed out in reading order, as on the map: the first arm keeps its lane
  let lanes = 1;
  const { steps } = planOf(document);
  const many = new Set(chosen.length > 1 ? chosen : []);
  const focus = (line: string) => acts.follow('script', line);

  const placeOfLine = (line: string): Place => {
    if (line.startsWith('arm:')) return { armId: line.slice(4), index: 0 };
    const place = placeOf(document, line);
    return place ? { ...place, index: place.index + 1 } : { armId: null, index: 0 };
  };
  const add = (line: string, step: Step) => {
    edit?.(insertSteps(document, placeOfLine(line), [step]), `add.${step.id}`);
    setAdding(null);
    acts.select(step.id);
    focus(step.id);
  };
  const adder = (line: string) =>
    adding === line && (
      <div className="my-1 rounded-md border border-accent p-1">
        <AddWords
          document={document}
          onPick={(step) => add(line, step)}
          onCancel={() => {
            setAdding(null);
            focus(line);
          }}
        />
      </div>
    );

  // whatever brings the keyboard to a line selects it, so that keys are about that line
  const onFocus = (event: FocusEvent) => {
    const id = (event.target as HTMLElement).dataset.selects;
    if (id !== undefined && !isWalking.current && id !== selected) acts.select(id);
  };
  const onKeyDown = (event: KeyboardEvent<HTMLElement>) => {
    const here = (event.target as Element).closest<HTMLElement>('[data-line]');
    if (!here || event.target !== here) return;
    const line = here.dataset.line!;
    const lines = [...event.currentTarget.querySelectorAll<HTMLElement>('[data-line]')];
    const at = lines.indexOf(here);
    const go = (to: HTMLElement | undefined) => {
      if (!to) return;
      event.preventDefault();
      const id = to.dataset.line!;
      acts.select(to.dataset.selects!, { extend: event.shiftKey && steps.has(id) && event.key !== 'Tab' });
      isWalking.current = true;
      to.focus();
      isWalking.current = false;
    };
    const armId = line.startsWith('arm:') ? line.slice(4) : null;
    const step = steps.get(here.dataset.selects!);
    if (event.key === 'ArrowDown' && !event.altKey) return go(lines[at + 1]);
    if (event.key === 'ArrowUp' && !event.altKey) return go(lines[at - 1]);
    if (event.key === 'Home') return go(lines[0]);
    if (event.key === 'End') return go(lines.at(-1));
    if (event.key === 'Tab' && step) {
      // into the arms one after another; behind the last Tab leaves as everywhere
      const arms = armsOf(step).map((arm) => armLine(arm.id));
      const n = armId === null ? -1 : arms.indexOf(line);
      const to = event.shiftKey ? (n > 0 ? arms[n - 1] : n === 0 ? step.id : undefined) : arms[n + 1];
      return to === undefined ? undefined : go(lines.find((one) => one.dataset.line === to));
    }
    if (event.key === 'i' || event.key === 'I') {
      event.preventDefault();
      return onOpen(here.dataset.selects!);
    }
    if (!edit) return;
    if ((event.key === 'a' || event.key === 'A') && !event.ctrlKey && !event.metaKey && !event.altKey) {
      event.preventDefault();
      return setAdding(line);
    }
    if (event.key === 'Enter' || event.key === 'F2') {
      event.preventDefault();
      if (armId !== null || (step && typedWords(step) !== null)) return setTyping(line);
      return onOpen(here.dataset.selects!);
    }
    if (armId === null && step && acts.onKey(event, 'script')) event.preventDefault();
  };

  const look = (isCurrent: boolean, id: string) =>
    clsx(
      'w-full rounded-md px-2 py-1 text-left [overflow-wrap:anywhere] hover:bg-wash',
      isCurrent && 'bg-wash font-semibold text-accent',
      many.has(id) && !isCurrent && 'bg-wash outline outline-1 outline-accent',
      troubled.has(id) && 'outline outline-1 outline-caution',
    );
  const line = (id: string, content: ReactNode, key = id) => (
    <li key={key}>
      {typing === id && key === id ? (
        <LineInput
          words={typedWords(steps.get(id)!) ?? ''}
          name="This step in words"
          read={(words) => {
            const next = retyped(steps.get(id)!, words);
            return next
              ? () =>
                  edit?.(
                    changeStep(document, id, () => next),
                    '',
                  )
              : null;
          }}
          problem="This line is another kind of step. Add one with A, and remove this one."
          onDone={() => {
            setTyping(null);
            focus(id);
          }}
        />
      ) : (
        <button
          type="button"
          data-line={key === id ? id : undefined}
          data-selects={id}
          tabIndex={key === id ? (selected === id ? 0 : -1) : -1}
          aria-current={selected === id && key === id ? 'true' : undefined}
          // a press brings the keyboard first, and Shift must not be lost by that
          onMouseDown={(event) => event.shiftKey && event.preventDefault()}
          onClick={(event) => acts.select(id, { extend: event.shiftKey })}
          onDoubleClick={() => edit && steps.has(id) && typedWords(steps.get(id)!) !== null && setTyping(id)}
          className={look(selected === id && key === id, id)}
        >
          {content}
          {key === id && notes?.get(id) && <span className="block text-xs font-normal text-soft tabular">{notes.get(id)}</span>}
        </button>
      )}
      {key === id && adder(id)}
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
  const sequence = (list: readonly Step[], lane: number): ReactNode =>
    list.map((step) => {
      const arms = armsOf(step);
      if (!arms.length) return line(step.id, say(step));
      return (
        <li key={step.id}>
          <ul>{line(step.id, sayStep(step))}</ul>
          {arms.map((arm, index) => {
            const own = index === 0 ? lane : lanes++;
            const key = armLine(arm.id);
            return (
              <div key={arm.id} className="ml-2 border-l-[3px] pl-2" style={{ borderColor: laneColour(own) }}>
                {typing === key ? (
                  <LineInput
                    words={arm.name}
                    name="Label of this arm"
                    read={(words) =>
                      words.trim()
                        ? () =>
                            edit?.(
                              changeArm(document, step.id, arm.id, (one) => ({ ...one, name: words.trim().slice(0, 80) })),
                              '',
                            )
                        : null
                    }
                    problem="An arm needs a label."
                    onDone={() => {
                      setTyping(null);
                      focus(key);
                    }}
                  />
                ) : (
                  <button
                    type="button"
                    data-line={key}
                    data-selects={step.id}
                    tabIndex={-1}
                    onClick={() => acts.select(step.id)}
                    onDoubleClick={() => edit && setTyping(key)}
                    className="w-full rounded-md px-2 py-1 text-left hover:bg-wash"
                  >
                    <span className="font-semibold" style={{ color: laneColour(own) }}>
                      {arm.name}
                    </span>
                    <span className="block text-xs text-soft">{notes?.get(key) ?? whom(arm, arms, step)}</span>
                  </button>
                )}
                {adder(key)}
                <ul>{arm.steps.length ? sequence(arm.steps, own) : <li className="px-2 py-1 text-soft">nothing happens</li>}</ul>
              </div>
            );
          })}
        </li>
      );
    });

  return (
    <nav aria-label="Script" className="text-sm" onKeyDown={onKeyDown} onFocus={onFocus}>
      <ul className="grid gap-px">
        {line('trigger', <>When: {sayTriggers(document.triggers)}</>)}
        {document.entry && line('trigger', <span className="text-soft">Enters who {sayRule(document.entry, wording)}</span>, 'entry-rule')}
        {document.stay && line('trigger', <span className="text-soft">Stays who {sayRule(document.stay, wording)}</span>, 'stay-rule')}
        {document.goal && line('trigger', <span className="text-soft">Goal: {sayGoal(document.goal, wording)}</span>, 'goal')}
      </ul>
      <hr className="my-2 border-line" />
      <ul className="grid gap-px">{sequence(document.steps, 0)}</ul>
      {edit && adding === null && (
        <p className="mt-3 text-xs text-soft">
          {document.steps.length
            ? 'A adds after a line, Enter changes it, I goes to its settings.'
            : 'Nothing happens yet. Press A here, or the + on the line, and type: wait 2 days.'}
        </p>
      )}
    </nav>
  );
}

/** A line that is being typed. What cannot be read stays, with the reason; Escape leaves it as it was. */
function LineInput({
  words: given,
  name,
  read,
  problem,
  onDone,
}: {
  words: string;
  name: string;
  read: (words: string) => (() => void) | null;
  problem: string;
  onDone: () => void;
}) {
  const [words, setWords] = useState(given);
  const [isWrong, setWrong] = useState(false);
  const keep = () => {
    if (words.trim() === given.trim()) return onDone();
    const put = read(words);
    if (!put) return setWrong(true);
    put();
    onDone();
  };
  return (
    <div className="grid gap-1">
      <input
        autoFocus
        aria-label={name}
        aria-invalid={isWrong}
        value={words}
        maxLength={500}
        onChange={(event) => {
          setWords(event.target.value);
          setWrong(false);
        }}
        onFocus={(event) => event.target.select()}
        onBlur={() => (read(words) ? keep() : onDone())}
        onKeyDown={(event) => {
          event.stopPropagation();
          if (event.key === 'Enter') keep();
          if (event.key === 'Escape') onDone();
        }}
        className="w-full rounded-md border border-accent bg-panel px-2 py-1"
      />
      {isWrong && (
        <p role="alert" className="px-2 text-xs text-stop">
          {problem}
        </p>
      )}
    </div>
  );
}
