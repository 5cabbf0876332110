import { expect, test } from '@playwright/test';
import { api, base, someone } from './kit';

test('every page and API route refuses who is not signed in and has no key', async ({ page, request }) => {
  for (const path of ['/flows', '/flows/cart-left-behind', '/people', '/people/~1', '/revenue', '/outside']) {
    await page.goto(base() + path);
    await expect(page, path).toHaveURL(`${base()}/sign-in`);
  }
  const routes: [string, string][] = [
    ['GET', '/flows'],
    ['GET', '/flows/cart-left-behind'],
    ['PUT', '/flows/x'],
    ['POST', '/flows/cart-left-behind/publish'],
    ['POST', '/flows/cart-left-behind/pause'],
    ['POST', '/flows/cart-left-behind/resume'],
    ['GET', '/flows/cart-left-behind/report'],
    ['GET', '/people'],
    ['GET', '/people/qf-100001'],
    ['PUT', '/people/x'],
    ['GET', '/people/qf-100001/timeline'],
    ['POST', '/events'],
    ['GET', '/revenue'],
    ['GET', '/revenue/ledger'],
    ['GET', '/clock'],
    ['POST', '/clock'],
  ];
  for (const [method, path] of routes) {
    const answer = await request.fetch(`${base()}/api/v1${path}`, { method, ...(method !== 'GET' && { data: '{}' }) });
    expect(answer.status(), `${method} ${path}`).toBe(401);
    expect(answer.headers()['content-type']).toBe('application/problem+json');
  }
});

test('a wrong password is told kindly; signing out ends the session; another site’s page cannot act', async ({ page, request }) => {
  await page.goto(`${base()}/sign-in`);
  await page.getByLabel('Password').fill('wrong');
  await page.getByRole('button', { name: 'Sign in' }).click();
  await expect(page.getByText('do not belong together')).toBeVisible();
  await page.getByLabel('Password').fill('tanks-and-trains');
  await page.getByRole('button', { name: 'Sign in' }).click();
  await expect(page.getByRole('heading', { name: 'Today' })).toBeVisible();
  const forged = await page.request.post(`${base()}/api/v1/flows/cart-left-behind/pause`, { headers: { origin: 'https://evil.example' } });
  expect(forged.status()).toBe(403);
  await page.getByRole('button', { name: 'Sign out' }).click();
  await expect(page).toHaveURL(`${base()}/sign-in`);
  await page.goto(`${base()}/people`);
  await expect(page).toHaveURL(`${base()}/sign-in`);
  expect((await request.get(`${base()}/api/v1/health`)).status()).toBe(200);
});

