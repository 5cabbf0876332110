import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { createUser, endSession, endSessions, findSession, forgetSessions, listSessions, startSession } from '@/data/access';
import { query } from '@/data/db';
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
    expect(await findSession(lab.db, 'a')).toEqual({ userId, email: 'marla@quillfin.example', name: 'Marla', role: 'owner', session: 'a' });
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
