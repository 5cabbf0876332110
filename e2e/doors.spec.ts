import { expect, test } from '@playwright/test';
import { api, base, signIn } from './kit';
import { filled, pagesOnDisk, routesOnDisk, type Method } from './routes';

type Scope = 'events' | 'read' | 'write';
/** Who may come without a key: what each says to somebody who has nothing else to show. */
const OPEN: Record<string, number> = {
  'GET /api/v1/health': 200,
  'GET /api/v1/openapi.json': 200,
  'POST /api/hooks/mail': 401,
  'POST /api/hooks/mail/received': 401,
  'POST /api/hooks/texts': 401,
  'POST /api/in/{key}': 404,
  'POST /api/collect/{key}': 404,
  'OPTIONS /api/collect/{key}': 404,
  'GET /snippet/{key}': 404,
  'GET /go/{token}': 404,
  'GET /s/{code}': 404,
  'GET /push/page.js': 200,
  'GET /push/worker.js': 200,
  'GET /seen/{token}': 200,
  'GET /leave/{token}': 404,
  'POST /leave/{token}': 404,
  'GET /prefs/{token}': 404,
  'POST /prefs/{token}': 404,
  'GET /confirm/{token}': 404,
  'POST /confirm/{token}': 404,
  'GET /rate/{token}': 404,
  'POST /rate/{token}': 404,
  'GET /fetch/{token}': 404,
  'GET /sender/{token}': 404,
  'POST /sender/{token}': 404,
  'GET /form/{key}': 404,
  'POST /form/{key}': 404,
  'GET /form/{key}/embed.js': 404,
  'GET /files/{key}': 404,
  'GET /shared/{link}': 404,
  'GET /join/{token}': 404,
  'POST /join/{token}': 404,
  'GET /forgot': 200,
  'POST /forgot': 200,
  ...Object.fromEntries(['GET', 'POST', 'PUT', 'PATCH', 'DELETE', 'HEAD', 'OPTIONS'].map((method) => [`${method} /api/{path}`, 404])),
  ...Object.fromEntries(['GET', 'POST', 'PUT', 'DELETE'].map((method) => [`${method} /outside/{path}`, 404])),
};
/** What needs another scope than its method tells. */
const NEEDS: Record<string, Scope> = {
  'POST /api/v1/events': 'events',
  'GET /api/v1/checkout-box': 'events',
  'POST /api/v1/flows/{key}/rehearse': 'read',
  'POST /api/v1/rules/say': 'read',
  'POST /api/v1/rules/explain': 'read',
  'POST /api/v1/rules/count': 'read',
  'POST /api/v1/rules/reach': 'read',
  'POST /api/v1/codes/check': 'read',
  'POST /api/v1/messages/render': 'read',
  'POST /api/v1/flows/{key}/presence': 'read',
};
/** What no key can do. */
const PEOPLE_ONLY = new Set([
  'GET /api/v1/account',
  'PUT /api/v1/account',
  'DELETE /api/v1/account/sessions',
  ...['GET', 'POST', 'PUT', 'DELETE'].map((method) => `${method} /api/v1/account/second`),
  ...['GET', 'POST', 'PUT'].map((method) => `${method} /api/v1/account/passkeys`),
  'DELETE /api/v1/account/passkeys/{id}',
  ...['GET', 'PUT'].map((method) => `${method} /api/v1/account/notified`),
  ...['GET', 'POST'].map((method) => `${method} /api/v1/notices`),
  'POST /api/v1/comments',
  'PATCH /api/v1/comments/{id}',
  'DELETE /api/v1/comments/{id}',
  'GET /api/v1/team',
  'POST /api/v1/team',
  'PUT /api/v1/team/signing-in',
  'PUT /api/v1/team/{id}',
  'DELETE /api/v1/team/{id}',
  'POST /api/v1/team/{id}/invite',
]);

const table = routesOnDisk().flatMap(({ path, methods }) => methods.map((method) => ({ method, path, id: `${method} ${path}` })));
const needsOf = (id: string, method: Method): Scope => NEEDS[id] ?? (method === 'GET' ? 'read' : 'write');
const ask = (method: Method, path: string, headers: Record<string, string> = {}) =>
  fetch(base() + filled(path, {}, 'none'), {
    method,
    redirect: 'manual',
    headers: { 'content-type': 'application/json', ...headers },
    ...(!['GET', 'HEAD', 'OPTIONS'].includes(method) && { body: '{}' }),
  });

