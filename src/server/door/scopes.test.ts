import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { SCOPES, type Scope } from '@/core/sources';
import { createKey } from '@/data/sources';
import { query } from '@/data/db';
import { happening, openLab, type Lab } from '../testing/lab';
import { hashKey } from '../access';

let lab: Lab;
type Handler = (request: Request, context: { params: Promise<Record<string, string>> }) => Promise<Response>;
let routes: Record<string, Handler>;
beforeAll(async () => {
  lab = await openLab();
  Object.assign(process.env, {
    VIATIC_DATABASE_URL: lab.url,
    VIATIC_URL: 'http://viatic.example',
    VIATIC_SECRET: 'a-secret-for-tests-of-32-characters!',
    VIATIC_SMTP_URL: 'smtp://127.0.0.1:1',
    VIATIC_MAIL_HOOK_SECRET: 'whsec_MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw',
    VIATIC_TEXT_HOOK_SECRET: 'whsec_MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw',
  });
  for (const scope of SCOPES) await createKey(lab.db, { name: scope, hash: hashKey(`key-${scope}`), hint: '…', scopes: [scope] });
  await createKey(lab.db, { name: 'revoked', hash: hashKey('key-revoked'), hint: '…' });
  await query(lab.db, `update sources set revoked_at = now() where name = 'revoked'`);
  const [events, people, person, bulk, exports, sources, erase] = await Promise.all([
    import('@/app/api/v1/events/route'),
    import('@/app/api/v1/people/route'),
    import('@/app/api/v1/people/[id]/route'),
    import('@/app/api/v1/bulk/route'),
    import('@/app/api/v1/exports/route'),
    import('@/app/api/v1/sources/route'),
    import('@/app/api/v1/people/[id]/merge/route'),
  ]);
  routes = {
    'POST events': events.POST,
    'GET people': people.GET,
    'GET person': person.GET,
    'PATCH person': person.PATCH,
    'DELETE person': person.DELETE,
    'POST bulk': bulk.POST,
    'GET exports': exports.GET,
    'POST sources': sources.POST,
    'POST merge': erase.POST,
  };
  await lab.tell(happening('page.viewed', { person: { email: 'a@example.com' } }, { subject: 'c1' }));
});
afterAll(() => lab.close());

const ask = (name: string, key: string | null, body: unknown = {}) => {
  const [method] = name.split(' ');
  return routes[name]!(
    new Request('http://viatic.example/api/v1/x', {
      method,
      headers: { 'content-type': 'application/json', ...(key && { authorization: `Bearer ${key}` }) },
      ...(method !== 'GET' && { body: JSON.stringify(body) }),
    }),
    { params: Promise.resolve({ id: 'c1' }) },
  );
};
const NEEDS: Record<string, Scope> = {
  'POST events': 'events',
  'GET people': 'read',
  'GET person': 'read',
  'GET exports': 'read',
  'PATCH person': 'write',
  'DELETE person': 'write',
  'POST bulk': 'write',
  'POST sources': 'write',
  'POST merge': 'write',
};

describe.each(Object.entries(NEEDS))('%s needs the scope %s', (name, needs) => {
  it.each(SCOPES.filter((scope) => scope !== needs))(
    'a key that has only another (%s) is refused with 403, and told which it needs',
    async (scope) => {
      const answer = await ask(name, `key-${scope}`);
      expect(answer.status).toBe(403);
      expect(((await answer.json()) as { detail: string }).detail).toContain(`this needs: ${needs}`);
    },
  );
  it('without a key, with a made-up and with a revoked one: 401', async () => {
    // without a key the session is looked at, which there is none of outside of a request
    for (const key of ['made-up', 'key-revoked']) expect((await ask(name, key)).status).toBe(401);
  });
});

it('whoever takes a file away stands in the log, with which it was and nothing of who is in it', async () => {
  const taken = async () =>
    await query<{ actor: string; detail: object }>(lab.db, `select actor, detail from acts where what = 'file.taken' order by id`);
  const before = (await taken()).length;
  const answer = await routes['GET exports']!(
    new Request('http://viatic.example/api/v1/exports?what=people&format=csv&q=robin', { headers: { authorization: 'Bearer key-read' } }),
    { params: Promise.resolve({}) },
  );
  expect([answer.status, (await answer.text()).length > 0]).toEqual([200, true]);
  expect((await taken()).slice(before)).toEqual([
    {
      actor: 'key read',
      detail: { file: expect.stringContaining('people') as string, from: '/api/v1/exports', what: 'people', format: 'csv' },
    },
  ]);
  expect((await ask('GET people', 'key-read')).status).toBe(200);
  expect(await taken()).toHaveLength(before + 1);
});

it('with its scope each does what it is for', async () => {
  expect((await ask('POST events', 'key-events', happening('page.viewed', {}, { subject: 'c1' }))).status).toBe(202);
  expect((await ask('GET person', 'key-read')).status).toBe(200);
  expect((await ask('PATCH person', 'key-write', { attributes: { note: 'x' } })).status).toBe(204);
  expect((await ask('POST merge', 'key-write', { other: 'nobody' })).status).toBe(404);
});
