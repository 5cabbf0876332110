'use server';

import { redirect } from 'next/navigation';
import { findUser } from '@/data/access';
import { database } from '@/server/database';
import { checkPassword, hashPassword } from '@/server/passwords';
import { session } from '@/server/session';

// compared with when there is no such account, so that the answer takes the same time
const nobody = hashPassword('nobody has this password');

/** Signs somebody in, or says why not. */
export async function signIn(_before: string | null, form: FormData): Promise<string | null> {
  const email = String(form.get('email') ?? '').trim().slice(0, 254);
  const password = String(form.get('password') ?? '').slice(0, 500);
  const user = email.includes('\u0000') ? null : await findUser(database(), email);
  const isRight = await checkPassword(password, user?.password_hash ?? (await nobody));
  if (!user || !isRight) return 'That address and password do not belong together. Check both and try again.';
  const current = await session();
  current.user = { email: user.email, name: user.name };
  await current.save();
  redirect('/flows');
}

/** Signs out. */
export async function signOut(): Promise<void> {
  (await session()).destroy();
  redirect('/sign-in');
}
