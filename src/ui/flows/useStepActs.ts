'use client';

import { useCallback, useEffect, useMemo, useRef, useState, type ClipboardEvent, type KeyboardEvent } from 'react';
import { toast } from 'sonner';
import {
  armsOf,
  between,
  duplicateSteps,
  eachStep,
  moveStep,
  pasteSteps,
  placeOf,
  planOf,
  readStretch,
  removeSteps,
  stepsWith,
  stretchText,
  switchMessages,
  wrapSteps,
  type FlowDocument,
  type Place,
} from '@/core/flows';
import { plural } from '../kit';
import type { Edit } from './fields';

/** Where a flow is edited, so that the keyboard stays there: the map or the script. */
export type Pane = 'map' | 'script';

export interface StepActs {
  readonly selected: string;
  /** the steps that are chosen, in their order: the selected one, or a stretch that ends with it */
  readonly chosen: readonly string[];
  select(id: string, how?: { extend: boolean }): void;
  /** the place right after what is chosen */
  placeAfter(): Place;
  duplicate(): void;
  remove(): void;
  wrap(kind: 'branch' | 'test'): void;
  switchMessages(isOff: boolean): void;
  move(by: -1 | 1): void;
  copy(): void;
  cut(): void;
  paste(text: string): void;
  /** does what a key means to the chosen steps; answers whether it means anything */
  onKey(event: KeyboardEvent, pane: Pane): boolean;
  /** for the element that holds map and script: copy, cut and paste of steps where no text is chosen */
  readonly clipboard: {
    onCopy: (event: ClipboardEvent) => void;
    onCut: (event: ClipboardEvent) => void;
    onPaste: (event: ClipboardEvent) => void;
  };
  /** lets the keyboard follow to a step once it is drawn */
  follow(pane: Pane, id: string): void;
}

/** Whether a text is being written or chosen there, so that copying and pasting are about that text. */
const isText = (target: EventTarget): boolean =>
  target instanceof HTMLElement &&
  (target.matches('input, textarea, select, [contenteditable]') || Boolean(window.getSelection()?.toString()));

const FOLLOWS: { readonly [pane in Pane]: (id: string) => string } = {
  map: (id) => `[data-testid="line-map"] [data-stop="${CSS.escape(id)}"]`,
  script: (id) => `[data-line="${CSS.escape(id)}"]`,
};