test('the public interface as described, by a stranger', async ({ request }) => {
  const address = someone('stranger');
  const id = `c-${Date.now()}`;
  const since = new Date(Date.now() - 20 * 86_400_000).toISOString().slice(0, 10);
  const report = async () =>
    (
      await api<{ revenue: { currency: string; minor: number }; entered: number; sent: number; steps: unknown[] }>(
        request,
        'GET',
        // from a day that stays where it is: the last 30 days move on with the clock
        `/flows/cart-left-behind/report?from=${since}`,
      )
    ).body;
  const before = await report();
  expect(before.revenue.currency).toBe('EUR');
  expect(before.steps.length).toBeGreaterThan(3);

  const cart = {
    specversion: '1.0',
    id: `cart-${id}`,
    source: 'stranger',
    type: 'cart.updated',
    subject: id,
    data: {
      cartId: id,
      currency: 'EUR',
      value: 320,
      items: [
        { sku: 's', name: 'Estuary tank', quantity: 1, price: 320, url: 'http://shop.example/s', image: 'http://shop.example/s.png' },
      ],
      checkoutUrl: `http://shop.example/cart?id=${id}`,
      person: { email: address, firstName: 'Strange', consent: { email: true } },
    },
  };
  expect((await api(request, 'POST', '/events', [cart, cart])).body).toEqual({ accepted: 1, duplicates: 1, rejected: [] });
  const moved = await api<{ now: string }>(request, 'POST', '/clock', { advance: 'PT1H' });
  expect(moved.status).toBe(200);

  type Mail = {
    to: string;
    from: string;
    subject: string;
    text: string;
    html: string;
    links: string[];
    headers: Record<string, string>;
    receivedAt: string;
  };
  const { body: mails } = await api<Mail[]>(request, 'GET', `/outside/api/mail?to=${address}`);
  expect(mails).toHaveLength(1);
  expect(mails[0]).toMatchObject({ to: address, subject: 'Your tank is still here, Strange' });
  expect(mails[0]!.text).toContain('Estuary tank');

  const click = mails[0]!.links.find((link) => link.includes('/go/'))!;
  const led = await request.get(mails[0]!.links.filter((link) => link.includes('/go/')).at(-1)!, { maxRedirects: 0 });
  expect(led.status()).toBe(302);
  const back = new URL(led.headers().location!);
  expect([back.origin, back.searchParams.get('id')]).toEqual(['http://shop.example', id]);
  // the code on it is a code of theirs, and says so to whoever asks
  const code = back.searchParams.get('code')!;
  expect(code).toMatch(/^STRANGE-[A-Z2-9]{6}$/);
  const asked = { code, person: address, cart: { currency: 'EUR', value: 249 } };
  expect((await api(request, 'POST', '/codes/check', asked)).body).toMatchObject({
    valid: true,
    offer: 'cart-10',
    discount: { currency: 'EUR', minor: 2490 },
  });
  expect(
    (
      await request.get(
        click.replace(/.$/, (c) => (c === 'A' ? 'B' : 'A')),
        { maxRedirects: 0 },
      )
    ).status(),
  ).toBe(404);

  await api(request, 'POST', '/events', {
    id: `order-${id}`,
    source: 'stranger',
    type: 'order.placed',
    subject: id,
    data: { orderId: `order-${id}`, cartId: id, currency: 'EUR', value: 288 },
  });
  expect((await report()).revenue.minor - before.revenue.minor).toBe(28_800);
  await api(request, 'POST', '/events', {
    id: `refund-${id}`,
    source: 'stranger',
    type: 'order.refunded',
    subject: id,
    data: { orderId: `order-${id}`, value: 88 },
  });
  expect((await report()).revenue.minor - before.revenue.minor).toBe(20_000);

  const revenue = (
    await api<{ takings: number; credited: number; uncredited: number; flows: { minor: number; messages: { minor: number }[] }[] }>(
      request,
      'GET',
      '/revenue',
    )
  ).body;
  expect(revenue.credited + revenue.uncredited).toBe(revenue.takings);
  expect(revenue.flows.reduce((sum, flow) => sum + flow.minor, 0)).toBe(revenue.credited);

  expect((await api(request, 'GET', `/people/${id}`)).body).toMatchObject({ externalId: id, email: address, orders: { count: 1 } });
  const story = async () =>
    (await api<{ items: { kind: string; type: string }[] }>(request, 'GET', `/people/${id}/timeline`)).body.items.map((item) => item.type);
  await expect
    .poll(story)
    .toEqual(
      expect.arrayContaining([
        'cart.updated',
        'entered',
        'decided',
        'message.delivered',
        'message.opened',
        'message.clicked',
        'order.placed',
        'goal',
      ]),
    );

  // one-click unsubscribe (RFC 8058 §3.2): a POST, without any page; fetching the link changes nothing
  const leave = /<([^>]+)>/.exec(mails[0]!.headers['list-unsubscribe']!)![1]!;
  await request.get(leave);
  expect((await api(request, 'GET', `/people/${id}`)).body).toMatchObject({ consent: { email: { reachable: true } } });
  expect((await request.post(leave, { form: { 'List-Unsubscribe': 'One-Click' } })).status()).toBe(200);
  expect((await api(request, 'GET', `/people/${id}`)).body).toMatchObject({ consent: { email: { reachable: false } } });

  for (const [method, path, body, status] of [
    ['GET', '/flows/nosuch', undefined, 404],
    ['GET', '/people/nosuch/timeline', undefined, 404],
    ['POST', '/clock', { advance: 'soon' }, 400],
    ['POST', '/clock', {}, 422],
    ['PUT', '/flows/x', { schema: 'other' }, 422],
    ['GET', '/revenue?model=nosuch', undefined, 400],
    ['GET', '/people/%00', undefined, 400],
    ['GET', '/people?q=%00', undefined, 400],
  ] as const) {
    const answer = await api<{ title: string; detail: string }>(request, method, path, body);
    expect(answer.status, `${method} ${path}`).toBe(status);
    expect(answer.body.detail.length, path).toBeGreaterThan(10);
  }
});
