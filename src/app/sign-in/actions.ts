'use server';

import { headers } from 'next/headers';
import { redirect } from 'next/navigation';
import { leaveSession, signInAs } from '@/server/access';
import { database } from '@/server/base';
import { callerAddress } from '@/server/http';

/** Signs somebody in, or says why not. */
export async function signIn(_before: string | null, form: FormData): Promise<string | null> {
  const says = await signInAs(
    database(),
    { email: String(form.get('email') ?? ''), password: String(form.get('password') ?? '') },
    callerAddress(await headers()),
  );
  return says ?? redirect('/today');
}

/** Signs out, here and on the server. */
export async function signOut(): Promise<void> {
  await leaveSession();
  redirect('/sign-in');
}
