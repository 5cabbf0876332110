import { passwordInput, type AccountView } from '@/core/api';
import { endSessions, findUser, readSigningIn, setPassword } from '@/data/access';
import { NO_PASSWORD } from '@/data/team';
import { inTransaction, type Db } from '@/data/db';
import { readStore, recordAct } from '@/data/store';
import { database, env } from '../base';
import { Problem, problemsOf } from '../http';
import { sayWait, signInBrake, tooOften } from './brake';
import { checkPassword, hashPassword } from './passwords';
import { beginSession, endOthers, sessionsOf, type SignedIn } from './session';
import { weakness } from './strength';
import { tellOfChange } from './told';
import { asksSecond, takeSecond } from './totp';

// compared with when there is no such account, so that the answer takes the same time
const nobody = hashPassword('nobody has this password');

/** The password is right, and a code of the second factor is asked for. */
export const NEEDS_CODE = 'needs a code';

/** Signs somebody in; answers with null, says why not, or that a code is needed too. */
export async function signInAs(
  db: Db,
  given: { email: string; password: string; code?: string },
  from: string,
  begin = beginSession,
  key = () => env().secret,
  url = () => env().url,
): Promise<string | null> {
  const email = given.email.trim().slice(0, 254);
  const isReadable = !email.includes('\u0000');
  const limits = signInBrake(db);
  const waitMs = await limits.take(isReadable ? email : '', from);
  if (waitMs !== null) return `That was tried too often. Wait ${sayWait(waitMs)}, then try again.`;
  const user = isReadable ? await findUser(db, email) : null;
  // who was asked to join and has chosen no password yet is nobody, in the same time
  const stored = user && user.password_hash !== NO_PASSWORD ? user.password_hash : await nobody;
  const isRight = await checkPassword(given.password.slice(0, 500), stored);
  // of an account that is none what was typed is not written down, for it may be a password; that it was tried is, in the same time
  const note = async (what: string, detail: object = {}) =>
    recordAct(db, (await readStore(db)).now, user?.name ?? 'nobody on the team', what, { from, ...detail });
  if (!user || user.password_hash === NO_PASSWORD || !isRight) {
    await note('sign-in.refused', { because: 'wrong password' });
    return 'That address and password do not belong together. Check both and try again.';
  }
  if (await asksSecond(db, user.id)) {
    // nothing is given back yet: else a request without a code would undo the brake on wrong ones
    if (!given.code?.trim()) return NEEDS_CODE;
    // a wrong code counts as a try, like a wrong password
    if (!(await takeSecond(db, user.id, given.code, key(), url))) {
      await note('sign-in.refused', { because: 'wrong code' });
      return 'That code is not right, or was used already. Wait for the next one and try again.';
    }
  }
  await limits.giveBack(email, from);
  await begin(user.id);
  await note('sign-in.done');
  return null;
}

/** Somebody's own account: who they are, and where they are signed in. */
export async function accountOf(user: SignedIn): Promise<AccountView> {
  const [sessions, { hours }] = await Promise.all([sessionsOf(user), readSigningIn(database())]);
  return { email: user.email, name: user.name, role: user.role, sessions, hours, lacksSecond: user.lacksSecond };
}

/** Refuses whoever does not know the password of the account they are signed in to. */
export async function provePassword(db: Db, user: SignedIn, present: string, from: string): Promise<void> {
  const limits = signInBrake(db);
  const waitMs = await limits.take(user.email, from);
  if (waitMs !== null) throw tooOften('That was tried too often.', waitMs);
  const row = await findUser(db, user.email);
  if (!row || !(await checkPassword(present, row.password_hash)))
    throw new Problem(422, 'Not your password', 'Nothing was changed.', [
      { field: 'present', wrong: 'is not your present password', right: 'the one you sign in with' },
    ]);
  await limits.giveBack(user.email, from);
}

/** Gives somebody another password and ends their sessions everywhere else. */
export async function changePassword(db: Db, user: SignedIn, body: unknown, from: string, url: string): Promise<AccountView> {
  const parsed = passwordInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not a password', 'Nothing was changed.', problemsOf(parsed.error));
  await provePassword(db, user, parsed.data.present, from);
  const weak = weakness(parsed.data.wanted, [user.email, user.name]);
  if (weak)
    throw new Problem(422, 'Not a password', 'Nothing was changed.', [
      { field: 'wanted', wrong: weak.split(':')[0]!, right: 'a few words that have nothing to do with each other' },
    ]);
  const passwordHash = await hashPassword(parsed.data.wanted);
  await inTransaction(db, async (trx) => {
    await setPassword(trx, user.userId, passwordHash);
    await endSessions(trx, user.userId, user.session);
    await recordAct(trx, (await readStore(trx)).now, user.name, 'password.changed');
    await tellOfChange(trx, user, 'password', url);
  });
  return accountOf(user);
}

/** Ends all sessions of somebody but the one in hand. */
export async function signOutElsewhere(user: SignedIn): Promise<AccountView> {
  await endOthers(user);
  return accountOf(user);
}
