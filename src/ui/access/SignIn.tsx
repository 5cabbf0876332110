'use client';

import { useActionState, useEffect, useRef, useState } from 'react';
import { Button, Field, inputClass } from '../kit';
import { ByPasskey, type PasskeySignIn } from './ByPasskey';

interface State {
  readonly problem: string | null;
  readonly needsCode: boolean;
}

/** The sign-in page; in the demo it shows the account. */
export function SignIn({
  signIn,
  passkey,
  demo,
}: {
  signIn: (before: State, form: FormData) => Promise<State>;
  /** how a device that has a passkey is asked, and signs in by what it answers; null where browsers make none for this address */
  passkey: PasskeySignIn | null;
  demo: { email: string; password: string } | null;
}) {
  const [{ problem, needsCode }, act, isPending] = useActionState(signIn, { problem: null, needsCode: false });
  // kept here: a form that was sent forgets what was typed
  const [email, setEmail] = useState(demo?.email ?? '');
  const [password, setPassword] = useState(demo?.password ?? '');
  const fields = useRef<HTMLFormElement>(null);
  // what was typed, or filled in by the browser, before the page came to life is what counts
  useEffect(() => {
    if (!fields.current) return;
    const typed = new FormData(fields.current);
    setEmail(String(typed.get('email') ?? ''));
    setPassword(String(typed.get('password') ?? ''));
  }, []);
  return (
    <main className="mx-auto grid min-h-screen max-w-sm content-center gap-6 px-6">
      <div className="flex items-center gap-3">
        <img src="/icon.svg" alt="" width={40} height={40} />
        <div>
          <h1 className="text-xl font-semibold">Viatic</h1>
          <p className="text-soft">Flows for online stores and apps</p>
        </div>
      </div>
      <form ref={fields} action={act} className="grid gap-4 rounded-md border border-line bg-panel p-6">
        <Field label="Email">
          <input
            name="email"
            type="email"
            required
            autoComplete="username"
            value={email}
            onChange={(event) => setEmail(event.target.value)}
            className={inputClass}
          />
        </Field>
        <Field label="Password">
          <input
            name="password"
            type="password"
            required
            autoComplete="current-password"
            value={password}
            onChange={(event) => setPassword(event.target.value)}
            className={inputClass}
          />
        </Field>
        {needsCode && (
          <Field label="Code" hint="The six digits that your authenticator program shows, or one of the codes for when it is lost.">
            <input name="code" autoFocus required autoComplete="one-time-code" maxLength={20} className={inputClass} />
          </Field>
        )}
        {problem && (
          <p role="alert" className="text-stop">
            {problem}
          </p>
        )}
        <Button kind="primary" type="submit" disabled={isPending}>
          {isPending ? 'Signing in…' : 'Sign in'}
        </Button>
        {passkey && <ByPasskey of={passkey} />}
        <a href="/forgot" className="text-sm text-accent">
          Forgot your password?
        </a>
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
