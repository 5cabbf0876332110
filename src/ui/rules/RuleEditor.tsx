'use client';

import { clsx } from 'clsx';
import { GripVertical, MoreVertical } from 'lucide-react';
import { useDeferredValue, useId, useLayoutEffect, useRef, useState, type KeyboardEvent, type ReactNode } from 'react';
import { toast } from 'sonner';
import {
  duplicateAt,
  groupOf,
  groupWordOf,
  insertAt,
  moveTo,
  nameOfGroup,
  negated,
  partAt,
  partsOf,
  removeAt,
  replaceAt,
  ruleSchema,
  sayRule,
  suggest,
  type GroupWord,
  type Rule,
  type RulePath,
  type Test,
} from '@/core/rules';
import { inputClass, Menu, useStore } from '../kit';
import { Line } from './Line';
import { useKnown } from './useKnown';
import { PickWord, TypeWord } from './words';

const GROUPS: readonly (readonly [GroupWord, string])[] = [
  ['all', 'all of these hold'],
  ['any', 'any of these holds'],
  ['none', 'none of these holds'],
];
const NAMES: { readonly [word in GroupWord]: string } = { all: 'all of', any: 'any of', none: 'none of' };
const EMPTY: { readonly [word in GroupWord]: string } = {
  all: 'Nothing is asked yet: everybody.',
  any: 'Nothing is offered yet: nobody.',
  none: 'Nothing is ruled out yet: everybody.',
};
/** How the parts of a rule are carried from one editor to another, as text. */
const MIME = 'application/x-viatic-rule';

interface Props {
  readonly rule: Rule;
  /** `tag` tells what was changed: typing in one field is one step back */
  readonly onChange: (rule: Rule, tag: string) => void;
  /** in a flow it can be asked for what is only known there: the event that starts it */
  readonly startedBy?: string;
}

/**
 * A rule as a text whose words can be changed in place. Groups are seen by a line at the left; a line can be moved by its
 * handle or with Alt and the arrow keys, taken out with Delete, and more comes by typing.
 */
