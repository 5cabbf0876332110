import { createHash, randomBytes } from 'node:crypto';
import type { Message } from '@/core/messages';
import { DAY, HOUR } from '@/core/time';
import { inTransaction, type Db, type Sql } from '@/data/db';
import { readStore, recordAct } from '@/data/store';
import { findLink, inviteMember, listMembers, lockTeam, memberByEmail, putLink, setRole, settlePassword } from '@/data/team';
import { Problem } from '../http';
import { mailNotes, noteLetter } from '../messages';
import { hashPassword } from './passwords';
import { weakness } from './strength';
import { tellOfChange } from './told';

const LASTS_MS = { join: 7 * DAY, reset: HOUR } as const;
type Purpose = keyof typeof LASTS_MS;
const digestOf = (token: string): string => createHash('sha256').update(`link:${token}`).digest('hex');

const LETTERS: { readonly [purpose in Purpose]: Message } = {
  join: noteLetter(
    '{{ event.by }} asks you to work on {{ store.name }}',
    'Choose a password, and you are in. The link works once, for seven days.',
    'Choose a password',
  ),
  reset: noteLetter(
    'Another password for {{ store.name }}',
    'Somebody asked for another password for this address. If it was you, choose one: the link works once, for an hour. If not, nothing changes.',
    'Choose another password',
  ),
};

/** A link by which somebody chooses a password; earlier ones of that kind work no more. */
async function makeLink(trx: Sql, { userId, purpose, url }: { userId: string; purpose: Purpose; url: string }): Promise<string> {
  const token = randomBytes(24).toString('base64url');
  await putLink(trx, { digest: digestOf(token), userId, purpose, lastsMs: LASTS_MS[purpose] });
  return `${url}/join/${token}`;
}

/**
 * The first owner of a store that has none yet: put on the team, with a link that is told here, for there may be no mail yet. Once
 * somebody has joined as owner there is nothing to do; `needs` where nobody is named.
 */
export async function firstOwner(
  db: Db,
  { email, name }: { email: string; name: string },
  url: string,
): Promise<{ needs: boolean; url: string | null; email: string | null }> {
  return inTransaction(db, async (trx) => {
    await lockTeam(trx);
    const owners = (await listMembers(trx)).filter(({ role }) => role === 'owner');
    if (owners.some(({ joined_at: joined }) => joined)) return { needs: false, url: null, email: null };
    if (!email && !owners.length) return { needs: true, url: null, email: null };
    const known = email ? await memberByEmail(trx, email) : owners[0]!;
    const id = known?.id ?? (await inviteMember(trx, { email, name: name || email, role: 'owner', by: 'the set-up' }))!.id;
    if (known && known.role !== 'owner') await setRole(trx, id, 'owner');
    return { needs: false, url: await makeLink(trx, { userId: id, purpose: 'join', url }), email: known?.email ?? email };
  });
}

/** Writes somebody a link by which they choose a password; earlier links of that kind work no more. */
export async function sendLink(trx: Sql, of: { userId: string; email: string; purpose: Purpose; by: string; url: string }): Promise<void> {
  const link = await makeLink(trx, of);
  const note = { to: of.email, message: LETTERS[of.purpose], by: of.by, about: { by: of.by, url: link } };
  await mailNotes(trx, [note], (await readStore(trx)).now);
}

/** Whose link this is, or null: it is wrong, was used, or is too old. */
export const linkOf = (db: Db, token: string) => (/^[\w-]{32}$/.test(token) ? findLink(db, digestOf(token)) : Promise.resolve(null));

/** Sets the password that somebody has chosen by a link, which works no more then; says what is wrong with it, or null when it is set. */
export async function chooseByLink(db: Db, token: string, password: string, url: string): Promise<string | null> {
  const link = await linkOf(db, token);
  if (!link) throw new Problem(410, 'This link works no more', 'It was used, or is too old. Ask for another one.');
  if (password.length < 12) return 'The password is too short: it needs at least twelve characters.';
  const weak = weakness(password, [link.email, link.name]);
  if (weak) return `The password ${weak}.`;
  const hash = await hashPassword(password.slice(0, 500));
  await inTransaction(db, async (trx) => {
    const held = await findLink(trx, digestOf(token), true);
    if (!held) throw new Problem(410, 'This link works no more', 'It was used, or is too old. Ask for another one.');
    await settlePassword(trx, held.user_id, hash);
    await recordAct(trx, (await readStore(trx)).now, held.name, held.purpose === 'join' ? 'team.joined' : 'password.reset');
    if (held.purpose === 'reset') await tellOfChange(trx, held, 'password', url);
  });
  return null;
}

/** Sends whoever has an account here a link for another password. What it answers is the same for everybody. */
export async function forgotPassword(db: Db, email: string, url: string): Promise<void> {
  const address = email.trim().slice(0, 254);
  if (!address || address.includes('\u0000')) return;
  const member = await memberByEmail(db, address);
  if (!member?.joined_at) return;
  await inTransaction(db, (trx) => sendLink(trx, { userId: member.id, email: member.email, purpose: 'reset', by: member.name, url }));
}
