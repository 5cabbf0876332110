import { createHash, createSign, generateKeyPairSync } from 'node:crypto';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { createUser } from '@/data/access';
import { query } from '@/data/db';
import { putPasskey } from '@/data/team';
import { team } from '../team';
import { openLab, type Lab } from '../testing/lab';
import { askForPasskey, askForSignIn, canMakePasskeys, passkeysView, removePasskey, signInByPasskey, storePasskey } from './passkeys';
import { hashPassword } from './passwords';

const URL_ = 'https://viatic.quillfin.example';
const PASSWORD = 'tanks-and-trains';
let lab: Lab;
let user: Parameters<typeof passkeysView>[1];
const begun: string[] = [];
beforeAll(async () => {
  lab = await openLab({ flow: null });
  await createUser(lab.db, { email: 'marla@quillfin.example', name: 'Marla', passwordHash: await hashPassword(PASSWORD) });
  const [row] = await query<{ id: string }>(lab.db, 'select id from users');
  user = { userId: String(row!.id), email: 'marla@quillfin.example', name: 'Marla', role: 'owner', session: 's', lacksSecond: false };
});
afterAll(() => lab.close());
beforeEach(async () => {
  begun.length = 0;
  await query(lab.db, 'truncate passkeys, passkey_asks, brakes');
});

// an authenticator by the book: WebAuthn Level 2, sections 6.1 (authenticator data) and 6.3.3 (what is signed), keys as in RFC 9053 section 7.1.1
const { publicKey, privateKey } = generateKeyPairSync('ec', { namedCurve: 'P-256' });
const { x, y } = publicKey.export({ format: 'jwk' });
const cose = Buffer.concat([
  Buffer.from('a5010203262001215820', 'hex'),
  Buffer.from(x!, 'base64url'),
  Buffer.from('225820', 'hex'),
  Buffer.from(y!, 'base64url'),
]);
const ID = Buffer.from('a key of a device').toString('base64url');
const sha = (data: string | Buffer) => createHash('sha256').update(data).digest();
const PRESENT = 0x01;
const VERIFIED = 0x04;

function answerTo(
  challenge: string,
  { origin = URL_, host = new URL(URL_).hostname, flags = PRESENT | VERIFIED, count = 1, id = ID } = {},
) {
  const client = Buffer.from(JSON.stringify({ type: 'webauthn.get', challenge, origin, crossOrigin: false }));
  const counter = Buffer.alloc(4);
  counter.writeUInt32BE(count);
  const data = Buffer.concat([sha(host), Buffer.from([flags]), counter]);
  const signature = createSign('sha256')
    .update(Buffer.concat([data, sha(client)]))
    .sign(privateKey);
  return {
    id,
    rawId: id,
    type: 'public-key',
    clientExtensionResults: {},
    response: {
      clientDataJSON: client.toString('base64url'),
      authenticatorData: data.toString('base64url'),
      signature: signature.toString('base64url'),
    },
  };
}

const put = () => putPasskey(lab.db, { id: ID, userId: user.userId, name: 'Laptop', publicKey: cose, counter: 0, transports: [] });
const enter = (answer: unknown) => signInByPasskey(lab.db, answer, '203.0.113.1', URL_, async (id) => void begun.push(id));
let address = 0;
const ask = async () => (await askForSignIn(lab.db, `198.51.100.${++address}`, URL_)).challenge;

