import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import {
  createUser,
  endSession,
  endSessions,
  findSession,
  forgetSessions,
  listSessions,
  readSigningIn,
  startSession,
  writeSigningIn,
} from '@/data/access';
import { query } from '@/data/db';
import { putPasskey } from '@/data/team';
import { changeSigningIn } from '../team';
import { openLab, type Lab } from '../testing/lab';
import { signInAs } from './account';
import { brake, makeSignInBrake, sayWait } from './brake';
import { hashPassword } from './passwords';
import { sessionCookie } from './session';

let lab: Lab;
let userId = '';
beforeAll(async () => {
  lab = await openLab({ flow: null });
  await createUser(lab.db, { email: 'marla@quillfin.example', name: 'Marla', passwordHash: await hashPassword('tanks-and-trains') });
  userId = (await query<{ id: string }>(lab.db, 'select id from users'))[0]!.id;
});
afterAll(() => lab.close());

it('the session’s cookie has the prefix that ties it to the site, where browsers take such: by https', () => {
  expect(sessionCookie('https://viatic.quillfin.example')).toMatch(/^__Host-/);
  expect(sessionCookie('http://localhost:4400')).toBe('viatic_session');
});

describe('signing in', () => {
  const begun: string[] = [];
  const signIn = (password: string, email = 'marla@quillfin.example', from = '203.0.113.1') =>
    signInAs(lab.db, { email, password }, from, async (id) => void begun.push(id));

  it('150 guesses at once are ten: the others are told to wait, and so is the right password for that time', async () => {
    const answers = await Promise.all(Array.from({ length: 60 }, () => signIn('guess')));
    expect(answers.filter((one) => one?.includes('do not belong together'))).toHaveLength(10);
    expect(answers.filter((one) => /tried too often\. Wait 15 minutes/.test(one ?? ''))).toHaveLength(50);
    expect(await signIn('tanks-and-trains', 'marla@quillfin.example', '203.0.113.2')).toMatch(/tried too often/);
    expect(begun).toEqual([]);
  });

  it('one address is braked, too, whatever accounts it tries', async () => {
    await query(lab.db, 'delete from brakes');
    const answers: (string | null)[] = [];
    for (let i = 0; i < 44; i++) answers.push(await signIn('guess', `somebody${i}@quillfin.example`, '203.0.113.7'));
    expect(answers.slice(0, 40).every((one) => one?.includes('do not belong together'))).toBe(true);
    expect(answers.slice(40).every((one) => one?.includes('tried too often'))).toBe(true);
    expect(await signIn('guess', 'else@quillfin.example', '203.0.113.8')).toMatch(/do not belong/);
  });

  it('a right password gives back what was taken: who mistypes now and then is never braked', async () => {
    await query(lab.db, 'delete from brakes');
    for (let i = 0; i < 25; i++)
      expect(await signIn(i % 5 ? 'tanks-and-trains' : 'typo')).toBe(
        i % 5 ? null : 'That address and password do not belong together. Check both and try again.',
      );
    expect(begun).toHaveLength(20);
  });

  it('the time to wait runs out', async () => {
    const limits = makeSignInBrake(lab.db, { account: { times: 1, seconds: 1 }, address: { times: 100, seconds: 1 } });
    expect([await limits.take('a@x.example', '1'), await limits.take('A@X.example', '1')]).toEqual([null, expect.any(Number)]);
    await new Promise((done) => setTimeout(done, 1100));
    expect(await limits.take('a@x.example', '1')).toBeNull();
  });
});