export function RuleEditor({ rule: given, onChange, startedBy }: Props) {
  // a single test is shown as a group of one
  const rule = groupWordOf(given) ? given : groupOf('all', [given]);
  const frame = useRef<HTMLDivElement>(null);
  // where the focus goes once what was changed stands there: before the next key is read
  const wanted = useRef<RulePath | null>(null);
  useLayoutEffect(() => {
    if (wanted.current) frame.current?.querySelector<HTMLElement>(`[data-line="${wanted.current.join('.')}"]`)?.focus();
    wanted.current = null;
  });
  const [isTyping, setTyping] = useState(false);
  const known = useKnown(isTyping, startedBy ?? null);
  const [dragged, setDragged] = useState<RulePath | null>(null);
  const [over, setOver] = useState<string | null>(null);

  const { currency } = useStore();
  const says = (part: Rule): string => {
    const word = groupWordOf(part);
    return word
      ? (nameOfGroup(part) ?? NAMES[word])
      : sayRule(part, { currency, ...(startedBy !== undefined && { triggerType: startedBy }) });
  };
  const change = (next: Rule, tag: string, focus?: RulePath) => {
    const parts = partsOf(next);
    const isSingle = 'all' in next && nameOfGroup(next) === undefined && parts!.length === 1 && !groupWordOf(parts![0]!);
    onChange(isSingle ? parts![0]! : next, tag);
    if (focus) wanted.current = focus;
  };
  const move = (path: RulePath, to: RulePath) => {
    const part = partAt(rule, path)!;
    const next = moveTo(rule, path, to);
    if (next === rule) return;
    const there = findPart(next, part);
    change(next, '', there ?? undefined);
  };
  const shift = (path: RulePath, by: -1 | 1) => {
    const index = path.at(-1)!;
    const up = path.slice(0, -1);
    const count = partsOf(partAt(rule, up)!)!.length;
    if (by < 0 && index > 0) move(path, [...up, index - 1]);
    else if (by < 0 && up.length) move(path, up);
    else if (by > 0 && index < count - 1) move(path, [...up, index + 2]);
    else if (by > 0 && up.length) move(path, [...up.slice(0, -1), up.at(-1)! + 1]);
  };
  const remove = (path: RulePath) => {
    const index = path.at(-1)!;
    change(removeAt(rule, path), '', [...path.slice(0, -1), Math.max(0, index - 1)]);
  };
  const copy = (path: RulePath) => {
    const text = JSON.stringify(partAt(rule, path));
    void navigator.clipboard.writeText(text).then(
      () => toast.success('Copied. Paste it where a condition is typed, here or in another rule.'),
      () => toast.error('The browser did not let it be copied.'),
    );
  };
  const onKey = (event: KeyboardEvent, path: RulePath) => {
    // only on the line itself, not in its words
    if (event.target !== event.currentTarget) return;
    const acts: { readonly [key: string]: (() => void) | undefined } = {
      Delete: () => remove(path),
      Backspace: () => remove(path),
      'Alt+ArrowUp': () => shift(path, -1),
      'Alt+ArrowDown': () => shift(path, 1),
      d: () => change(duplicateAt(rule, path), '', [...path.slice(0, -1), path.at(-1)! + 1]),
      n: () => change(replaceAt(rule, path, negated(partAt(rule, path)!)), '', path),
      c: () => copy(path),
      ArrowUp: () => step(-1),
      ArrowDown: () => step(1),
    };
    const act = event.ctrlKey || event.metaKey ? undefined : acts[`${event.altKey ? 'Alt+' : ''}${event.key}`];
    if (!act) return;
    event.preventDefault();
    act();
  };
  const step = (by: -1 | 1) => {
    const lines = [...(frame.current?.querySelectorAll<HTMLElement>('[data-line]') ?? [])];
    lines[lines.indexOf(document.activeElement as HTMLElement) + by]?.focus();
  };

  const handle = (path: RulePath, part: Rule): ReactNode => (
    <span className="flex shrink-0 items-center">
      <span
        draggable
        aria-hidden="true"
        title="Drag to move"
        data-testid="grip"
        onDragStart={(event) => {
          event.dataTransfer.setData(MIME, JSON.stringify(part));
          event.dataTransfer.setData('text/plain', JSON.stringify(part));
          setDragged(path);
        }}
        onDragEnd={() => {
          setDragged(null);
          setOver(null);
        }}
        className="grid size-5 cursor-grab place-items-center text-soft hover:text-ink"
      >
        <GripVertical size={14} />
      </span>
      <Menu
        align="start"
        groups={[
          [
            { name: 'Say the opposite', onSelect: () => change(replaceAt(rule, path, negated(part)), '', path) },
            { name: 'Duplicate', onSelect: () => change(duplicateAt(rule, path), '') },
            { name: 'Copy as text', onSelect: () => copy(path) },
            { name: 'Put into a group', onSelect: () => change(replaceAt(rule, path, groupOf('any', [part])), '') },
          ],
          [
            { name: 'Move up', onSelect: () => shift(path, -1) },
            { name: 'Move down', onSelect: () => shift(path, 1) },
          ],
          [{ name: 'Remove', takes: true, onSelect: () => remove(path) }],
        ]}
      >
        <button
          type="button"
          aria-label={`Acts on: ${says(part)}`}
          title="More to do with it"
          className="grid h-6 w-6 place-items-center rounded-md text-soft hover:bg-wash hover:text-ink"
        >
          <MoreVertical size={14} aria-hidden="true" />
        </button>
      </Menu>
    </span>
  );
  const drop = (path: RulePath) => ({
    onDragOver: (event: React.DragEvent) => {
      if (!event.dataTransfer.types.includes(MIME)) return;
      event.preventDefault();
      event.stopPropagation();
      setOver(path.join('.'));
    },
    onDrop: (event: React.DragEvent) => {
      event.preventDefault();
      event.stopPropagation();
      setOver(null);
      if (dragged) return move(dragged, path);
      // from another editor: it stays there, too
      const part = readRule(event.dataTransfer.getData(MIME));
      if (part) change(insertAt(rule, path, part), '');
    },
  });

  const group = (part: Rule, path: RulePath, depth: number): ReactNode => {
    const word = groupWordOf(part)!;
    const parts = partsOf(part)!;
    const named = nameOfGroup(part);
    return (
      <div className={clsx(depth > 0 && 'min-w-0 flex-1')}>
        <p className={clsx(depth === 0 && 'text-soft')}>
          {depth === 0 && 'Everybody for whom '}
          <PickWord
            label="How the conditions below go together"
            value={word}
            options={GROUPS}
            onChange={(to) => change(replaceAt(rule, path, groupOf(to, parts, named)), 'word')}
          />
          {depth > 0 && (
            <>
              {', called '}
              <TypeWord
                label={`Name of “${NAMES[word]}”`}
                value={named ?? ''}
                read={(text) => (text.length <= 60 ? true : undefined)}
                onChange={(name) =>
                  change(replaceAt(rule, path, groupOf(word, parts, name.trim() ? name : undefined)), `${path.join('.')}.named`)
                }
              />
            </>
          )}
        </p>
        <ul className="mt-1 grid gap-1 border-l-[3px] pl-2" style={{ borderColor: `var(--lane-${depth % 6})` }}>
          {!parts.length && <li className="px-2 text-xs text-soft">{EMPTY[word]}</li>}
          {parts.map((one, index) => line(one, [...path, index], depth))}
          <li {...drop([...path, parts.length])} className={clsx(over === [...path, parts.length].join('.') && 'border-t-2 border-accent')}>
            <Add
              label={depth === 0 ? 'Add a condition' : `Add a condition to “${NAMES[word]}”`}
              known={known}
              isNarrow={startedBy !== undefined}
              onFocus={() => setTyping(true)}
              onAdd={(more) => change(insertAt(rule, [...path, parts.length], more), '')}
            />
          </li>
        </ul>
      </div>
    );
  };
  const line = (part: Rule, path: RulePath, depth: number): ReactNode => {
    const id = path.join('.');
    return (
      <li
        key={id}
        tabIndex={0}
        data-line={id}
        aria-label={says(part)}
        aria-keyshortcuts="Alt+ArrowUp Alt+ArrowDown Delete D N C"
        onKeyDown={(event) => onKey(event, path)}
        {...drop(path)}
        className={clsx(
          'flex items-start gap-1 rounded-md py-0.5 pr-1',
          over === id && dragged?.join('.') !== id && 'border-t-2 border-accent',
        )}
      >
        {handle(path, part)}
        {groupWordOf(part) ? (
          group(part, path, depth + 1)
        ) : (
          <span className="min-w-0 flex-1 leading-7">
            <Line
              test={part as Test}
              known={known}
              startedBy={startedBy}
              put={(test, field) => change(replaceAt(rule, path, test), `${id}.${field}`)}
            />
          </span>
        )}
      </li>
    );
  };
  return <div ref={frame}>{group(rule, [], 0)}</div>;
}

