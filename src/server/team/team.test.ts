import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { generateSync } from 'otplib';
import { createUser } from '@/data/access';
import { createSource } from '@/data/sources';
import { query } from '@/data/db';
import { cartLeftBehind } from '../../demo/flows';
import { readStore, recordAct } from '@/data/store';
import {
  chooseByLink,
  drawSecret,
  firstOwner,
  forgotPassword,
  hashPassword,
  linkOf,
  NEEDS_CODE,
  secondFactorView,
  signInAs,
  stepOfCode,
  takeSecond,
  turnOff,
  turnOn,
  weakness,
  type SignedIn,
} from '../access';
import { onlyMessages } from '../flows';
import { editList, makeList } from '../people';
import { openLab, type Lab } from '../testing/lab';
import { acts, actsFile, changeRole, invite, inviteAgain, removeMember, team } from '.';

let lab: Lab;
let marla: SignedIn;
const KEY = 'a-secret-for-tests-of-32-characters!';
const URL_OF = 'http://viatic.example';
const PASSWORD = 'seven herons paint a ladder';
beforeAll(async () => {
  lab = await openLab();
});
afterAll(() => lab.close());
beforeEach(async () => {
  lab.inbox.length = 0;
  await lab.empty('users', 'brakes', 'acts');
  await createUser(lab.db, { email: 'marla@quillfin.example', name: 'Marla', passwordHash: await hashPassword(PASSWORD) });
  const [row] = await query<{ id: string }>(lab.db, 'select id::text as id from users');
  marla = { userId: row!.id, email: 'marla@quillfin.example', name: 'Marla', role: 'owner', session: 's', lacksSecond: false };
});

const url = (params = '') => new URL(`http://x/?${params}`);
const signIn = async (email: string, password: string, code?: string) => {
  const begun: string[] = [];
  const said = await signInAs(
    lab.db,
    { email, password, ...(code !== undefined && { code }) },
    '203.0.113.9',
    async (id) => void begun.push(id),
    () => KEY,
    () => URL_OF,
  );
  return { said, isIn: begun.length === 1 };
};
const tokenIn = (text: string | undefined) => /\/join\/([\w-]{32})/.exec(text ?? '')![1]!;
const idOf = async (name: string) => (await team(lab.db, marla)).members.find((one) => one.name === name)!.id;

describe('what an act has changed', () => {
  const changesOf = async (what: string) => (await acts(lab.db, url(`what=${what}`))).acts.map(({ changes }) => changes);

  it('stands with it as it was and as it is, whatever it is of, and nothing that is secret', async () => {
    await lab.empty('lists', 'sources', 'acts');
    const list = await makeList(lab.db, { name: 'Keepers', about: '', doubleOptIn: false }, 'Marla');
    await editList(lab.db, list.key, { name: 'Keepers’ club', about: 'Who wants news', doubleOptIn: false }, 'Marla');
    expect((await changesOf('list.changed'))[0]).toEqual([
      { of: 'lists', key: list.key, was: { name: 'Keepers', about: '' }, is: { name: 'Keepers’ club', about: 'Who wants news' } },
    ]);
    expect((await changesOf('list.made'))[0]).toMatchObject([{ of: 'lists', was: null, is: { name: 'Keepers' } }]);
    await lab.db.transaction(async (trx) => {
      const secret = { hash: 'digest-of-a-key', hint: 'vk_1234…abcd' };
      await createSource(trx, { key: 'key-1', kind: 'key', name: 'Shop', by: 'Marla', ...secret, scopes: ['events'] });
      await recordAct(trx, (await readStore(trx)).now, 'Marla', 'source.made', {});
    });
    expect((await changesOf('source.made'))[0]).toMatchObject([{ of: 'sources', key: 'key-1', is: { name: 'Shop', scopes: ['events'] } }]);
    expect(JSON.stringify(await query(lab.db, 'select changes from acts'))).not.toMatch(/digest-of-a-key|1234/);
  });

  it('is its own: what another transaction does, or an act before it in the same, is not in it', async () => {
    await lab.empty('lists', 'acts');
    const list = await makeList(lab.db, { name: 'One', about: '', doubleOptIn: false }, 'Marla');
    await lab.db.transaction(async (trx) => {
      const { now } = await readStore(trx);
      await query(trx, `update lists set name = 'Two' where key = :key`, { key: list.key });
      await recordAct(trx, now, 'Marla', 'list.changed', {});
      await recordAct(trx, now, 'Marla', 'list.looked-at', {});
    });
    await recordAct(lab.db, await lab.now(), 'Marla', 'list.looked-at', {});
    expect(await changesOf('list.looked-at')).toEqual([[], []]);
    expect(await changesOf('list.changed')).toHaveLength(1);
    await expect(query(lab.db, `update acts set changes = '[]'`)).rejects.toThrow('only added to');
    // words that stand in what it changed find it
    expect((await acts(lab.db, url('q=Two'))).acts).toHaveLength(1);
  });
});

