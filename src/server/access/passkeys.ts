import {
  generateAuthenticationOptions,
  generateRegistrationOptions,
  verifyAuthenticationResponse,
  verifyRegistrationResponse,
  type AuthenticationResponseJSON,
  type AuthenticatorTransportFuture,
  type PublicKeyCredentialCreationOptionsJSON,
  type PublicKeyCredentialRequestOptionsJSON,
  type RegistrationResponseJSON,
} from '@simplewebauthn/server';
import { isIP } from 'node:net';
import { passkeyAskInput, passkeyInput, type PasskeysView } from '@/core/api';
import { inTransaction, type Db, type Sql } from '@/data/db';
import { readStore, recordAct } from '@/data/store';
import { askPasskey, dropPasskey, lockPasskey, notePasskey, passkeysOf, putPasskey, takeAsked } from '@/data/team';
import { Problem, problemsOf } from '../http';
import { provePassword } from './account';
import { brake, sayWait, signInBrake } from './brake';
import { beginSession, type SignedIn } from './session';
import { tellOfChange } from './told';

/** How long a device may take to answer. */
const LASTS_MS = 5 * 60_000;
const MOST = 20;

/** For whom keys are made: the name in Viatic's address, and where pages that ask for them stand (WebAuthn, section 5.1.2). */
function partyOf(url: string): { readonly id: string; readonly origin: string; readonly canMake: boolean } {
  const { hostname, origin, protocol } = new URL(url);
  // browsers make none for a number in place of a name, nor where what is sent can be read on the way
  return { id: hostname, origin, canMake: !isIP(hostname.replace(/^\[|\]$/g, '')) && (protocol === 'https:' || hostname === 'localhost') };
}

/** Whether browsers make passkeys for the address at which Viatic is. */
export const canMakePasskeys = (url: string): boolean => partyOf(url).canMake;

/** The passkeys of somebody's own account. */
export async function passkeysView(sql: Sql, user: SignedIn, url: string): Promise<PasskeysView> {
  return {
    passkeys: (await passkeysOf(sql, user.userId)).map((row) => ({
      id: row.id,
      name: row.name,
      madeAt: row.made_at.toISOString(),
      usedAt: row.used_at?.toISOString() ?? null,
    })),
    canMake: partyOf(url).canMake,
  };
}

/** What a device is to be asked for that makes a passkey; for who knows the password, not just for who has come by a session. */
export async function askForPasskey(
  db: Db,
  user: SignedIn,
  body: unknown,
  from: string,
  url: string,
): Promise<PublicKeyCredentialCreationOptionsJSON> {
  const parsed = passkeyAskInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not a password', 'Nothing was changed.', problemsOf(parsed.error));
  const party = partyOf(url);
  if (!party.canMake)
    throw new Problem(409, 'No passkeys here', 'Browsers make passkeys only for an address with a name, by https (or localhost).');
  await provePassword(db, user, parsed.data.present, from);
  const known = await passkeysOf(db, user.userId);
  if (known.length >= MOST) throw new Problem(409, 'Too many', `An account has at most ${MOST} passkeys. Remove one first.`);
  const options = await generateRegistrationOptions({
    rpName: `Viatic, ${(await readStore(db)).name}`,
    rpID: party.id,
    userName: user.email,
    userDisplayName: user.name,
    userID: new TextEncoder().encode(`viatic-${user.userId}`),
    timeout: LASTS_MS,
    attestationType: 'none',
    excludeCredentials: known.map((row) => ({ id: row.id, transports: row.transports as AuthenticatorTransportFuture[] })),
    authenticatorSelection: { residentKey: 'required', userVerification: 'required' },
  });
  await askPasskey(db, { challenge: options.challenge, userId: user.userId, lastsMs: LASTS_MS });
  return options;
}