test('every route on the disk answers each caller as it should: nobody, each scope, a revoked key, a person, a person’s browser on another site', async ({
  page,
}) => {
  const { request } = page;
  const keys: Record<string, string> = {};
  for (const scope of ['events', 'read', 'write', 'revoked']) {
    const { body } = await api<{ source: { key: string }; shownOnce: string }>(request, 'POST', '/sources', {
      kind: 'key',
      name: `Only ${scope}`,
      scopes: [scope === 'revoked' ? 'read' : scope],
    });
    keys[scope] = body.shownOnce;
    if (scope === 'revoked') await api(request, 'PATCH', `/sources/${body.source.key}`, { revoked: true });
  }
  await signIn(page);
  const cookie = (await page.context().cookies()).map(({ name, value }) => `${name}=${value}`).join('; ');
  const wrong: string[] = [];
  const check = (id: string, who: string, status: number, isRight: boolean) => isRight || wrong.push(`${id} for ${who}: ${status}`);

  for (const { method, path, id } of table) {
    const nobody = (await ask(method, path)).status;
    if (id in OPEN) {
      check(id, 'nobody', nobody, nobody === OPEN[id]);
      continue;
    }
    check(id, 'nobody', nobody, nobody === 401);
    check(
      id,
      'a made-up key',
      (await ask(method, path, { authorization: 'Bearer made-up' })).status,
      (await ask(method, path, { authorization: 'Bearer made-up' })).status === 401,
    );
    const revoked = (await ask(method, path, { authorization: `Bearer ${keys.revoked}` })).status;
    check(id, 'a revoked key', revoked, revoked === 401);
    for (const scope of ['events', 'read', 'write'] as const) {
      const answer = await ask(method, path, { authorization: `Bearer ${keys[scope]}` });
      await answer.body?.cancel();
      const { status } = answer;
      const isAllowed = needsOf(id, method) === scope && !PEOPLE_ONLY.has(id);
      check(id, `a key for ${scope}`, status, isAllowed ? status < 500 && ![401, 403].includes(status) : status === 403);
    }
    if (method !== 'GET') {
      const forged = (await ask(method, path, { cookie, origin: 'https://evil.example' })).status;
      check(id, 'a person’s browser on another site', forged, forged === 403);
      const hidden = (await ask(method, path, { cookie, origin: 'null' })).status;
      check(id, 'a person’s browser on a page without origin', hidden, hidden === 403);
    }
    if (id === 'DELETE /api/v1/account/sessions') continue;
    const answer = await ask(method, path, { cookie });
    await answer.body?.cancel();
    check(id, 'a person', answer.status, answer.status < 500 && ![401, 403].includes(answer.status));
  }
  expect(wrong).toEqual([]);
});

test('every page on the disk shows nothing to who is not signed in, however it is asked for', async ({ request }) => {
  const { body } = await api<{ people: { id: string; email: string; number: string; name: string | null }[] }>(
    request,
    'GET',
    '/people?limit=1&sort=value',
  );
  const [person] = body.people;
  const { body: form } = await api<{ forms: { key: string; document: { title: string } }[] }>(request, 'GET', '/forms');
  const values = { id: person!.id, key: 'cart-left-behind', type: 'cart.updated' };
  const secrets = [person!.email, person!.name, 'Cart left behind', 'Marla Quist', form.forms[0]!.document.title, 'Keepers'].filter(
    (one): one is string => Boolean(one),
  );
  const found: string[] = [];
  for (const path of pagesOnDisk().filter((one) => one !== '/sign-in')) {
    const ways: Record<string, string>[] = [
      {},
      { rsc: '1' },
      { rsc: '1', 'next-router-prefetch': '1' },
      { rsc: '1', 'next-router-segment-prefetch': '/_tree' },
      { 'next-action': 'x' },
      { 'x-forwarded-for': '127.0.0.1', 'x-middleware-subrequest': 'middleware' },
    ];
    for (const headers of ways) {
      for (const query of ['', '?_rsc=abcde']) {
        const answer = await request.fetch(base() + filled(path, values) + query, { headers, maxRedirects: 0 });
        const text = `${await answer.text()} ${answer.headers().location ?? ''}`;
        const seen = secrets.filter((secret) => text.includes(secret) && !decodeURIComponent(filled(path, values)).includes(secret));
        if (seen.length || answer.status() >= 500)
          found.push(`${path} ${JSON.stringify(headers)}: ${answer.status()} shows ${seen.join(', ')}`);
      }
    }
  }
  expect(found).toEqual([]);
  // and the same pages do show it to who is
  expect(
    (
      await (
        await request.get(`${base()}/api/v1/people/${encodeURIComponent(person!.id)}`, { headers: { authorization: 'Bearer demo-key' } })
      ).text()
    ).includes(person!.email),
  ).toBe(true);
});