describe('signing in by a passkey', () => {
  beforeEach(put);

  it('needs neither password nor code, and stands in the log', async () => {
    expect(await enter(answerTo(await ask()))).toBeNull();
    expect(begun).toEqual([user.userId]);
    expect((await passkeysView(lab.db, user, URL_)).passkeys).toMatchObject([{ name: 'Laptop', usedAt: expect.any(String) }]);
    const [act] = await query<{ what: string; detail: object }>(lab.db, 'select what, detail from acts order by id desc limit 1');
    expect(act).toEqual({ what: 'sign-in.done', detail: { from: '203.0.113.1', by: 'passkey Laptop' } });
  });

  it('an answer is good once, and only to what was asked here not long ago', async () => {
    const answer = answerTo(await ask());
    expect(await enter(answer)).toBeNull();
    expect(await enter(answer)).toMatch(/too late/);
    expect(await enter(answerTo(Buffer.from('never asked').toString('base64url')))).toMatch(/too late/);
    const late = await ask();
    await query(lab.db, `update passkey_asks set ends_at = now() - interval '1 second'`);
    expect(await enter(answerTo(late))).toMatch(/too late/);
    expect(begun).toHaveLength(1);
  });

  it.each([
    ['of another site', { origin: 'https://viatic.quillfin.example.evil.example' }],
    ['made for another name', { host: 'evil.example' }],
    ['of a device that did not know its owner', { flags: PRESENT }],
  ])('refuses an answer %s', async (_, wrong) => {
    expect(await enter(answerTo(await ask(), wrong))).toMatch(/something else than it was asked/);
    expect(begun).toEqual([]);
  });

  it('refuses a signature of another key, a count that goes back, a passkey nobody has, and what is no answer', async () => {
    const forged = answerTo(await ask());
    forged.response.signature = answerTo(await ask(), { count: 7 }).response.signature;
    expect(await enter(forged)).toMatch(/something else/);
    expect(await enter(answerTo(await ask(), { count: 9 }))).toBeNull();
    expect(await enter(answerTo(await ask(), { count: 8 }))).toMatch(/something else/);
    expect(await enter(answerTo(await ask(), { id: 'bm9ib2R5' }))).toMatch(/not on file/);
    for (const nothing of [null, 5, {}, { id: 7 }, { id: ID }, { id: 'a\u0000b' }])
      expect(await enter(nothing)).toEqual(expect.any(String));
    expect(await enter(answerTo('a\u0000b'))).toMatch(/something else/);
    expect(begun).toHaveLength(1);
  });

  it('is braked like a password', async () => {
    const answers: (string | null)[] = [];
    for (let i = 0; i < 12; i++) answers.push(await enter({ id: ID }));
    expect(answers.slice(10).every((one) => /tried too often/.test(one ?? ''))).toBe(true);
    await query(lab.db, 'truncate brakes');
    await removePasskey(lab.db, user, ID, URL_);
    expect(await enter(answerTo(await ask()))).toMatch(/not on file/);
  });
});

it('beginning to sign in is braked by address: each is on file until it is too late', async () => {
  for (let i = 0; i < 60; i++) await askForSignIn(lab.db, '203.0.113.9', URL_);
  await expect(askForSignIn(lab.db, '203.0.113.9', URL_)).rejects.toMatchObject({ status: 429 });
  await expect(askForSignIn(lab.db, '203.0.113.10', URL_)).resolves.toMatchObject({ userVerification: 'required' });
});

describe('a passkey of the account', () => {
  it('is asked for with the password, for this site, so that the device knows its owner', async () => {
    const asked = await askForPasskey(lab.db, user, { present: PASSWORD }, '203.0.113.1', URL_);
    expect(asked).toMatchObject({
      rp: { id: 'viatic.quillfin.example' },
      user: { name: 'marla@quillfin.example' },
      authenticatorSelection: { residentKey: 'required', userVerification: 'required' },
    });
    await expect(askForPasskey(lab.db, user, { present: 'guess' }, '203.0.113.1', URL_)).rejects.toMatchObject({ status: 422 });
    await expect(storePasskey(lab.db, user, { name: 'X', answer: { id: 'x' } }, URL_)).rejects.toMatchObject({ status: 422 });
    // what was asked of somebody's device signs nobody in
    await put();
    expect(await enter(answerTo(asked.challenge))).toMatch(/something else/);
  });

  it('is removed with a note by mail, and only by whose it is', async () => {
    await put();
    expect((await team(lab.db, user)).members).toMatchObject([{ name: 'Marla', hasSecond: false, passkeys: 1 }]);
    await expect(removePasskey(lab.db, { ...user, userId: '0' }, ID, URL_)).rejects.toMatchObject({ status: 404 });
    expect((await removePasskey(lab.db, user, ID, URL_)).passkeys).toEqual([]);
    const [note] = await query<{ subject: string }>(
      lab.db,
      `select message ->> 'subject' as subject from letters order by id desc limit 1`,
    );
    expect(note!.subject).toContain('passkey');
  });

  it('can be made for a name by https, or for localhost; not for a number', () => {
    expect(
      ['https://viatic.example', 'http://localhost:4400', 'http://viatic.example', 'http://127.0.0.1:4400', 'https://[::1]'].map(
        canMakePasskeys,
      ),
    ).toEqual([true, true, false, false, false]);
  });
});
