import { passwordInput, type AccountView } from '@/core/api';
import { endSessions, findUser, setPassword } from '@/data/access';
import { inTransaction, type Db } from '@/data/db';
import { readStore, recordAct } from '@/data/store';
import { Problem, problemsOf } from '../http';
import { sayWait, signInBrake, tooOften } from './brake';
import { checkPassword, hashPassword } from './passwords';
import { beginSession, endOthers, sessionsOf, type SignedIn } from './session';

// compared with when there is no such account, so that the answer takes the same time
const nobody = hashPassword('nobody has this password');

/** Signs somebody in; answers with null, or says why not. */
export async function signInAs(
  db: Db,
  given: { email: string; password: string },
  from: string,
  begin = beginSession,
): Promise<string | null> {
  const email = given.email.trim().slice(0, 254);
  const isReadable = !email.includes('\u0000');
  const limits = signInBrake(db);
  const waitMs = await limits.take(isReadable ? email : '', from);
  if (waitMs !== null) return `That was tried too often. Wait ${sayWait(waitMs)}, then try again.`;
  const user = isReadable ? await findUser(db, email) : null;
  const isRight = await checkPassword(given.password.slice(0, 500), user?.password_hash ?? (await nobody));
  if (!user || !isRight) return 'That address and password do not belong together. Check both and try again.';
  await limits.giveBack(email, from);
  await begin(user.id);
  return null;
}

/** Somebody's own account: who they are, and where they are signed in. */
export async function accountOf(user: SignedIn): Promise<AccountView> {
  return { email: user.email, name: user.name, sessions: await sessionsOf(user) };
}

/** Gives somebody another password and ends their sessions everywhere else. */
export async function changePassword(db: Db, user: SignedIn, body: unknown, from: string): Promise<AccountView> {
  const parsed = passwordInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not a password', 'Nothing was changed.', problemsOf(parsed.error));
  const limits = signInBrake(db);
  const waitMs = await limits.take(user.email, from);
  if (waitMs !== null) throw tooOften('That was tried too often.', waitMs);
  const row = await findUser(db, user.email);
  if (!row || !(await checkPassword(parsed.data.present, row.password_hash)))
    throw new Problem(422, 'Not your password', 'Nothing was changed.', [
      { field: 'present', wrong: 'is not your present password', right: 'the one you sign in with' },
    ]);
  await limits.giveBack(user.email, from);
  const passwordHash = await hashPassword(parsed.data.wanted);
  await inTransaction(db, async (trx) => {
    await setPassword(trx, user.userId, passwordHash);
    await endSessions(trx, user.userId, user.session);
    await recordAct(trx, (await readStore(trx)).now, user.name, 'password.changed', {});
  });
  return accountOf(user);
}

/** Ends all sessions of somebody but the one in hand. */
export async function signOutElsewhere(user: SignedIn): Promise<AccountView> {
  await endOthers(user);
  return accountOf(user);
}