describe('a session', () => {
  const start = (digest: string, lastsMs = 60_000) => startSession(lab.db, { digest, userId, lastsMs, address: '', agent: '' });
  it('lasts until it is ended, here or elsewhere, or its time is over', async () => {
    for (const digest of ['a', 'b', 'c']) await start(digest);
    await start('over', -1);
    expect(await findSession(lab.db, 'a')).toEqual({
      userId,
      email: 'marla@quillfin.example',
      name: 'Marla',
      role: 'owner',
      session: 'a',
      lacksSecond: false,
    });
    expect([await findSession(lab.db, 'over'), await findSession(lab.db, 'made up')]).toEqual([null, null]);
    await endSession(lab.db, 'a');
    expect(await findSession(lab.db, 'a')).toBeNull();
    expect(await endSessions(lab.db, userId, 'b')).toBe(2);
    expect((await listSessions(lab.db, userId)).map((one) => one.digest)).toEqual(['b']);
    await start('old', -1);
    await forgetSessions(lab.db);
    expect(await query(lab.db, 'select digest from sessions')).toEqual([{ digest: 'b' }]);
  });
});

describe('how everybody signs in', () => {
  it('a session lasts as long as the store says, also one that is open already', async () => {
    await startSession(lab.db, { digest: 'long', userId, lastsMs: 14 * 86_400_000, address: '', agent: '' });
    await query(lab.db, `update sessions set started_at = now() - interval '13 hours' where digest = 'long'`);
    expect(await findSession(lab.db, 'long')).toMatchObject({ userId });
    await writeSigningIn(lab.db, { hours: 12, second: false });
    expect(await findSession(lab.db, 'long')).toBeNull();
    expect((await listSessions(lab.db, userId)).map(({ digest }) => digest)).not.toContain('long');
    await writeSigningIn(lab.db, { hours: 14, second: false });
    expect(await findSession(lab.db, 'long')).toMatchObject({ userId });
  });

  it('a second factor or a passkey is asked of everybody, by who has one', async () => {
    const marla = {
      userId: String(userId),
      email: 'marla@quillfin.example',
      name: 'Marla',
      role: 'owner',
      session: 'x',
      lacksSecond: false,
    } as const;
    await startSession(lab.db, { digest: 'x', userId, lastsMs: 60_000, address: '', agent: '' });
    const lacks = async () => (await findSession(lab.db, 'x'))!.lacksSecond;
    const ask = (body: object) => changeSigningIn(lab.db, body, marla);
    await expect(ask({ hours: 0, second: true })).rejects.toMatchObject({ status: 422 });
    await expect(ask({ hours: 24, second: true })).rejects.toMatchObject({
      status: 409,
      detail: expect.stringContaining('your own account'),
    });
    expect([(await readSigningIn(lab.db)).second, await lacks()]).toEqual([false, false]);
    await putPasskey(lab.db, { id: 'k', userId: String(userId), name: 'Key', publicKey: new Uint8Array(3), counter: 0, transports: [] });
    expect((await ask({ hours: 24, second: true })).signingIn).toEqual({ hours: 24, second: true });
    expect(await lacks()).toBe(false);
    await query(lab.db, 'delete from passkeys');
    expect(await lacks()).toBe(true);
    await query(lab.db, 'update users set totp_since = now()');
    expect(await lacks()).toBe(false);
    const [act] = await query<{ actor: string; what: string; detail: object }>(
      lab.db,
      'select actor, what, detail from acts order by id desc limit 1',
    );
    expect(act).toEqual({
      actor: 'Marla',
      what: 'team.signing-in',
      detail: { was: { hours: 14, second: false }, is: { hours: 24, second: true } },
    });
  });
});

it('a brake for strangers says how long to wait, in words and as a header (RFC 9110 §10.2.3)', async () => {
  await brake('test', 'x', { times: 1, seconds: 60 }, 'That was too often.');
  await expect(brake('test', 'x', { times: 1, seconds: 60 }, 'That was too often.')).rejects.toMatchObject({
    status: 429,
    detail: expect.stringMatching(/^That was too often\. Wait \d+ seconds, then try again\.$/),
    headers: { 'retry-after': expect.stringMatching(/^\d+$/) },
  });
  await brake('test', 'y', { times: 1, seconds: 60 }, '');
  expect([sayWait(1), sayWait(1001), sayWait(89_000), sayWait(91_000), sayWait(15 * 60_000)]).toEqual([
    '1 second',
    '2 seconds',
    '89 seconds',
    '2 minutes',
    '15 minutes',
  ]);
});
