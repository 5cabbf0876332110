'use client';

import { useState } from 'react';
import type { z } from 'zod';
import { wordsOf } from './Ask';
import { issuesOf, useUndo } from './useDraft';

/**
 * A document that is stored by Save and not before: its history, what its schema finds wrong with it, and the saving of it, with what
 * went wrong in words. `hasTried` tells whether somebody has pressed Save: what is still empty is not held against them before.
 */
export function useWriting<T>(given: T, schema: z.ZodType, onSave: (document: T) => Promise<void>) {
  const draft = useUndo<T>(given);
  const [problem, setProblem] = useState<string | null>(null);
  const [isBusy, setBusy] = useState(false);
  const [hasTried, setTried] = useState(false);
  const issues = issuesOf(schema.safeParse(draft.document));
  const save = async () => {
    setTried(true);
    if (issues.length) return;
    setBusy(true);
    setProblem(null);
    try {
      await onSave(draft.document);
    } catch (error) {
      setProblem(wordsOf(error));
    } finally {
      setBusy(false);
    }
  };
  return { draft, document: draft.document, issues, problem, isBusy, hasTried, save: () => void save() };
}
