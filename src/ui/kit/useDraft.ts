'use client';

import { useCallback, useEffect, useReducer, useRef, useState } from 'react';
import { toast } from 'sonner';
import { ApiError } from './api';
import { useMayNot } from './may';
import { openSaver, type DraftProblem, type Saver, type Saving } from './saver';

export interface History<T> {
  readonly past: readonly T[];
  readonly present: T;
  readonly future: readonly T[];
  /** what the last change was to: typing in one field is undone in one go */
  readonly tag: string;
  readonly at: number;
}

export type Act<T> = { kind: 'edit'; to: T; tag: string; at: number } | { kind: 'undo' } | { kind: 'redo' } | { kind: 'load'; document: T };

const TYPING_MS = 1200;
const MOST_UNDOS = 200;
const SAVE_AFTER_MS = 600;

/** The history of a draft: edits, undo, redo. Edits of one field in quick succession are one step back. */
export function historyReducer<T>(history: History<T>, act: Act<T>): History<T> {
  switch (act.kind) {
    case 'edit': {
      const goesOn = act.tag !== '' && act.tag === history.tag && act.at - history.at < TYPING_MS;
      return {
        past: goesOn ? history.past : [...history.past.slice(-MOST_UNDOS), history.present],
        present: act.to,
        future: [],
        tag: act.tag,
        at: act.at,
      };
    }
    case 'undo': {
      const before = history.past.at(-1);
      return before === undefined
        ? history
        : { past: history.past.slice(0, -1), present: before, future: [history.present, ...history.future], tag: '', at: 0 };
    }
    case 'redo': {
      const [after, ...rest] = history.future;
      return after === undefined ? history : { past: [...history.past, history.present], present: after, future: rest, tag: '', at: 0 };
    }
    case 'load':
      return { past: [], present: act.document, future: [], tag: '', at: 0 };
  }
}

/** What a schema found wrong with a document, as problems with their places. */
export function issuesOf(
  checked: { success: true } | { success: false; error: { issues: readonly { path: readonly PropertyKey[]; message: string }[] } },
): DraftProblem[] {
  return checked.success ? [] : checked.error.issues.map((issue) => ({ path: issue.path.join('.'), message: issue.message }));
}

export interface DraftOptions<T, Stored> {
  /** where it is stored, of the public interface: whose role may not write there reads it, and is told so at the first change */
  readonly place?: string;
  readonly document: T;
  readonly revision: number;
  readonly put: (document: T, revision: number) => Promise<Stored & { readonly revision: number }>;
  readonly problemsOf: (document: T) => readonly DraftProblem[];
  readonly onSaved: (stored: Stored) => void;
}

export interface Draft<T> {
  readonly document: T;
  readonly canUndo: boolean;
  readonly canRedo: boolean;
  readonly saving: Saving;
  /** changes made under one tag in quick succession are undone together; without one, each by itself */
  edit(to: T, tag?: string): void;
  undo(): void;
  redo(): void;
  /** Stores what is on the screen. Answers whether it is stored now. */
  save(): Promise<boolean>;
  /** takes over what is stored, after somebody else has changed it */
  load(document: T, revision: number): void;
  /** the revision under which what is on the screen was last stored */
  revision(): number;
  /** whether what is on the screen is stored, down to the last letter */
  isStored(): boolean;
}

/** A document with its history: edits, undo and redo, by Ctrl+Z and Ctrl+Shift+Z too. */
export function useUndo<T>(document: T) {
  const [history, act] = useReducer(historyReducer<T>, { past: [], present: document, future: [], tag: '', at: 0 });
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (!(event.ctrlKey || event.metaKey) || event.key.toLowerCase() !== 'z') return;
      event.preventDefault();
      act({ kind: event.shiftKey ? 'redo' : 'undo' });
    };
    window.addEventListener('keydown', onKey);
    return () => window.removeEventListener('keydown', onKey);
  }, []);
  return {
    document: history.present,
    canUndo: history.past.length > 0,
    canRedo: history.future.length > 0,
    edit: useCallback((to: T, tag = '') => act({ kind: 'edit', to, tag, at: Date.now() }), []),
    undo: useCallback(() => act({ kind: 'undo' }), []),
    redo: useCallback(() => act({ kind: 'redo' }), []),
    restart: useCallback((to: T) => act({ kind: 'load', document: to }), []),
  };
}

/** Edits a document with undo (Ctrl+Z, Ctrl+Shift+Z), and saves it by itself a moment after each change. What cannot be saved stays on the screen. */
export function useDraft<T, Stored>(options: DraftOptions<T, Stored>): Draft<T> {
  const { restart, ...history } = useUndo<T>(options.document);
  const mayNot = useMayNot()(options.place);
  const [saving, setSaving] = useState<Saving>({ state: 'saved' });
  const given = useRef(options);
  given.current = options;
  const held = useRef<Saver<T> | null>(null);
  held.current ??= openSaver<T>({
    document: options.document,
    revision: options.revision,
    put: async (document, revision) => {
      const stored = await given.current.put(document, revision);
      given.current.onSaved(stored);
      return stored;
    },
    problemsOf: (document) => given.current.problemsOf(document),
    isConflict: (error) => error instanceof ApiError && error.status === 409,
    onState: setSaving,
  });
  const saver = held.current;
  saver.note(history.document);

  useEffect(() => {
    if (saver.isSaved) {
      setSaving((now) => (now.state === 'invalid' ? { state: 'saved' } : now));
      return;
    }
    const timer = setTimeout(() => void saver.save(), SAVE_AFTER_MS);
    return () => clearTimeout(timer);
  }, [history.document, saver]);

  useEffect(() => {
    const warn = (event: BeforeUnloadEvent) => {
      if (!saver.isSaved) event.preventDefault();
    };
    window.addEventListener('beforeunload', warn);
    return () => window.removeEventListener('beforeunload', warn);
  }, [saver]);

  const { edit } = history;
  return {
    ...history,
    edit: useCallback(
      (to: T, tag?: string) => {
        if (mayNot !== null) toast.error(mayNot, { id: 'may-not' });
        else edit(to, tag);
      },
      [edit, mayNot],
    ),
    saving,
    save: saver.save,
    load: useCallback(
      (document: T, revision: number) => {
        restart(document);
        saver.take(document, revision);
      },
      [restart, saver],
    ),
    revision: useCallback(() => saver.revision, [saver]),
    isStored: useCallback(() => saver.isSaved, [saver]),
  };
}
