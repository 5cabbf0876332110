'use client';

import { useActionState } from 'react';
import { Button, Field, inputClass } from '../kit';

/** The sign-in page; in the demo it shows the account. */
export function SignIn({
  signIn,
  demo,
}: {
  signIn: (before: string | null, form: FormData) => Promise<string | null>;
  demo: { email: string; password: string } | null;
}) {
  const [problem, act, isPending] = useActionState(signIn, null);
  return (
    <main className="mx-auto grid min-h-screen max-w-sm content-center gap-6 px-6">
      <div className="flex items-center gap-3">
        <img src="/icon.svg" alt="" width={40} height={40} />
        <div>
          <h1 className="text-xl font-semibold">Viatic</h1>
          <p className="text-soft">Flows for online stores and apps</p>
        </div>
      </div>
      <form action={act} className="grid gap-4 rounded-md border border-line bg-panel p-6">
        <Field label="Email">
          <input name="email" type="email" required autoComplete="username" defaultValue={demo?.email} className={inputClass} />
        </Field>
        <Field label="Password">
          <input
            name="password"
            type="password"
            required
            autoComplete="current-password"
            defaultValue={demo?.password}
            className={inputClass}
          />
        </Field>
        {problem && (
          <p role="alert" className="text-stop">
            {problem}
          </p>
        )}
        <Button kind="primary" type="submit" disabled={isPending}>
          {isPending ? 'Signing in…' : 'Sign in'}
        </Button>
      </form>
      {demo && (
        <p className="text-soft">
          This is the demo of an invented shop. The account is <b className="text-ink">{demo.email}</b>, its password{' '}
          <code className="font-mono text-ink">{demo.password}</code>; both are filled in.
        </p>
      )}
    </main>
  );
}