test('a session ends on the server: its cookie is worth nothing after signing out, nor anywhere else after another password', async ({
  page,
  browser,
}) => {
  const cookieOf = async (one: typeof page) =>
    (await one.context().cookies())
      .filter(({ name }) => name === 'viatic_session')
      .map(({ name, value }) => `${name}=${value}`)
      .join('; ');
  const statusOf = async (cookie: string) => (await fetch(`${base()}/api/v1/people?limit=1`, { headers: { cookie } })).status;
  await signIn(page, '/today', { byForm: true });
  const first = await cookieOf(page);
  expect(await statusOf(first)).toBe(200);
  await page.getByRole('button', { name: 'Sign out' }).click();
  await expect(page).toHaveURL(`${base()}/sign-in`);
  expect(await statusOf(first)).toBe(401);

  await signIn(page, '/today', { byForm: true });
  const other = await browser.newPage();
  await signIn(other, '/today', { byForm: true });
  await page.goto(`${base()}/account`);
  const change = async (present: string, wanted: string, again = wanted) => {
    await page.getByLabel('Present password').fill(present);
    await page.getByLabel('New password', { exact: true }).fill(wanted);
    await page.getByLabel('New password again').fill(again);
    await page.getByRole('button', { name: 'Save', exact: true }).click();
  };
  // what was said of a change before still stands on the page: the answer to this one is waited for
  const changed = async (present: string, wanted: string) => {
    const answer = page.waitForResponse((one) => one.url() === `${base()}/api/v1/account` && one.request().method() === 'PUT');
    await change(present, wanted);
    expect((await answer).status()).toBe(200);
  };
  await change('tanks-and-trains', 'fins-and-ferries', 'fins-and-ferris');
  await expect(page.getByText('This is not the same: the new password, once more.')).toBeVisible();
  await change('not-my-password', 'fins-and-ferries');
  await expect(page.getByText('This is not your present password')).toBeVisible();
  const theirs = await cookieOf(other);
  expect(await statusOf(theirs)).toBe(200);
  await changed('tanks-and-trains', 'fins-and-ferries');
  await expect(page.getByText('Your password is changed.')).toBeVisible();
  expect([await statusOf(theirs), await statusOf(await cookieOf(page))]).toEqual([401, 200]);
  await changed('fins-and-ferries', 'tanks-and-trains');
  await other.close();
});

test('wrong passwords are braked by account, in words that say how long; the address is not what a stranger says it is', async ({
  page,
}) => {
  await page.goto(`${base()}/sign-in`);
  const attempt = async () => {
    await page.getByLabel('Email').fill('somebody@quillfin.example');
    await page.getByLabel('Password').fill('guess');
    await page.getByRole('button', { name: 'Sign in' }).click();
    await expect(page.getByRole('alert').first()).toBeVisible();
    await expect(page.getByRole('button', { name: 'Sign in' })).toBeEnabled();
    return page.getByRole('alert').first().innerText();
  };
  const answers: string[] = [];
  for (let i = 0; i < 12; i++) {
    // another address with each try, as a stranger would make one up
    await page.context().setExtraHTTPHeaders({ 'x-forwarded-for': `203.0.113.${i}` });
    answers.push(await attempt());
  }
  expect(answers.slice(0, 10).every((one) => one.includes('do not belong together'))).toBe(true);
  expect(answers.slice(10).every((one) => /That was tried too often\. Wait \d+ minutes, then try again\./.test(one))).toBe(true);
});

