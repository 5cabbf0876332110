'use client';

import { Dialog } from 'radix-ui';
import { useState, type ReactNode } from 'react';
import { toast } from 'sonner';
import { ApiError } from '../api';
import { Button } from './form';

/** The words of an error, with those of its fields. */
export function wordsOf(error: unknown): string {
  const fields = error instanceof ApiError ? (error.problem.errors ?? []) : [];
  const detail = (error as Error).message;
  return fields.length ? `${detail} ${fields.slice(0, 3).map((one) => `${one.field} ${one.wrong}; right is ${one.right}`).join('. ')}.` : detail;
}

/** Does something and says when it failed. Answers whether it went well. */
export async function attempt(work: () => Promise<unknown>, done?: string): Promise<boolean> {
  try {
    await work();
    if (done) toast.success(done);
    return true;
  } catch (error) {
    toast.error(wordsOf(error));
    return false;
  }
}

/** A question in front of everything: a title, what it is about, fields, and one act. It stays open when the act fails. */
export function Ask({ isOpen, onClose, title, about, act, isDanger, canAct = true, onAct, children, width = 480 }: { isOpen: boolean; onClose: () => void; title: string; about?: ReactNode; act: string; isDanger?: boolean; canAct?: boolean; onAct: () => Promise<unknown>; children?: ReactNode; width?: number }) {
  const [isBusy, setBusy] = useState(false);
  const [problem, setProblem] = useState<string | null>(null);
  const go = async () => {
    setBusy(true);
    setProblem(null);
    try {
      await onAct();
      onClose();
    } catch (error) {
      setProblem(wordsOf(error));
    } finally {
      setBusy(false);
    }
  };
  return (
    <Dialog.Root open={isOpen} onOpenChange={(open) => { if (!open) { setProblem(null); onClose(); } }}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/30" />
        <Dialog.Content style={{ width }} className="fixed left-1/2 top-[8vh] z-50 max-h-[84vh] max-w-[94vw] -translate-x-1/2 overflow-y-auto rounded-md border border-line bg-panel p-6">
          <form className="grid gap-4" onSubmit={(event) => { event.preventDefault(); void go(); }}>
            <Dialog.Title className="text-lg font-semibold">{title}</Dialog.Title>
            {about ? <Dialog.Description asChild><div className="text-soft">{about}</div></Dialog.Description> : <Dialog.Description className="sr-only">{title}</Dialog.Description>}
            {children}
            {problem && <p role="alert" className="text-stop">{problem}</p>}
            <div className="flex justify-end gap-2">
              <Button onClick={() => { setProblem(null); onClose(); }}>Not now</Button>
              <Button type="submit" kind="primary" disabled={isBusy || !canAct} className={isDanger ? '!bg-stop' : undefined}>{isBusy ? 'One moment…' : act}</Button>
            </div>
          </form>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