describe('the team', () => {
  it('is joined by a link that works once; until then nobody signs in', async () => {
    const view = await invite(lab.db, { email: 'Ines@Quillfin.example', name: 'Ines', role: 'writer' }, marla, URL_OF);
    expect(view.members.map(({ name, role, joinedAt }) => [name, role, joinedAt !== null])).toEqual([
      ['Ines', 'writer', false],
      ['Marla', 'owner', true],
    ]);
    await expect(invite(lab.db, { email: 'ines@quillfin.example', name: 'Again', role: 'owner' }, marla, URL_OF)).rejects.toMatchObject({
      status: 409,
    });
    await expect(invite(lab.db, { email: 'x@y.example', name: 'X', role: 'king' }, marla, URL_OF)).rejects.toMatchObject({ status: 422 });
    await lab.settle();
    const [mail] = lab.inbox;
    expect([mail!.subject, [mail!.to].flat()[0]!.text]).toEqual(['Marla asks you to work on Quillfin', 'ines@quillfin.example']);
    const first = tokenIn(mail!.text);
    expect((await signIn('ines@quillfin.example', 'none')).isIn).toBe(false);
    // another link, and the first works no more
    await inviteAgain(lab.db, await idOf('Ines'), marla, URL_OF);
    await lab.settle();
    expect(await linkOf(lab.db, first)).toBeNull();
    const token = tokenIn(lab.inbox[1]!.text);
    expect(await linkOf(lab.db, token)).toMatchObject({ name: 'Ines', purpose: 'join' });
    expect(await chooseByLink(lab.db, token, 'short', URL_OF)).toMatch(/too short/);
    expect(await chooseByLink(lab.db, token, 'password1234', URL_OF)).toMatch(/too easily guessed/);
    expect(await chooseByLink(lab.db, token, PASSWORD, URL_OF)).toBeNull();
    await expect(chooseByLink(lab.db, token, PASSWORD, URL_OF)).rejects.toMatchObject({ status: 410 });
    expect(await signIn('ines@quillfin.example', PASSWORD)).toEqual({ said: null, isIn: true });
    await expect(inviteAgain(lab.db, await idOf('Ines'), marla, URL_OF)).rejects.toMatchObject({ status: 409 });
    for (const none of ['', 'x'.repeat(32), `${token}x`]) expect(await linkOf(lab.db, none)).toBeNull();
  });

  it('keeps an owner: the last one stays one and is not removed, also when two are changed at once', async () => {
    await expect(changeRole(lab.db, marla.userId, { role: 'editor' }, marla)).rejects.toMatchObject({ status: 409 });
    await expect(removeMember(lab.db, marla.userId, marla)).rejects.toMatchObject({ status: 409 });
    await createUser(lab.db, { email: 'tom@quillfin.example', name: 'Tom', passwordHash: 'x' });
    const tom = await idOf('Tom');
    const done = await Promise.allSettled([
      changeRole(lab.db, marla.userId, { role: 'analyst' }, marla),
      changeRole(lab.db, tom, { role: 'analyst' }, marla),
    ]);
    expect(done.map(({ status }) => status).sort()).toEqual(['fulfilled', 'rejected']);
    expect((await team(lab.db, marla)).members.filter(({ role }) => role === 'owner')).toHaveLength(1);
    await expect(changeRole(lab.db, '999999', { role: 'editor' }, marla)).rejects.toMatchObject({ status: 404 });
  });

  it('who is removed is signed out at once; an invited owner does not count as one', async () => {
    await invite(lab.db, { email: 'new@quillfin.example', name: 'New', role: 'owner' }, marla, URL_OF);
    await expect(removeMember(lab.db, marla.userId, marla)).rejects.toMatchObject({ status: 409 });
    await query(
      lab.db,
      `insert into sessions (digest, user_id, ends_at) select 'd', id, now() + interval '1 day' from users where name = 'New'`,
    );
    await removeMember(lab.db, await idOf('New'), marla);
    expect(await query(lab.db, `select 1 from sessions where digest = 'd'`)).toEqual([]);
  });

  it('asks for another password by mail, and says the same whether there is such an account or not', async () => {
    await forgotPassword(lab.db, 'nobody@quillfin.example', URL_OF);
    await forgotPassword(lab.db, 'a\u0000b', URL_OF);
    await forgotPassword(lab.db, ' MARLA@quillfin.example ', URL_OF);
    await lab.settle();
    expect(lab.inbox).toHaveLength(1);
    const token = tokenIn(lab.inbox[0]!.text);
    await query(lab.db, `insert into sessions (digest, user_id, ends_at) values ('old', :id, now() + interval '1 day')`, {
      id: marla.userId,
    });
    expect(await chooseByLink(lab.db, token, 'nine lamps under the harbour', URL_OF)).toBeNull();
    expect((await signIn('marla@quillfin.example', PASSWORD)).isIn).toBe(false);
    expect((await signIn('marla@quillfin.example', 'nine lamps under the harbour')).isIn).toBe(true);
    expect(await query(lab.db, `select 1 from sessions where digest = 'old'`)).toEqual([]);
  });

  it('begins with an owner who is named at the set-up, by a link that is told there; once one has joined, nobody else comes in that way', async () => {
    expect(await firstOwner(lab.db, { email: 'x@y.example', name: 'X' }, URL_OF)).toEqual({ needs: false, url: null, email: null });
    await lab.empty('users');
    expect(await firstOwner(lab.db, { email: '', name: '' }, URL_OF)).toMatchObject({ needs: true, url: null });
    const first = await firstOwner(lab.db, { email: 'Ada@shop.example', name: 'Ada' }, URL_OF);
    // started again before she has joined: another link, and the first works no more; her name need not be said again
    const again = await firstOwner(lab.db, { email: '', name: '' }, URL_OF);
    expect([await linkOf(lab.db, tokenIn(first.url!)), again.email]).toEqual([null, 'ada@shop.example']);
    expect(await chooseByLink(lab.db, tokenIn(again.url!), PASSWORD, URL_OF)).toBeNull();
    expect((await signIn('ada@shop.example', PASSWORD)).isIn).toBe(true);
    expect((await team(lab.db, null)).members).toMatchObject([{ name: 'Ada', role: 'owner' }]);
    expect((await firstOwner(lab.db, { email: 'eve@shop.example', name: 'Eve' }, URL_OF)).url).toBeNull();
  });

  it('knows easily guessed passwords: common ones, patterns, and what is known of the person', () => {
    for (const weak of ['password1234', 'qwertyuiop12', 'marlaquist2026', 'aaaaaaaaaaaa'])
      expect(weakness(weak, ['marlaquist'])).toMatch(/too easily guessed/);
    expect(weakness(PASSWORD, ['Marla'])).toBeNull();
  });
});

