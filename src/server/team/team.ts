import { inviteInput, roleInput, signingInInput, type TeamView } from '@/core/api';
import { readSigningIn, writeSigningIn } from '@/data/access';
import { inTransaction, type Db, type Sql } from '@/data/db';
import { dropMember, findMember, inviteMember, listMembers, lockTeam, setRole, type MemberRow } from '@/data/team';
import { readStore, recordAct } from '@/data/store';
import { sendLink, type SignedIn } from '../access';
import { notFound, Problem, problemsOf } from '../http';

/** Everybody who works here. */
export async function team(db: Db, user: SignedIn | null): Promise<TeamView> {
  return {
    members: (await listMembers(db)).map((row) => ({
      id: row.id,
      name: row.name,
      email: row.email,
      role: row.role,
      invitedBy: row.invited_by,
      joinedAt: row.joined_at?.toISOString() ?? null,
      seenAt: row.seen_at?.toISOString() ?? null,
      hasSecond: row.totp_since !== null,
      passkeys: row.passkeys,
      isYou: row.id === user?.userId,
    })),
    signingIn: await readSigningIn(db),
  };
}

/**
 * Changes how everybody signs in. Sessions that are open are held to it at once: who is signed in for longer signs in again, and who has
 * neither a second factor nor a passkey where that is asked for gets nothing but their account. Whoever asks it has one.
 */
export async function changeSigningIn(db: Db, body: unknown, user: SignedIn): Promise<TeamView> {
  const parsed = signingInInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not a way to sign in', 'Nothing was changed.', problemsOf(parsed.error));
  await inTransaction(db, async (trx) => {
    const was = await readSigningIn(trx);
    const own = await findMember(trx, user.userId);
    if (parsed.data.second && !was.second && !own?.totp_since && !own?.passkeys)
      throw new Problem(
        409,
        'Yours first',
        'Set up a second factor or a passkey on your own account first: else you would be locked out with this.',
      );
    await writeSigningIn(trx, parsed.data);
    await recordAct(trx, (await readStore(trx)).now, user.name, 'team.signing-in', { was, is: parsed.data });
  });
  return team(db, user);
}

/** Asks somebody to work here: they get a letter with a link by which they choose a password. */
export async function invite(db: Db, body: unknown, user: SignedIn, url: string): Promise<TeamView> {
  const parsed = inviteInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not an invitation', 'Nobody was asked.', problemsOf(parsed.error));
  const { name, role } = parsed.data;
  const email = parsed.data.email.toLowerCase();
  await inTransaction(db, async (trx) => {
    const made = await inviteMember(trx, { email, name, role, by: user.name });
    if (!made)
      throw new Problem(409, 'On the team already', 'Nobody was asked.', [
        { field: 'email', wrong: 'belongs to somebody on the team', right: 'an address of somebody who is not' },
      ]);
    await sendLink(trx, { userId: made.id, email, purpose: 'join', by: user.name, url });
    await recordAct(trx, (await readStore(trx)).now, user.name, 'team.invited', { email, role });
  });
  return team(db, user);
}

async function memberAt(sql: Sql, id: string): Promise<MemberRow> {
  const row = await findMember(sql, id.slice(0, 20));
  if (!row) throw notFound('person on the team');
  return row;
}

/** Whether the store would still have somebody who may say who works here. */
async function keepAnOwner(sql: Sql, without: MemberRow): Promise<void> {
  const others = (await listMembers(sql)).filter(({ id, role, joined_at: joined }) => id !== without.id && role === 'owner' && joined);
  if (without.role === 'owner' && !others.length)
    throw new Problem(409, 'The last owner', 'Make somebody else an owner first: a store needs one.');
}

/** Gives somebody another role, from their next request on. */
export async function changeRole(db: Db, id: string, body: unknown, user: SignedIn): Promise<TeamView> {
  const parsed = roleInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not a role', 'Nothing was changed.', problemsOf(parsed.error));
  await inTransaction(db, async (trx) => {
    await lockTeam(trx);
    const member = await memberAt(trx, id);
    if (member.role === parsed.data.role) return;
    if (parsed.data.role !== 'owner') await keepAnOwner(trx, member);
    await setRole(trx, member.id, parsed.data.role);
    await recordAct(trx, (await readStore(trx)).now, user.name, 'team.role', {
      email: member.email,
      was: member.role,
      is: parsed.data.role,
    });
  });
  return team(db, user);
}

/** Takes somebody off the team: their sessions end at once. What they did stays in the log under their name. */
export async function removeMember(db: Db, id: string, user: SignedIn): Promise<TeamView> {
  await inTransaction(db, async (trx) => {
    await lockTeam(trx);
    const member = await memberAt(trx, id);
    await keepAnOwner(trx, member);
    await dropMember(trx, member.id);
    await recordAct(trx, (await readStore(trx)).now, user.name, 'team.removed', { email: member.email, role: member.role });
  });
  return team(db, user);
}

/** Sends the link once more to somebody who has not joined yet; the earlier one works no more. */
export async function inviteAgain(db: Db, id: string, user: SignedIn, url: string): Promise<TeamView> {
  await inTransaction(db, async (trx) => {
    const member = await memberAt(trx, id);
    if (member.joined_at)
      throw new Problem(409, 'Has joined', 'They have chosen a password; if it is forgotten, they ask for another on the sign-in page.');
    await sendLink(trx, { userId: member.id, email: member.email, purpose: 'join', by: user.name, url });
    await recordAct(trx, (await readStore(trx)).now, user.name, 'team.invited', { email: member.email, role: member.role });
  });
  return team(db, user);
}
