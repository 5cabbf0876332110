import { useCallback, useEffect, useReducer, useRef, useState } from 'react';
import type { FlowView } from '@/core/api';
import { flowSchema, type FlowDocument } from '@/core/flows';
import { api, ApiError } from '../api';

interface History {
  readonly past: readonly FlowDocument[];
  readonly present: FlowDocument;
  readonly future: readonly FlowDocument[];
  /** what the last change was to: typing in one field is undone in one go */
  readonly tag: string;
  readonly at: number;
}

type Act = { kind: 'edit'; to: FlowDocument; tag: string; at: number } | { kind: 'undo' } | { kind: 'redo' } | { kind: 'load'; document: FlowDocument };

const TYPING_MS = 1200;
const MOST_UNDOS = 200;

/** The history of a draft: edits, undo, redo. Edits of one field in quick succession are one step back. */
export function historyReducer(history: History, act: Act): History {
  switch (act.kind) {
    case 'edit': {
      const goesOn = act.tag === history.tag && act.at - history.at < TYPING_MS;
      return { past: goesOn ? history.past : [...history.past.slice(-MOST_UNDOS), history.present], present: act.to, future: [], tag: act.tag, at: act.at };
    }
    case 'undo': {
      const before = history.past.at(-1);
      return before ? { past: history.past.slice(0, -1), present: before, future: [history.present, ...history.future], tag: '', at: 0 } : history;
    }
    case 'redo': {
      const [after, ...rest] = history.future;
      return after ? { past: [...history.past, history.present], present: after, future: rest, tag: '', at: 0 } : history;
    }
    case 'load':
      return { past: [], present: act.document, future: [], tag: '', at: 0 };
  }
}

export type Saving = { state: 'saved' } | { state: 'saving' } | { state: 'invalid'; problems: { path: string; message: string }[] } | { state: 'failed'; message: string; isConflict: boolean };

/** Edits a flow's draft with undo, and saves it by itself a moment after each change. What cannot be saved stays on the screen. */
export function useDraft(initial: FlowView, onSaved: (flow: FlowView) => void) {
  const [history, act] = useReducer(historyReducer, { past: [], present: initial.draft, future: [], tag: '', at: 0 });
  const [saving, setSaving] = useState<Saving>({ state: 'saved' });
  const revision = useRef(initial.revision);
  const saved = useRef(initial.draft);
  const inFlight = useRef<Promise<void> | null>(null);
  const latest = useRef(history.present);
  latest.current = history.present;
  const onSavedRef = useRef(onSaved);
  onSavedRef.current = onSaved;

  const save = useCallback(async (): Promise<void> => {
    if (inFlight.current) await inFlight.current;
    const document = latest.current;
    if (document === saved.current) return;
    const checked = flowSchema.safeParse(document);
    if (!checked.success) {
      setSaving({ state: 'invalid', problems: checked.error.issues.map((issue) => ({ path: issue.path.join('.'), message: issue.message })) });
      return;
    }
    setSaving({ state: 'saving' });
    const work = (async () => {
      try {
        const flow = await api<FlowView>(`/flows/${initial.key}`, { method: 'PUT', body: document, headers: { 'if-match': `"${revision.current}"` } });
        revision.current = flow.revision;
        saved.current = document;
        setSaving({ state: 'saved' });
        onSavedRef.current(flow);
      } catch (error) {
        setSaving({ state: 'failed', message: (error as Error).message, isConflict: error instanceof ApiError && error.status === 409 });
      } finally {
        inFlight.current = null;
      }
    })();
    inFlight.current = work;
    await work;
  }, [initial.key]);

  useEffect(() => {
    if (history.present === saved.current) {
      setSaving((now) => (now.state === 'invalid' ? { state: 'saved' } : now));
      return;
    }
    const timer = setTimeout(() => void save(), 600);
    return () => clearTimeout(timer);
  }, [history.present, save]);

  useEffect(() => {
    const warn = (event: BeforeUnloadEvent) => {
      if (latest.current !== saved.current) event.preventDefault();
    };
    window.addEventListener('beforeunload', warn);
    return () => window.removeEventListener('beforeunload', warn);
  }, []);

  return {
    document: history.present,
    canUndo: history.past.length > 0,
    canRedo: history.future.length > 0,
    saving,
    edit: useCallback((to: FlowDocument, tag: string) => act({ kind: 'edit', to, tag, at: Date.now() }), []),
    undo: useCallback(() => act({ kind: 'undo' }), []),
    redo: useCallback(() => act({ kind: 'redo' }), []),
    save,
    /** Takes over what is stored, after somebody else has changed it. */
    reload: useCallback(async () => {
      const flow = await api<FlowView>(`/flows/${initial.key}`);
      revision.current = flow.revision;
      saved.current = flow.draft;
      act({ kind: 'load', document: flow.draft });
      setSaving({ state: 'saved' });
      onSavedRef.current(flow);
    }, [initial.key]),
  };
}
