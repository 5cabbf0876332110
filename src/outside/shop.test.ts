import { mkdtempSync, rmSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { products, drawProduct } from './catalogue';
import type { Answer } from './page';
import { openShop } from './shop';

let folder: string;
let server: Server;
let told: {
  type: string;
  source: string;
  data: {
    cartId: string;
    value: number;
    discount?: number;
    codes?: string[];
    items: { sku: string; quantity: number }[];
    checkoutUrl: string;
    person: {
      email: string;
      firstName?: string;
      country?: string;
      consent?: { email: boolean; wording: string; box?: string; country?: string };
    };
  };
}[];
let shop: ReturnType<typeof openShop>;
let cookie = '';
let isRefusing = false;

beforeEach(async () => {
  folder = mkdtempSync(join(tmpdir(), 'viatic-shop-'));
  told = [];
  cookie = '';
  isRefusing = false;
  server = createServer((request, response) => {
    let body = '';
    request.on('data', (chunk) => (body += String(chunk)));
    request.on('end', () => {
      expect(request.headers.authorization).toBe('Bearer key');
      if (request.url?.startsWith('/api/v1/checkout-box')) {
        const country = new URL(request.url, 'http://x').searchParams.get('country');
        response.end(JSON.stringify({ country, ticked: country === 'US', wording: `Yes, write to me in ${country}` }));
        return;
      }
      if (!isRefusing) told.push(JSON.parse(body) as (typeof told)[number]);
      response.end(JSON.stringify({ accepted: 1, duplicates: 0, rejected: isRefusing ? [{}] : [] }));
    });
  });
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', () => done()));
  shop = openShop(
    {
      port: 0,
      smtpPort: 0,
      viaticUrl: `http://127.0.0.1:${(server.address() as { port: number }).port}`,
      apiKey: 'key',
      mailHookSecret: '',
      textHookSecret: '',
      folder,
    },
    () => '',
  );
});
afterEach(async () => {
  await new Promise((done) => server.close(done));
  rmSync(folder, { recursive: true, force: true });
});

/** One request of a browser that keeps its cookie. */
async function ask(method: string, path: string, form: Record<string, string> = {}): Promise<Answer> {
  const url = new URL(`/outside/shop${path}`, 'http://x');
  const answer = await shop({
    method,
    path: url.pathname,
    query: url.searchParams,
    cookies: cookie ? { quillfin_cart: cookie } : {},
    form: new URLSearchParams(form),
    body: '',
  });
  const set = /^quillfin_cart=([^;]*)/.exec(answer.cookie ?? '');
  if (set) cookie = set[1]!;
  return answer;
}
const add = (sku: string, quantity = '1') => ask('POST', '/cart/add', { sku, quantity });
const details = { email: 'robin@example.com', firstName: 'Robin', agreed: 'yes', code: '' };

describe('the demo shop', () => {
  it('tells nothing while nobody knows whose cart it is, and all of it once there is an address', async () => {
    await add('QF-T112');
    await add('QF-P002', '2');
    expect(told).toEqual([]);
    await ask('POST', '/checkout/keep', { ...details, email: 'not yet' });
    expect(told).toEqual([]);
    expect((await ask('POST', '/checkout/keep', details)).status).toBe(204);
    expect(told).toMatchObject([
      {
        type: 'cart.updated',
        source: 'quillfin/shop',
        data: {
          value: 274.8,
          items: [
            { sku: 'QF-T112', quantity: 1 },
            { sku: 'QF-P002', quantity: 2 },
          ],
          person: { email: 'robin@example.com', firstName: 'Robin', consent: { email: true } },
        },
      },
    ]);
    await ask('POST', '/cart/set', { sku: 'QF-P002', quantity: '0' });
    expect(told[1]!.data.value).toBe(249);
  });

  it('without the tick there is no word on consent', async () => {
    await add('QF-T112');
    await ask('POST', '/checkout/keep', { ...details, agreed: '' });
    expect(told[0]!.data.person).toEqual({ email: 'robin@example.com', firstName: 'Robin', country: 'NL' });
  });

  it('the box stands and reads as the store has set it for the country, and what was agreed to says so', async () => {
    await add('QF-T112');
    expect((await ask('GET', '/checkout')).body).toContain('Yes, write to me in NL');
    await ask('POST', '/checkout/country', { ...details, agreed: '', country: 'US' });
    expect((await ask('GET', '/checkout')).body).toMatch(/name="agreed" value="yes" checked> Yes, write to me in US/);
    await ask('POST', '/checkout/keep', { ...details, country: 'US' });
    expect(told.at(-1)!.data.person.consent).toMatchObject({
      email: true,
      wording: 'Yes, write to me in US',
      box: 'ticked',
      country: 'US',
    });
  });

  it('its link brings the same cart back, in another browser too, with the code on it', async () => {
    await add('QF-T112');
    await ask('POST', '/checkout/keep', details);
    const back = new URL(told[0]!.data.checkoutUrl);
    cookie = '';
    expect((await ask('GET', '/cart')).body).toContain('Your cart is empty');
    expect(await ask('GET', `${back.pathname.replace('/outside/shop', '')}?code=clear10`)).toMatchObject({
      status: 303,
      location: '/outside/shop/cart',
    });
    const { body } = await ask('GET', '/cart');
    expect(body).toContain('Shoreline tank 112 l');
    expect(body).toContain('10 % off with CLEAR10');
    expect(body).toContain('Total €224.10');
  });

  it('an order tells value after discount, code and cart; the cart cannot be ordered again', async () => {
    await add('QF-T112');
    await ask('POST', '/checkout/keep', details);
    const { cartId, checkoutUrl } = told[0]!.data;
    const done = await ask('POST', '/checkout/place', { ...details, code: 'CLEAR10' });
    expect(done.location).toMatch(/\/thanks\/QF-\d+/);
    expect(told.at(-1)).toMatchObject({ type: 'order.placed', data: { cartId, value: 224.1, discount: 24.9, codes: ['CLEAR10'] } });
    expect((await ask('GET', new URL(checkoutUrl).pathname.replace('/outside/shop', ''))).body).toContain('This cart has been ordered');
    expect((await ask('GET', '/cart')).body).toContain('Your cart is empty');
  });

  it('a code that is none, or a cart too small for it, changes nothing and is said', async () => {
    await add('QF-N001');
    await ask('POST', '/checkout/code', { ...details, code: 'CLEAR10' });
    expect((await ask('GET', '/checkout')).body).toContain('CLEAR10 counts from €100.00 up');
    await ask('POST', '/checkout/code', { ...details, code: 'FREE' });
    const { body } = await ask('GET', '/checkout');
    expect(body).toContain('There is no code FREE');
    expect(body).toContain('Total €7.90');
  });

  it('an order that could not be told is not taken, and the cart is still there', async () => {
    await add('QF-T112');
    isRefusing = true;
    await expect(ask('POST', '/checkout/place', details)).rejects.toThrow('was not taken');
    isRefusing = false;
    expect((await ask('GET', '/cart')).body).toContain('Shoreline tank 112 l');
  });

  it('shows what was typed as text', async () => {
    await add('QF-N001');
    await ask('POST', '/checkout/code', { ...details, firstName: '"><script>alert(1)</script>', code: '<b>' });
    expect((await ask('GET', '/checkout')).body).not.toMatch(/<script>alert|<b>/);
  });

  it('has a drawing for every product, and no product twice', () => {
    expect(new Set(products.map((product) => product.sku)).size).toBe(products.length);
    for (const product of products) {
      expect(drawProduct(product), product.sku).toMatch(/^<svg .*<(path|rect|circle)[^>]*\/>.*<\/svg>$/s);
      expect(drawProduct(product).length, product.sku).toBeGreaterThan(320);
    }
  });

  it('answers 404 to what it does not have', async () => {
    for (const path of ['/p/NONE', '/pictures/NONE.svg', '/cart/cart-none', '/elsewhere'])
      expect((await ask('GET', path)).status, path).toBe(404);
  });
});