test('every kind of answer carries its headers; scripts need the nonce of their answer', async ({ page, request }) => {
  await signIn(page);
  const policies = new Set<string>();
  for (const path of [
    '/flows',
    '/sign-in',
    '/nowhere',
    '/api/v1/people',
    '/api/v1/nope',
    '/api/v1/health',
    '/people/%ff',
    '/outside/shop',
    '/form/plant-letter',
    '/leave/x',
    '/files/x',
    '/_next/static/none.js',
    '/icon.svg',
  ]) {
    const headers = (await page.request.get(base() + path)).headers();
    for (const name of ['content-security-policy', 'x-content-type-options', 'referrer-policy', 'permissions-policy'])
      expect(headers[name], `${name} of ${path}`).toBeTruthy();
    const policy = headers['content-security-policy']!;
    expect(policy, path).toContain('frame-ancestors');
    expect(policy.split(';').find((one) => one.trim().startsWith('script-src')) ?? '', path).not.toContain("'unsafe-inline'");
    policies.add(/nonce-[^']+/.exec(policy)?.[0] ?? path);
  }
  expect(policies.size).toBeGreaterThan(9);
  const html = await (await page.request.get(`${base()}/flows`)).text();
  expect([...html.matchAll(/<script(?![^>]*nonce=)/g)]).toEqual([]);
  // a form says which sites may show it
  const { body } = await api<{ document: object; revision: number }>(request, 'GET', '/forms/plant-letter');
  await api(request, 'PUT', '/forms/plant-letter', { ...body.document, sites: ['shop.example', 'https://blog.example'] });
  expect((await request.get(`${base()}/form/plant-letter?embedded=1`)).headers()['content-security-policy']).toContain(
    "frame-ancestors 'self' https://shop.example https://blog.example",
  );
  await api(request, 'PUT', '/forms/plant-letter', body.document);
});

test('an id in an address is decoded once, and each that can be told is reached', async ({ request }) => {
  for (const [written, id] of [
    ['cust-7%252D1', 'cust-7%2D1'],
    ['cust-7-1', 'cust-7-1'],
    ['100%25', '100%'],
    ['a%2Fb', 'a/b'],
    ['a%20b', 'a b'],
    ['a%3Fb%23c', 'a?b#c'],
    ['%E9%B1%BC', '鱼'],
  ] as const) {
    expect((await api<{ externalId: string }>(request, 'PUT', `/people/${written}`, { firstName: 'Once' })).body.externalId, written).toBe(
      id,
    );
  }
  expect((await api(request, 'DELETE', '/people/cust-7%252D1')).status).toBe(204);
  expect((await api<{ externalId: string }>(request, 'GET', '/people/cust-7-1')).body.externalId).toBe('cust-7-1');
  for (const subject of ['~12', '.', '..'])
    expect(
      (
        await api<{ rejected: { problems: { field: string }[] }[] }>(request, 'POST', '/events', {
          id: `odd ${subject}`,
          source: 'test',
          type: 'page.viewed',
          subject,
        })
      ).body.rejected[0]!.problems[0]!.field,
    ).toBe('subject');
});

test('a key that may only write learns nothing that was on file', async ({ request }) => {
  const { body } = await api<{ shownOnce: string }>(request, 'POST', '/sources', { kind: 'key', name: 'Writer', scopes: ['write'] });
  const write = async (method: string, path: string, data: unknown) => {
    const answer = await request.fetch(`${base()}/api/v1${path}`, {
      method,
      headers: { authorization: `Bearer ${body.shownOnce}`, 'content-type': 'application/json' },
      data: JSON.stringify(data),
    });
    return { status: answer.status(), text: await answer.text() };
  };
  await api(request, 'PUT', '/people/kept-private', { firstName: 'Vera', email: 'vera.private@example.com' });
  expect(await write('PATCH', '/people/kept-private', { attributes: {} })).toEqual({ status: 204, text: '' });
  expect(await write('PUT', '/people/kept-private', {})).toEqual({ status: 204, text: '' });
  const made = await write('POST', '/lists', { name: 'By a writer' });
  expect([made.status, JSON.parse(made.text)]).toEqual([201, { key: 'by-a-writer' }]);
  const flow = await api<{ draft: object }>(request, 'GET', '/flows/cart-left-behind');
  expect(JSON.parse((await write('PUT', '/flows/cart-left-behind', flow.body.draft)).text)).toEqual({
    key: 'cart-left-behind',
    revision: expect.any(Number),
  });
});

test('what no text on file can hold is refused with its place by every route that takes JSON; a revoked key works no longer than its request', async ({
  request,
}) => {
  const wrong: string[] = [];
  for (const { method, path, id } of table) {
    if (['GET', 'HEAD', 'OPTIONS', 'DELETE'].includes(method) || id in OPEN || PEOPLE_ONLY.has(id)) continue;
    for (const bad of ['{"name":"a\\u0000b"}', '{"deep":[{"text":"\\ud800"}]}', '{"n":1e999}']) {
      const answer = await fetch(base() + filled(path, {}, 'none'), {
        method,
        headers: { authorization: 'Bearer demo-key', 'content-type': 'application/json' },
        body: bad,
      });
      const text = await answer.text();
      if (answer.status >= 500) wrong.push(`${id} ${bad}: ${answer.status}`);
      if (answer.status === 422 && !text.includes('"field"') && text.includes('Cannot be stored'))
        wrong.push(`${id} ${bad}: without its place`);
    }
  }
  expect(wrong).toEqual([]);
  for (const [path, body, field] of [
    ['/people/qf-100001/letters', { kind: 'service', subject: 'a\u0000', text: 'x' }, 'subject'],
    ['/topics', { topics: [{ key: 'a', name: '\ud800', about: '' }] }, 'topics[0].name'],
    ['/bulk', { do: { act: 'set', name: 'note', value: '\u0000' }, who: '', count: 1 }, 'do.value'],
  ] as const) {
    const answer = await api<{ errors: { field: string }[] }>(request, path === '/topics' ? 'PUT' : 'POST', path, body);
    expect([answer.status, answer.body.errors[0]!.field], path).toEqual([422, field]);
  }
  const { body } = await api<{ source: { key: string }; shownOnce: string }>(request, 'POST', '/sources', {
    kind: 'key',
    name: 'Short life',
    scopes: ['read'],
  });
  const status = async () =>
    (await request.get(`${base()}/api/v1/tags`, { headers: { authorization: `Bearer ${body.shownOnce}` } })).status();
  expect(await status()).toBe(200);
  await api(request, 'PATCH', `/sources/${body.source.key}`, { revoked: true });
  expect(await status()).toBe(401);
});

test('the same made by many at once is made, or told to be there: never our mistake', async ({ request }) => {
  const all = async (method: string, path: string, data: unknown) =>
    (await Promise.all(Array.from({ length: 20 }, () => api(request, method, path, data)))).map(({ status }) => status);
  const { body } = await api<{ draft: object }>(request, 'GET', '/flows/cart-left-behind');
  const form = (await api<{ document: object }>(request, 'GET', '/forms/plant-letter')).body.document;
  const hook = (await api<{ source: { key: string } }>(request, 'POST', '/sources', { kind: 'webhook', name: 'Twenty' })).body.source.key;
  const mapping = {
    schema: 'viatic.mapping/1',
    type: { path: 'event', means: { sale: 'order.placed' } },
    person: { email: 'who' },
    amount: { path: 'cents', unit: 'minor' },
    orderId: 'nr',
    properties: {},
  };
  for (const [method, path, data] of [
    ['POST', '/lists', { name: 'Twenty at once' }],
    ['POST', '/forms', { name: 'Twenty at once' }],
    ['PUT', '/flows/twenty-at-once', body.draft],
    ['PUT', '/forms/twenty-put', form],
    ['PUT', `/sources/${hook}/mapping`, mapping],
  ] as const) {
    const statuses = await all(method, path, data);
    expect(
      statuses.filter((status) => status >= 500),
      `${method} ${path}: ${statuses.join(' ')}`,
    ).toEqual([]);
    expect(
      statuses.some((status) => status < 300),
      `${method} ${path}: ${statuses.join(' ')}`,
    ).toBe(true);
  }
});

test('ten downloads that are given up and four that nobody reads leave the store answering', async ({ request }) => {
  const headers = { authorization: 'Bearer demo-key' };
  for (let i = 0; i < 10; i++) {
    const giveUp = new AbortController();
    const started = fetch(`${base()}/api/v1/exports?what=events&format=ndjson`, { headers, signal: giveUp.signal });
    if (i % 2) await started.then((answer) => answer.body!.getReader().read());
    else await new Promise((done) => setTimeout(done, 20));
    giveUp.abort();
    await started.catch(() => {});
  }
  await expect
    .poll(
      async () =>
        await fetch(`${base()}/api/v1/exports?what=orders`, { headers }).then(async (answer) => [
          answer.status,
          (await answer.text()).length > 100,
        ]),
    )
    .toEqual([200, true]);
  const unread = await Promise.all(
    Array.from({ length: 6 }, () => fetch(`${base()}/api/v1/exports?what=events&format=ndjson`, { headers })),
  );
  expect(unread.map((answer) => answer.status).filter((status) => ![200, 429].includes(status))).toEqual([]);
  const answers = await Promise.all(Array.from({ length: 30 }, () => api(request, 'GET', '/people?limit=5')));
  expect(answers.every(({ status }) => status === 200)).toBe(true);
  for (const answer of unread) await answer.body?.cancel();
});