/** Where a part stands in a rule: the very object. */
function findPart(rule: Rule, part: Rule, path: RulePath = []): RulePath | null {
  for (const [index, one] of (partsOf(rule) ?? []).entries()) {
    if (one === part) return [...path, index];
    const inside = findPart(one, part, [...path, index]);
    if (inside) return inside;
  }
  return null;
}

/** A rule from text that was copied, or null. */
function readRule(text: string): Rule | null {
  try {
    const read = ruleSchema.safeParse(JSON.parse(text));
    return read.success ? read.data : null;
  } catch {
    return null;
  }
}

/** Adds a condition by typing: what can be meant is offered below, with how often it occurs. A rule that was copied can be pasted. */
function Add({
  label,
  known,
  isNarrow,
  onAdd,
  onFocus,
}: {
  label: string;
  known: ReturnType<typeof useKnown>;
  isNarrow: boolean;
  onAdd: (rule: Rule) => void;
  onFocus: () => void;
}) {
  const id = useId();
  const [typed, setTyped] = useState('');
  const [at, setAt] = useState(0);
  const [isHere, setHere] = useState(false);
  const asked = useDeferredValue(typed);
  const found = suggest(asked, known);
  const chosen = Math.min(at, found.length - 1);
  const take = (rule: Rule) => {
    onAdd(rule);
    setTyped('');
    setAt(0);
  };
  const isOpen = isHere && asked.trim() !== '';
  return (
    <div className="relative">
      <input
        role="combobox"
        aria-label={label}
        aria-expanded={isOpen}
        aria-controls={`${id}-list`}
        aria-autocomplete="list"
        aria-activedescendant={isOpen && found.length ? `${id}-${chosen}` : undefined}
        value={typed}
        placeholder={isNarrow ? `${label} by typing` : `${label}: “ordered 3”, “clicked”, “Netherlands”, “any of” …`}
        onFocus={() => {
          setHere(true);
          onFocus();
        }}
        onBlur={() => setHere(false)}
        onChange={(event) => {
          setTyped(event.target.value);
          setAt(0);
        }}
        onPaste={(event) => {
          const rule = readRule(event.clipboardData.getData('text/plain'));
          if (!rule) return;
          event.preventDefault();
          take(rule);
        }}
        onKeyDown={(event) => {
          if (event.key === 'ArrowDown' && found.length) setAt((chosen + 1) % found.length);
          else if (event.key === 'ArrowUp' && found.length) setAt((chosen + found.length - 1) % found.length);
          else if (event.key === 'Enter') {
            // who types fast means what is typed, not what is still shown
            const meant = typed === asked ? found[chosen] : suggest(typed, known)[0];
            if (meant) take(meant.rule);
          } else if (event.key === 'Escape' && typed) setTyped('');
          else return;
          event.preventDefault();
          event.stopPropagation();
        }}
        className={clsx(inputClass, 'border-dashed')}
      />
      {isOpen && (
        <ul
          id={`${id}-list`}
          role="listbox"
          aria-label="What can be meant"
          className="absolute inset-x-0 top-full z-40 mt-1 max-h-[280px] overflow-y-auto rounded-md border border-line bg-panel p-1"
        >
          {found.map((one, index) => (
            <li
              key={`${one.says} ${one.note}`}
              id={`${id}-${index}`}
              role="option"
              aria-selected={index === chosen}
              onMouseDown={(event) => {
                event.preventDefault();
                take(one.rule);
              }}
              className={clsx(
                'flex cursor-pointer items-baseline justify-between gap-4 rounded-md px-2 py-1',
                index === chosen && 'bg-wash',
              )}
            >
              <span>{one.says}</span>
              <span className="whitespace-nowrap text-xs text-soft tabular">{one.note}</span>
            </li>
          ))}
          {!found.length && (
            <li role="option" aria-selected="false" aria-disabled="true" className="px-2 py-1 text-soft">
              {known.isLoading
                ? 'Looking at what there is…'
                : 'Nothing that has occurred is called that. Try an event, a value, a list or a tag.'}
            </li>
          )}
        </ul>
      )}
    </div>
  );
}