describe('the second factor', () => {
  // RFC 6238, appendix B: the secret is "12345678901234567890" in ASCII, here in base 32; codes of eight digits of which programs show the last six
  const SECRET = 'GEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQ';
  it('takes the codes of RFC 6238, appendix B, at their times and one step beside them', () => {
    for (const [seconds, code] of [
      [59, '94287082'],
      [1_111_111_109, '07081804'],
      [1_111_111_111, '14050471'],
      [1_234_567_890, '89005924'],
      [2_000_000_000, '69279037'],
      [20_000_000_000, '65353130'],
    ] as const) {
      expect(stepOfCode(SECRET, code.slice(2), seconds * 1000)).toBe(Math.floor(seconds / 30));
      expect(stepOfCode(SECRET, code.slice(2), (seconds + 30) * 1000)).toBe(Math.floor(seconds / 30));
      expect(stepOfCode(SECRET, code.slice(2), (seconds + 95) * 1000)).toBeNull();
    }
    for (const wrong of ['', '12345', 'abcdef', '1234567']) expect(stepOfCode(SECRET, wrong, 59_000)).toBeNull();
  });

  it('is on once a code was seen; then signing in asks for one, each good once, or one of those for when the device is lost', async () => {
    const { setup } = await drawSecret(lab.db, marla, KEY);
    expect(setup!.uri).toMatch(/^otpauth:\/\/totp\/Viatic:marla(@|%40)quillfin\.example\?/);
    // the secret is not on file as it is
    expect(JSON.stringify(await query(lab.db, 'select totp_sealed from users'))).not.toContain(setup!.secret);
    const now = () => generateSync({ secret: setup!.secret });
    await expect(turnOn(lab.db, marla, '000000', KEY, URL_OF)).rejects.toMatchObject({ status: 422 });
    expect((await signIn('marla@quillfin.example', PASSWORD)).isIn).toBe(true);
    const { codes } = await turnOn(lab.db, marla, now(), KEY, URL_OF);
    expect(new Set(codes).size).toBe(10);
    expect(await secondFactorView(lab.db, marla, KEY)).toMatchObject({ codesLeft: 10, setup: null });
    expect(await signIn('marla@quillfin.example', PASSWORD)).toEqual({ said: NEEDS_CODE, isIn: false });
    // the code that turned it on is used
    expect((await signIn('marla@quillfin.example', PASSWORD, now())).isIn).toBe(false);
    await query(lab.db, 'update users set totp_step = totp_step - 2');
    const code = now();
    expect((await signIn('marla@quillfin.example', PASSWORD, code)).isIn).toBe(true);
    expect((await signIn('marla@quillfin.example', PASSWORD, code)).isIn).toBe(false);
    expect((await signIn('marla@quillfin.example', PASSWORD, codes[0]!.toUpperCase())).isIn).toBe(true);
    expect((await signIn('marla@quillfin.example', PASSWORD, codes[0]!)).isIn).toBe(false);
    await expect(drawSecret(lab.db, marla, KEY)).rejects.toMatchObject({ status: 409 });
    await expect(turnOff(lab.db, marla, '000000', KEY, URL_OF)).rejects.toMatchObject({ status: 422 });
    await turnOff(lab.db, marla, codes[1]!, KEY, URL_OF);
    expect((await signIn('marla@quillfin.example', PASSWORD)).isIn).toBe(true);
    expect(await takeSecond(lab.db, marla.userId, 'anything', KEY, () => URL_OF)).toBe(true);
  });

  it('whose way in has changed hears of it by mail, and who came in or was refused stands in the log', async () => {
    const { setup } = await drawSecret(lab.db, marla, KEY);
    const { codes } = await turnOn(lab.db, marla, generateSync({ secret: setup!.secret }), KEY, URL_OF);
    expect((await signIn('marla@quillfin.example', 'wrong')).isIn).toBe(false);
    expect((await signIn('nobody@quillfin.example', 'wrong')).isIn).toBe(false);
    expect((await signIn('marla@quillfin.example', PASSWORD, '000000')).isIn).toBe(false);
    expect((await signIn('marla@quillfin.example', PASSWORD, codes[0])).isIn).toBe(true);
    await turnOff(lab.db, marla, codes[1]!, KEY, URL_OF);
    await forgotPassword(lab.db, 'marla@quillfin.example', URL_OF);
    await lab.settle();
    const asked = lab.inbox.findIndex(({ subject }) => subject === 'Another password for Quillfin');
    expect(await chooseByLink(lab.db, tokenIn(lab.inbox[asked]!.text), 'four brass owls on ice', URL_OF)).toBeNull();
    lab.inbox.splice(asked, 1);
    await lab.settle();
    expect(lab.inbox.map(({ subject }) => subject).sort()).toEqual([
      'A code for when the device is lost was used at Quillfin',
      'A code for when the device is lost was used at Quillfin',
      'A second factor is asked for when you sign in to Quillfin',
      'The second factor for Quillfin was turned off',
      'Your password for Quillfin was changed',
    ]);
    expect(lab.inbox.every(({ text }) => text?.includes(`${URL_OF}/forgot`))).toBe(true);
    expect((await acts(lab.db, url('what=sign-in'))).acts.map(({ what, actor, detail }) => [what, actor, detail.because])).toEqual([
      ['sign-in.done', 'Marla', undefined],
      ['sign-in.refused', 'Marla', 'wrong code'],
      ['sign-in.refused', 'nobody on the team', 'wrong password'],
      ['sign-in.refused', 'Marla', 'wrong password'],
    ]);
  });

  it('wrong codes are braked like wrong passwords', async () => {
    const { setup } = await drawSecret(lab.db, marla, KEY);
    await turnOn(lab.db, marla, generateSync({ secret: setup!.secret }), KEY, URL_OF);
    const said: (string | null)[] = [];
    for (let n = 0; n < 12; n++) said.push((await signIn('marla@quillfin.example', PASSWORD, '000000')).said);
    expect(said.filter((one) => one?.includes('not right'))).toHaveLength(10);
    expect(said.at(-1)).toMatch(/tried too often/);
    // asking for the field of the code in between gives no try back
    await query(lab.db, 'delete from brakes');
    const wrong: (string | null)[] = [];
    for (let n = 0; n < 12; n++) {
      await signIn('marla@quillfin.example', PASSWORD);
      wrong.push((await signIn('marla@quillfin.example', PASSWORD, '000000')).said);
    }
    expect(wrong.filter((one) => one?.includes('not right'))).toHaveLength(5);
    // who has come by a session guesses no code to turn it off, either
    const off: number[] = [];
    for (let n = 0; n < 12; n++)
      off.push(
        await turnOff(lab.db, marla, '000000', KEY, URL_OF).then(
          () => 200,
          (problem: { status: number }) => problem.status,
        ),
      );
    expect(off.at(-1)).toBe(429);
    expect(off).not.toContain(200);
  });
});

