import fc from 'fast-check';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { createKey } from '@/data/sources';
import { query } from '@/data/db';
import { hashKey } from '../access';
import { cart, openLab, type Lab } from '../testing/lab';
import { LARGEST_BODY } from '../http';

let lab: Lab;
let post: (request: Request) => Promise<Response>;
beforeAll(async () => {
  lab = await openLab();
  Object.assign(process.env, {
    VIATIC_DATABASE_URL: lab.url,
    VIATIC_URL: 'http://localhost:4400',
    VIATIC_SECRET: 'x'.repeat(32),
    VIATIC_SMTP_URL: 'smtp://127.0.0.1:1',
    VIATIC_MAIL_HOOK_SECRET: 'whsec_MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw',
    VIATIC_TEXT_HOOK_SECRET: 'whsec_MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw',
    VIATIC_LOG: 'silent',
  });
  await createKey(lab.db, { name: 'test', hash: hashKey('test-key'), hint: 'test…' });
  post = (await import('@/app/api/v1/events/route')).POST;
});
afterAll(async () => {
  await (await import('../base/database')).database().destroy();
  await lab.close();
});

const send = (body: string | Uint8Array, headers: Record<string, string> = {}) =>
  post(
    new Request('http://localhost/api/v1/events', {
      method: 'POST',
      headers: { authorization: 'Bearer test-key', 'content-type': 'application/json', ...headers },
      body: body as BodyInit,
    }),
  );

it('answers 202 with what was taken; without a key, or with a wrong one, 401', async () => {
  const answer = await send(JSON.stringify(cart('a@example.com', 50)));
  expect([answer.status, await answer.json()]).toEqual([202, { accepted: 1, duplicates: 0, rejected: [] }]);
  for (const authorization of ['Bearer wrong', 'Basic x', 'test-key']) {
    const refused = await send('[]', { authorization });
    expect(refused.status).toBe(401);
    expect(refused.headers.get('content-type')).toBe('application/problem+json');
  }
});

it('takes CloudEvents 1.0.2 in binary mode: attributes as headers, data as body (HTTP binding §3.1)', async () => {
  const answer = await send(JSON.stringify({ person: { email: 'binary@example.com' } }), {
    'ce-specversion': '1.0',
    'ce-id': 'b1',
    'ce-source': '/shop',
    'ce-type': 'page.viewed',
  });
  expect(await answer.json()).toMatchObject({ accepted: 1 });
});

it.each([
  ['an empty body', '', 400],
  ['half of JSON', '{"id":', 400],
  ['a number', '5', 400],
  ['a text', '"x"', 400],
  ['null', 'null', 400],
  ['bytes that are no UTF-8', new Uint8Array([0x7b, 0xff, 0xfe]), 400],
  ['a body that is too large', `"${'x'.repeat(LARGEST_BODY)}"`, 413],
  ['too many events', JSON.stringify(Array.from({ length: 1001 }, () => ({}))), 413],
])('%s is answered with a problem, never with a 5xx', async (_what, body, status) => {
  const answer = await send(body);
  expect(answer.status).toBe(status);
  expect(await answer.json()).toMatchObject({ status, title: expect.any(String) as string, detail: expect.any(String) as string });
});

it('another content type is refused with 415', async () => {
  expect((await send('id,type', { 'content-type': 'text/csv' })).status).toBe(415);
});

it('a body that is deeply nested is refused, not overflowed on', async () => {
  const answer = await send(`{"id":"1","source":"s","type":"a.b","data":{"x":${'['.repeat(50_000)}${']'.repeat(50_000)}}}`);
  expect(answer.status).toBe(202);
  expect(await answer.json()).toMatchObject({ accepted: 0, rejected: [{ index: 0 }] });
});

it('10,000 random bodies: never a 5xx, never a half-written event', async () => {
  const before = await query<{ n: number }>(lab.db, 'select count(*)::int as n from events');
  const odd = fc.oneof(
    fc.string(),
    fc.string({ unit: 'binary' }),
    fc.double(),
    fc.integer(),
    fc.boolean(),
    fc.constant(null),
    fc.constantFrom(
      '\u0000',
      '\ud800',
      'cart.updated',
      'EUR',
      '9999-99-99T99:99:99Z',
      'a@example.com',
      -0,
      1e308,
      Number.MAX_SAFE_INTEGER,
      '__proto__',
    ),
  );
  const deep = fc.anything({
    key: fc.oneof(fc.string(), fc.constantFrom('__proto__', 'person', 'email', 'consent', 'items', 'value', 'constructor')),
    values: [odd],
    maxDepth: 3,
    maxKeys: 5,
  });
  const field = fc.oneof(odd, deep);
  // mostly sound, so that a good many get past the door with just one thing wrong, or nothing
  const mostly = (...sound: unknown[]) => fc.oneof({ weight: 40, arbitrary: fc.constantFrom(...sound) }, { weight: 1, arbitrary: field });
  const event = fc.record({
    id: mostly('@new'),
    source: mostly('s'),
    subject: mostly('s1', 's2', undefined),
    time: mostly(undefined, '2026-11-20T10:00:00Z'),
    type: mostly('cart.updated', 'order.placed', 'order.cancelled', 'order.refunded', 'consent.changed', 'app.x'),
    data: fc.oneof(
      { weight: 1, arbitrary: deep },
      {
        weight: 6,
        arbitrary: fc.record({
          cartId: mostly('c'),
          orderId: mostly('o', 'p'),
          currency: mostly('EUR', 'JPY'),
          value: mostly(5, 120.5),
          items: mostly([], undefined),
          channel: mostly('email'),
          state: mostly('given', 'withdrawn'),
          person: fc.record({
            email: mostly('r@example.com', 'q@example.com', 't@example.com'),
            consent: mostly({ email: true }, undefined),
            firstName: mostly('Robin'),
            zone: mostly('Europe/Paris'),
            more: mostly('x', 1, { deep: [true] }),
          }),
        }),
      },
    ),
  });
  const body = fc.oneof(
    { weight: 6, arbitrary: event.map((one) => JSON.stringify(one) ?? '') },
    { weight: 2, arbitrary: fc.array(event, { maxLength: 4 }).map((list) => JSON.stringify(list) ?? '') },
    { weight: 1, arbitrary: fc.string({ unit: 'binary' }) },
    { weight: 1, arbitrary: fc.json() },
  );
  let accepted = 0;
  let ids = 0;
  for (const chunk of Array.from({ length: 100 }, (_, seed) => fc.sample(body, { numRuns: 100, seed: seed + 1 }))) {
    await Promise.all(
      chunk.map(async (pattern) => {
        const text = pattern.replaceAll('"@new"', () => `"${++ids}"`);
        const answer = await send(text);
        if (answer.status >= 500) throw new Error(`${answer.status} for ${JSON.stringify(text).slice(0, 2000)}`);
        if (answer.status !== 202) return;
        const taken = (await answer.json()) as { accepted: number };
        accepted += taken.accepted;
      }),
    );
  }
  const after = await query<{ n: number }>(lab.db, 'select count(*)::int as n from events');
  expect(accepted).toBeGreaterThan(1000);
  expect(after[0]!.n - before[0]!.n).toBe(accepted);
}, 300_000);
