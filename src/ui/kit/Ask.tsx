'use client';

import { useState, type ReactNode } from 'react';
import { toast } from 'sonner';
import type { FieldValues } from 'react-hook-form';
import { ApiError } from './api';
import { placeProblems, type Asked } from './asked';
import { Dialog } from './Dialog';
import { Button } from './form';

/** The words of an error, with those of its fields. */
export function wordsOf(error: unknown): string {
  const fields = error instanceof ApiError ? (error.problem.errors ?? []) : [];
  const detail = (error as Error).message;
  return fields.length
    ? `${detail} ${fields
        .slice(0, 3)
        .map((one) => `${one.field} ${one.wrong}; right is ${one.right}`)
        .join('. ')}.`
    : detail;
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

/**
 * A question in front of everything: a title, what it is about, fields, and one act. It stays open when the act fails. With a
 * `form` the act is done with its fields once they fit, and what the server finds wrong stands at its field.
 */
export function Ask<In extends FieldValues, Out>({
  isOpen,
  onClose,
  title,
  about,
  act,
  isDanger,
  canAct = true,
  form,
  onAct,
  children,
  width = 480,
}: {
  isOpen: boolean;
  onClose: () => void;
  title: string;
  about?: ReactNode;
  act: string;
  isDanger?: boolean;
  canAct?: boolean;
  form?: Asked<In, Out>;
  onAct: (fields: Out) => Promise<unknown>;
  children?: ReactNode;
  width?: number;
}) {
  const [isBusy, setBusy] = useState(false);
  const [problem, setProblem] = useState<string | null>(null);
  const go = async (fields: Out) => {
    setBusy(true);
    setProblem(null);
    try {
      await onAct(fields);
      onClose();
    } catch (error) {
      if (!form || !placeProblems(form as unknown as Asked<In, unknown>, error)) setProblem(wordsOf(error));
    } finally {
      setBusy(false);
    }
  };
  const close = () => {
    setProblem(null);
    onClose();
  };
  return (
    <Dialog isOpen={isOpen} onClose={close} title={title} about={about} width={width}>
      <form
        className="grid gap-4"
        onSubmit={(event) => {
          if (form) return void form.handleSubmit(go)(event);
          event.preventDefault();
          void go(undefined as Out);
        }}
      >
        {children}
        {problem && (
          <p role="alert" className="text-stop">
            {problem}
          </p>
        )}
        <div className="flex justify-end gap-2">
          <Button onClick={close}>Cancel</Button>
          <Button type="submit" kind="primary" disabled={isBusy || !canAct} className={isDanger ? '!bg-stop' : undefined}>
            {isBusy ? 'One moment…' : act}
          </Button>
        </div>
      </form>
    </Dialog>
  );
}