/** Puts on file what a device answered. */
export async function storePasskey(db: Db, user: SignedIn, body: unknown, url: string): Promise<PasskeysView> {
  const parsed = passkeyInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not a passkey', 'Nothing was changed.', problemsOf(parsed.error));
  const party = partyOf(url);
  const made = await verifyRegistrationResponse({
    response: parsed.data.answer as unknown as RegistrationResponseJSON,
    expectedChallenge: (challenge) => takeAsked(db, challenge, user.userId),
    expectedOrigin: party.origin,
    expectedRPID: party.id,
    requireUserVerification: true,
  }).catch(() => null);
  if (!made?.verified)
    throw new Problem(422, 'Not a passkey', 'The device answered something else than it was asked, or too late. Begin again.');
  const { credential } = made.registrationInfo;
  return inTransaction(db, async (trx) => {
    const isNew = await putPasskey(trx, {
      id: credential.id,
      userId: user.userId,
      name: parsed.data.name,
      publicKey: credential.publicKey,
      counter: credential.counter,
      transports: credential.transports ?? [],
    });
    if (!isNew) throw new Problem(409, 'There already', 'That passkey is on file already.');
    await recordAct(trx, (await readStore(trx)).now, user.name, 'passkey.added', { name: parsed.data.name });
    await tellOfChange(trx, user, 'passkey-added', url);
    return passkeysView(trx, user, url);
  });
}

/** Takes a passkey away: it signs nobody in any more. */
export async function removePasskey(db: Db, user: SignedIn, id: string, url: string): Promise<PasskeysView> {
  return inTransaction(db, async (trx) => {
    const gone = await dropPasskey(trx, user.userId, id);
    if (!gone) throw new Problem(404, 'No such passkey', 'There is none such on your account. It may have been removed already.');
    await recordAct(trx, (await readStore(trx)).now, user.name, 'passkey.removed', { name: gone.name });
    await tellOfChange(trx, user, 'passkey-removed', url);
    return passkeysView(trx, user, url);
  });
}

/**
 * What a device is to be asked for that signs somebody in: it says whose key it has. What was asked is kept until it may no longer be
 * answered, so an address may only ask so often.
 */
export async function askForSignIn(db: Db, from: string, url: string): Promise<PublicKeyCredentialRequestOptionsJSON> {
  await brake('asking for a passkey', from, { times: 60, seconds: LASTS_MS / 1000 }, 'That was begun too often.');
  const options = await generateAuthenticationOptions({ rpID: partyOf(url).id, userVerification: 'required', timeout: LASTS_MS });
  await askPasskey(db, { challenge: options.challenge, userId: null, lastsMs: LASTS_MS });
  return options;
}

const NOT_KNOWN = 'That passkey is not on file here. Sign in with your password, and look at your account.';

/**
 * Signs somebody in by a passkey; answers with null, or says why not. What the device holds and that it knew its owner (by a finger, a face,
 * a PIN) are two factors already, so neither password nor code is asked for.
 */
export async function signInByPasskey(db: Db, answer: unknown, from: string, url: string, begin = beginSession): Promise<string | null> {
  const named = typeof answer === 'object' && answer !== null && 'id' in answer ? answer.id : null;
  const id = typeof named === 'string' && /^[\w-]{1,2000}$/.test(named) ? named : '';
  const limits = signInBrake(db);
  const waitMs = await limits.take(`passkey ${id}`, from);
  if (waitMs !== null) return `That was tried too often. Wait ${sayWait(waitMs)}, then try again.`;
  const party = partyOf(url);
  const said = await inTransaction(db, async (trx): Promise<string | { userId: string }> => {
    const { now } = await readStore(trx);
    const key = id ? await lockPasskey(trx, id) : null;
    if (!key) {
      await recordAct(trx, now, 'nobody on the team', 'sign-in.refused', { from, because: 'unknown passkey' });
      return NOT_KNOWN;
    }
    const checked = await verifyAuthenticationResponse({
      response: answer as AuthenticationResponseJSON,
      // by itself: what was answered once is used up, also where that was wrong
      expectedChallenge: (challenge) => takeAsked(db, challenge, null),
      expectedOrigin: party.origin,
      expectedRPID: party.id,
      requireUserVerification: true,
      credential: { id: key.id, publicKey: new Uint8Array(key.public_key), counter: Number(key.counter) },
    }).catch(() => null);
    if (!checked?.verified) {
      await recordAct(trx, now, key.user_name, 'sign-in.refused', { from, because: 'wrong passkey' });
      return 'The device answered something else than it was asked, or too late. Try again.';
    }
    await notePasskey(trx, key.id, checked.authenticationInfo.newCounter);
    await recordAct(trx, now, key.user_name, 'sign-in.done', { from, by: `passkey ${key.name}` });
    return { userId: key.user_id };
  });
  if (typeof said === 'string') return said;
  await limits.giveBack(`passkey ${id}`, from);
  await begin(said.userId);
  return null;
}