describe('the log', () => {
  it('is read newest first, by who and what and words, page by page and as a file; nothing in it is changed', async () => {
    const { now } = await readStore(lab.db);
    // numbers of seven digits and of eight: newest first is by the number, not by its letters
    await query(lab.db, `select setval(pg_get_serial_sequence('acts', 'id'), 9999997)`);
    for (let n = 0; n < 5; n++)
      await recordAct(lab.db, now + n, n % 2 ? 'Ines' : 'Marla', n < 3 ? 'flow.published' : 'offer.stored', { key: `k${n}`, says: '=1+1' });
    const page = await acts(lab.db, url('limit=2'));
    expect(page.acts.map(({ detail }) => detail.key)).toEqual(['k4', 'k3']);
    expect([page.actors, page.kinds]).toEqual([
      ['Ines', 'Marla'],
      ['flow', 'offer'],
    ]);
    expect((await acts(lab.db, url(`limit=9&before=${page.next}`))).acts.map(({ detail }) => detail.key)).toEqual(['k2', 'k1', 'k0']);
    expect((await acts(lab.db, url('actor=Ines&what=flow'))).acts.map(({ detail }) => detail.key)).toEqual(['k1']);
    expect((await acts(lab.db, url('q=K3'))).acts.map(({ detail }) => detail.key)).toEqual(['k3']);
    await expect(acts(lab.db, url('before=x'))).rejects.toMatchObject({ status: 400 });
    const [head, first] = (await actsFile(lab.db, url('what=offer.stored'))).split('\n');
    expect(head).toBe('at,actor,what,detail,changes');
    expect(first).toContain('Marla,offer.stored,');
    for (const change of [`update acts set actor = 'nobody'`, 'delete from acts'])
      await expect(query(lab.db, change)).rejects.toThrow(/only added to/);
  });
});

it('a writer’s draft changes messages and nothing else of a flow', async () => {
  const other = structuredClone(cartLeftBehind) as unknown as { steps: { message?: { subject: string } }[]; name: string };
  const say = (value: unknown): unknown =>
    JSON.parse(JSON.stringify(value, (name, own: unknown) => (name === 'subject' ? 'Another subject' : own)));
  await onlyMessages(lab.db, 'cart-left-behind', say(other));
  await expect(onlyMessages(lab.db, 'cart-left-behind', { ...other, name: 'Mine' })).rejects.toMatchObject({ status: 403 });
  await expect(onlyMessages(lab.db, 'cart-left-behind', { ...other, steps: other.steps.slice(1) })).rejects.toMatchObject({ status: 403 });
  await expect(onlyMessages(lab.db, 'nothing', other)).rejects.toMatchObject({ status: 403 });
});
