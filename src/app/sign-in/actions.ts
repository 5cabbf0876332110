'use server';

import { headers } from 'next/headers';
import { redirect } from 'next/navigation';
import { askForSignIn, leaveSession, NEEDS_CODE, signInAs, signInByPasskey } from '@/server/access';
import { database, env } from '@/server/base';
import { callerAddress } from '@/server/http';

export interface SignInState {
  readonly problem: string | null;
  /** a code of the second factor is asked for */
  readonly needsCode: boolean;
}

/** Signs somebody in, or says why not and whether a code is needed. */
export async function signIn(before: SignInState, form: FormData): Promise<SignInState> {
  const text = (name: string) => String(form.get(name) ?? '');
  const said = await signInAs(
    database(),
    { email: text('email'), password: text('password'), code: text('code') },
    callerAddress(await headers()),
  );
  if (said === null) return redirect('/today');
  if (said === NEEDS_CODE) return { problem: null, needsCode: true };
  return { problem: said, needsCode: before.needsCode };
}

/** What a device is to be asked for that signs somebody in. */
export async function askDevice() {
  return askForSignIn(database(), callerAddress(await headers()), env().url);
}

/** Signs somebody in by what their device answered, or says why not. */
export async function signInByDevice(answer: unknown): Promise<string> {
  return (await signInByPasskey(database(), answer, callerAddress(await headers()), env().url)) ?? redirect('/today');
}

/** Signs out, here and on the server. */
export async function signOut(): Promise<void> {
  await leaveSession();
  redirect('/sign-in');
}