/** Choosing steps of a flow, and what can be done with those that are chosen: by keys, by the clipboard, by buttons. */
export function useStepActs(document: FlowDocument, edit: Edit, isEditing: boolean): StepActs {
  const [selected, setSelected] = useState('trigger');
  const [anchor, setAnchor] = useState<string | null>(null);
  const { steps } = planOf(document);
  const chosen = useMemo(
    () => (!planOf(document).steps.has(selected) ? [] : between(document, anchor ?? selected, selected)),
    [document, anchor, selected],
  );
  const next = useRef<{ pane: Pane; id: string } | null>(null);
  useEffect(() => {
    if (!next.current) return;
    const element = window.document.querySelector<HTMLElement>(FOLLOWS[next.current.pane](next.current.id));
    if (!element) return;
    next.current = null;
    element.focus();
  });
  const follow = useCallback((pane: Pane, id: string) => {
    next.current = { pane, id };
  }, []);

  const select = (id: string, how?: { extend: boolean }) => {
    setAnchor(how?.extend && steps.has(id) && steps.has(selected) ? (anchor ?? selected) : null);
    setSelected(id);
  };
  const placeAfter = (): Place => {
    const last = chosen.at(-1);
    const place = last === undefined ? null : placeOf(document, last);
    return place ? { ...place, index: place.index + 1 } : { armId: null, index: 0 };
  };
  const choose = (ids: readonly string[]) => {
    const last = ids.at(-1);
    setAnchor(ids.length > 1 ? ids[0]! : null);
    setSelected(last ?? 'trigger');
  };
  /** the step to go on at when the chosen ones are gone */
  const beside = (): string => {
    const place = placeOf(document, chosen[0]!);
    if (!place) return 'trigger';
    const holder = place.armId === null ? null : [...steps.values()].find((step) => armsOf(step).some((arm) => arm.id === place.armId));
    const sequence = holder ? armsOf(holder).find((arm) => arm.id === place.armId)!.steps : document.steps;
    return (sequence[place.index + chosen.length] ?? sequence[place.index - 1] ?? holder)?.id ?? 'trigger';
  };
  const remove = () => {
    if (!chosen.length) return;
    const to = beside();
    edit(removeSteps(document, chosen), '');
    choose([]);
    setSelected(to);
    return to;
  };
  const copy = () => {
    if (!chosen.length) return;
    void navigator.clipboard?.writeText(stretchText(stepsWith(document, chosen))).then(
      () => toast.success(`${plural(chosen.length, 'step', 'steps')} copied. Paste them here, into another flow, or into a letter.`),
      () => toast.error('The browser does not let this page copy. Use Ctrl+C.'),
    );
  };
  const paste = (text: string): readonly string[] => {
    const read = readStretch(text);
    if (!read) return [];
    if ('problem' in read) {
      toast.error(read.problem);
      return [];
    }
    const { flow, ids } = pasteSteps(document, placeAfter(), read.steps);
    edit(flow, '');
    choose(ids);
    return ids;
  };
  const duplicate = () => {
    const { flow, ids } = duplicateSteps(document, chosen);
    if (!ids.length) return;
    edit(flow, '');
    choose(ids);
    return ids.at(-1);
  };
  const wrap = (kind: 'branch' | 'test') => {
    const { flow, id } = wrapSteps(document, chosen, kind);
    if (!id) return;
    edit(flow, '');
    choose([id]);
    return id;
  };
  const move = (by: -1 | 1) => {
    const [first] = chosen;
    const place = first === undefined ? null : placeOf(document, first);
    if (!place || chosen.length !== 1) return;
    edit(moveStep(document, first!, { ...place, index: Math.max(0, place.index + (by < 0 ? -1 : 2)) }), `${first}.move`);
  };
  const isOn = () => {
    let found = false;
    eachStep(stepsWith(document, chosen), (step) => (found ||= step.kind === 'send' && !step.off));
    return found;
  };

  const acts: StepActs = {
    selected,
    chosen,
    select,
    placeAfter,
    follow,
    duplicate: () => void duplicate(),
    remove: () => void remove(),
    wrap: (kind) => void wrap(kind),
    switchMessages: (isOff) => edit(switchMessages(document, chosen, isOff), ''),
    move,
    copy,
    cut: () => {
      copy();
      remove();
    },
    paste: (text) => void paste(text),
    onKey(event, pane) {
      if (!isEditing || event.ctrlKey || event.metaKey) return false;
      const go = (id: string | undefined) => id !== undefined && follow(pane, id);
      if (event.altKey && (event.key === 'ArrowUp' || event.key === 'ArrowLeft')) move(-1);
      else if (event.altKey && (event.key === 'ArrowDown' || event.key === 'ArrowRight')) move(1);
      else if (event.altKey) return false;
      else if (event.key === 'Delete' || event.key === 'Backspace') go(remove());
      else if (event.key === 'd' || event.key === 'D') go(duplicate());
      else if (event.key === 'b' || event.key === 'B') go(wrap('branch'));
      else if (event.key === 't' || event.key === 'T') go(wrap('test'));
      else if (event.key === 'o' || event.key === 'O') acts.switchMessages(isOn());
      else return false;
      if (event.altKey && chosen[0] !== undefined) follow(pane, chosen[0]);
      return true;
    },
    clipboard: {
      onCopy: (event) => {
        if (isText(event.target) || !chosen.length) return;
        event.preventDefault();
        event.clipboardData.setData('text/plain', stretchText(stepsWith(document, chosen)));
        toast.success(`${plural(chosen.length, 'step', 'steps')} copied.`);
      },
      onCut: (event) => {
        if (!isEditing || isText(event.target) || !chosen.length) return;
        event.preventDefault();
        event.clipboardData.setData('text/plain', stretchText(stepsWith(document, chosen)));
        remove();
      },
      onPaste: (event) => {
        if (!isEditing || isText(event.target)) return;
        if (paste(event.clipboardData.getData('text/plain')).length) event.preventDefault();
      },
    },
  };
  return acts;
}
