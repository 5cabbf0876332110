import { createHash, createHmac } from 'node:crypto';
import { SignJWT } from 'jose';
import { gzipSync } from 'node:zlib';
import { runInNewContext } from 'node:vm';
import { Webhook } from 'standardwebhooks';
import { afterAll, beforeAll, describe, expect, it, vi } from 'vitest';
import { query } from '@/data/db';
import { findSource } from '@/data/sources';
import { catalogue, catalogueType, keepCatalogue } from './catalogue';
import { anybody, happening, openLab, type Lab } from '../testing/lab';

let lab: Lab;
let doors: typeof import('.') & typeof import('./proof');
let snippetOf: typeof import('../public/snippet').snippet;
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
  doors = { ...(await import('.')), ...(await import('./proof')) };
  ({ snippet: snippetOf } = await import('../public/snippet'));
});
afterAll(() => lab.close());

const sign = (secret: string, id: string, at: Date, body: string) =>
  new Headers({
    'webhook-id': id,
    'webhook-timestamp': String(Math.floor(at.getTime() / 1000)),
    'webhook-signature': new Webhook(secret).sign(id, at, body),
  });

describe('signed webhooks', () => {
  it('the published test vector of the Standard Webhooks specification verifies', () => {
    // standard-webhooks specification, "Signature scheme", example: secret, message id, timestamp, payload and signature
    const wh = new Webhook('whsec_MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw');
    expect(wh.sign('msg_p5jXN8AQM9LWM0D4loKWxJek', new Date(1614265330 * 1000), '{"test": 2432232314}')).toBe(
      'v1,g0hM9SsE+OTPJTGt/tmIKtSyZlE3uFJELVlNIOLJ1OE=',
    );
  });

  it('one of any shape is taken in by the mapping, once; what is not mapped is said and kept', async () => {
    const { source, shownOnce } = await doors.makeSource(lab.db, { kind: 'webhook', name: 'Till' }, anybody);
    await doors.storeMapping(
      lab.db,
      source.key,
      {
        schema: 'viatic.mapping/1',
        type: { path: 'event', means: { sale: 'order.placed' } },
        person: { email: 'who' },
        amount: { path: 'cents', unit: 'minor' },
        orderId: 'nr',
        properties: {},
      },
      'test',
    );
    const body = JSON.stringify({ event: 'sale', nr: 'T1', cents: 4990, who: 'till@example.com' });
    const send = (id: string, raw = body, at = new Date()) => doors.takeWebhook(lab.db, source.key, sign(shownOnce!, id, at, raw), raw);
    expect(await send('m1')).toMatchObject({ accepted: 1, duplicates: 0 });
    expect(await send('m1')).toMatchObject({ accepted: 0, duplicates: 1 });
    expect(await send('m2', JSON.stringify({ event: 'refund' }))).toMatchObject({ accepted: 0 });
    expect(await send('m3', JSON.stringify({ event: 'sale', nr: 'T2', cents: -5, who: 'till@example.com' }))).toMatchObject({
      rejected: [{ problems: [{ field: 'data.value' }] }],
    });
    expect(await query(lab.db, `select value_minor, order_id from orders`)).toEqual([{ value_minor: '4990', order_id: 'T1' }]);
    const detail = await doors.sourceDetail(lab.db, source.key);
    expect(detail.bodies.map((one) => one.outcome.problems[0]?.wrong ?? `took ${one.outcome.accepted}`)).toEqual([
      'is too small',
      'the type “refund” is not mapped',
      'took 0',
      'took 1',
    ]);
    expect((await doors.rejections(lab.db, source.key, new URL('http://x/'))).rejections[0]).toMatchObject({
      type: 'order.placed',
      problems: [{ field: 'data.value' }],
      raw: expect.stringContaining('T2'),
    });
    expect((await doors.tryMapping(lab.db, source.key, { mapping: detail.mapping!.document })).tried).toHaveLength(4);
  });

  it.each([
    ['forged', (h: Headers) => h.set('webhook-signature', 'v1,g0hM9SsE+OTPJTGt/tmIKtSyZlE3uFJELVlNIOLJ1OE=')],
    ['without a signature', (h: Headers) => h.delete('webhook-signature')],
    ['with another id', (h: Headers) => h.set('webhook-id', 'other')],
    ['with another time', (h: Headers) => h.set('webhook-timestamp', String(Math.floor(Date.now() / 1000) - 60))],
  ])('%s is refused with 401 and nothing is stored', async (_what, spoil) => {
    const { source, shownOnce } = await doors.makeSource(lab.db, { kind: 'webhook', name: 'W' }, anybody);
    const body = JSON.stringify(happening('page.viewed', { person: { email: 'w@example.com' } }));
    const headers = sign(shownOnce!, 'm1', new Date(), body);
    spoil(headers);
    await expect(doors.takeWebhook(lab.db, source.key, headers, body)).rejects.toMatchObject({ status: 401 });
    expect((await doors.arrivals(lab.db, source.key)).arrivals).toEqual([]);
  });

  it('a body with more events than the door takes at a time comes in whole, its bad ones by their place', async () => {
    const { source } = await doors.makeSource(lab.db, { kind: 'webhook', name: 'Backlog' }, anybody);
    const row = (
      await query<{ key: string; secret: string }>(lab.db, 'select key, secret from sources where key = :key', { key: source.key })
    )[0]!;
    const body = JSON.stringify(
      Array.from({ length: 2101 }, (_, n) => ({
        id: `backlog-${n}`,
        source: 'old',
        type: n === 1500 ? 'Not A Type' : 'page.viewed',
        subject: `b${n % 7}`,
      })),
    );
    const send = (id: string) =>
      doors.takeWebhook(
        lab.db,
        row.key,
        new Headers({
          'webhook-id': id,
          'webhook-timestamp': String(Math.floor(Date.now() / 1000)),
          'webhook-signature': new Webhook(row.secret).sign(id, new Date(), body),
        }),
        body,
      );
    expect(await send('msg_a')).toMatchObject({ accepted: 2100, duplicates: 0, rejected: [{ index: 1500 }] });
    expect(await send('msg_b')).toMatchObject({ accepted: 0, duplicates: 2100 });
  });

  it('a replay outside of five minutes is refused, before and after', async () => {
    const { source, shownOnce } = await doors.makeSource(lab.db, { kind: 'webhook', name: 'W' }, anybody);
    const body = JSON.stringify(happening('page.viewed', { person: { email: 'w@example.com' } }));
    for (const minutes of [-6, 6])
      await expect(
        doors.takeWebhook(lab.db, source.key, sign(shownOnce!, 'm1', new Date(Date.now() + minutes * 60_000), body), body),
        `${minutes}`,
      ).rejects.toMatchObject({ status: 401 });
    expect(
      await doors.takeWebhook(lab.db, source.key, sign(shownOnce!, 'm1', new Date(Date.now() - 4 * 60_000), body), body),
    ).toMatchObject({ accepted: 1 });
  });

  it('a revoked one, another source’s secret and no source at all look the same', async () => {
    const [one, other] = [
      await doors.makeSource(lab.db, { kind: 'webhook', name: 'A' }, anybody),
      await doors.makeSource(lab.db, { kind: 'webhook', name: 'B' }, anybody),
    ];
    await expect(doors.takeWebhook(lab.db, one.source.key, sign(other.shownOnce!, 'm', new Date(), '{}'), '{}')).rejects.toMatchObject({
      status: 401,
    });
    await doors.changeSource(lab.db, one.source.key, { revoked: true }, anybody);
    await expect(doors.takeWebhook(lab.db, one.source.key, sign(one.shownOnce!, 'm', new Date(), '{}'), '{}')).rejects.toMatchObject({
      status: 404,
    });
    await expect(doors.takeWebhook(lab.db, 'webhook-none', new Headers(), '{}')).rejects.toMatchObject({ status: 404 });
  });
});

describe('what may be given', () => {
  it.each<[string, object]>([
    ['a key with more scopes than its own', { kind: 'key', name: 'K', scopes: ['read'] }],
    ['a webhook', { kind: 'webhook', name: 'W' }],
    ['a snippet', { kind: 'snippet', name: 'S', sites: ['shop.example'] }],
  ])('a key that may only write makes no %s', async (_what, body) => {
    await expect(doors.makeSource(lab.db, body, { name: 'key K', scopes: ['write'] })).rejects.toMatchObject({ status: 403 });
  });
  it('nor does it bring one back, let other sites in or learn a new secret; its own scopes it may give', async () => {
    const made = await doors.makeSource(lab.db, { kind: 'key', name: 'All', scopes: ['events', 'read', 'write'] }, anybody);
    await doors.changeSource(lab.db, made.source.key, { revoked: true }, anybody);
    const snippet = await doors.makeSource(lab.db, { kind: 'snippet', name: 'S', sites: ['shop.example'] }, anybody);
    const writer = { name: 'key K', scopes: ['write'] as const };
    await expect(doors.changeSource(lab.db, made.source.key, { revoked: false }, writer)).rejects.toMatchObject({ status: 403 });
    for (const wish of [{ newSecret: true }, { sites: ['evil.example'] }])
      await expect(doors.changeSource(lab.db, snippet.source.key, wish, writer)).rejects.toMatchObject({ status: 403 });
    expect((await doors.makeSource(lab.db, { kind: 'key', name: 'Same', scopes: ['write'] }, writer)).source.scopes).toEqual(['write']);
  });
});

describe('keys', () => {
  it('are shown once and kept as a digest; every kind can send a test event to itself', async () => {
    const { source, shownOnce } = await doors.makeSource(lab.db, { kind: 'key', name: 'Server', scopes: ['events'] }, anybody);
    const [row] = await query<{ hash: string; hint: string }>(lab.db, 'select hash, hint from sources where key = :key', {
      key: source.key,
    });
    expect(row!.hash).toBe(createHash('sha256').update(shownOnce!).digest('hex'));
    expect(JSON.stringify(await doors.sourceDetail(lab.db, source.key))).not.toContain(shownOnce!.slice(10));
    const snippet = await doors.makeSource(lab.db, { kind: 'snippet', name: 'Pages', sites: ['shop.example'] }, anybody);
    const webhook = await doors.makeSource(lab.db, { kind: 'webhook', name: 'Hook' }, anybody);
    for (const key of [source.key, snippet.source.key, webhook.source.key]) {
      expect((await doors.testSource(lab.db, key)).answer).toMatchObject({ accepted: 1 });
      expect((await doors.arrivals(lab.db, key)).arrivals).toMatchObject([{ person: { email: 'test@example.com' } }]);
    }
  });
});

describe('the page snippet', () => {
  const page = async (sites = ['https://shop.example']) =>
    (await findSource(lab.db, (await doors.makeSource(lab.db, { kind: 'snippet', name: 'Pages', sites }, anybody)).source.key))!;
  const event = (type: string, data: object = {}, id = `event-${Math.random()}`) => ({ id, type, time: new Date().toISOString(), data });

  it('is below 3 kB when packed', () => expect(gzipSync(snippetOf('snippet-x')).length).toBeLessThan(3000));

  it('runs: an id of its own, a page view, batches, a last word by beacon when the page is left', async () => {
    const beacons: string[] = [];
    const posts: string[] = [];
    const listeners: Record<string, (() => void)[]> = {};
    const on = (name: string, work: () => void) => (listeners[name] ??= []).push(work);
    const cookies = new Map<string, string>();
    const world = (quiet: boolean) => {
      const document = {
        addEventListener: on,
        title: 'Tanks',
        referrer: '',
        visibilityState: 'visible',
        get cookie() {
          return [...cookies].map(([k, v]) => `${k}=${v}`).join('; ');
        },
        set cookie(text: string) {
          const [pair] = text.split(';');
          const [k, v] = pair!.split('=');
          cookies.set(k!, v!);
        },
      };
      const navigator = { doNotTrack: quiet ? '1' : null, sendBeacon: (_url: string, body: string) => beacons.push(body) > 0 };
      const window: Record<string, unknown> = {
        addEventListener: on,
        crypto: { getRandomValues: (list: Uint8Array) => list.map((_, i) => (list[i] = Math.floor(Math.random() * 256))) },
      };
      const context = {
        window,
        document,
        navigator,
        location: { href: 'https://shop.example/tanks?size=60#top', protocol: 'https:' },
        fetch: (_url: string, init: { body: string }) => {
          posts.push(init.body);
          return Promise.resolve({ status: 202 });
        },
        setTimeout: (work: () => void) => {
          work();
          return 1;
        },
        clearTimeout: () => {},
      };
      runInNewContext(snippetOf('snippet-x'), context);
      return window.viatic as { track(type: string, data?: object): void; identify(p: object): void; forget(): void };
    };
    const viatic = world(false);
    viatic.track('product.viewed', { sku: 'QF-T060' });
    viatic.identify({ email: 'robin@example.com' });
    const first = cookies.get('viatic_id');
    viatic.identify({ email: 'somebody.else@example.com' });
    expect(cookies.get('viatic_id')).not.toBe(first);
    listeners.pagehide!.forEach((work) => work());
    const sent = [...posts, ...beacons].map(
      (one) => JSON.parse(one) as { device: string; events: { type: string; data: { url?: string } }[]; person?: object },
    );
    expect(sent.flatMap((one) => one.events.map((e) => e.type))).toEqual([
      'page.viewed',
      'product.viewed',
      'app.identified',
      'app.identified',
      'page.left',
    ]);
    expect(sent[0]!.events[0]!.data.url).toBe('https://shop.example/tanks?size=60');
    expect(beacons).toHaveLength(1);
    expect(sent.every((one) => /^[A-Za-z0-9_-]{16,64}$/.test(one.device))).toBe(true);
    posts.length = beacons.length = 0;
    world(true).track('product.viewed');
    expect(posts).toEqual([]);
  });

  it('only the pages of its own sites may send', async () => {
    const row = await page();
    expect(await doors.siteOf(lab.db, row.key, 'https://shop.example')).not.toBeNull();
    for (const origin of ['https://evil.example', 'http://shop.example', 'https://shop.example.evil.example', null])
      expect(await doors.siteOf(lab.db, row.key, origin), String(origin)).toBeNull();
  });

  it('what a stranger could harm with is refused: orders, consent, links elsewhere, attributes', async () => {
    const row = await page();
    const send = (events: object[], person?: object) =>
      doors.collect(lab.db, row, JSON.stringify({ device: 'a-device-of-a-page', events, ...(person && { person }) }));
    await expect(send([event('order.placed', { orderId: 'x', currency: 'EUR', value: 1 })])).rejects.toMatchObject({ status: 422 });
    await expect(send([event('consent.changed', { channel: 'email', state: 'given' })])).rejects.toMatchObject({ status: 422 });
    await send(
      [
        event('cart.updated', {
          cartId: 'k',
          currency: 'EUR',
          value: 5,
          checkoutUrl: 'https://evil.example/pay',
          items: [{ name: 'x', url: 'javascript:alert(1)', image: 'https://shop.example/i.png' }],
          person: { firstName: 'Mallory', consent: { email: true } },
        }),
      ],
      { email: 'robin@example.com' },
    );
    const [stored] = await query<{ properties: { checkoutUrl: string; items: { url: string; image: string }[] } }>(
      lab.db,
      `select properties from events where type = 'cart.updated' and properties->>'cartId' = 'k'`,
    );
    expect(stored!.properties).toMatchObject({ checkoutUrl: '', items: [{ url: '', image: 'https://shop.example/i.png' }] });
    expect(await query(lab.db, `select count(*)::int as n from people where attributes->>'firstName' = 'Mallory'`)).toEqual([{ n: 0 }]);
    expect(await query(lab.db, 'select count(*)::int as n from consents')).toEqual([{ n: 0 }]);
  });

  it.each<[string, string]>([
    // what stays: words, amounts, our own addresses, and addresses without a host
    ['Sale: 20 % off', 'Sale: 20 % off'],
    ['Note: see inside', 'Note: see inside'],
    ['https://shop.example/p/1?a=//b', 'https://shop.example/p/1?a=//b'],
    ['/p/1', '/p/1'],
    ['1 // 2', '1 // 2'],
    ['see https://shop.example/p', 'see https://shop.example/p'],
    // what a browser reads as an address that leads elsewhere, however it is written (WHATWG URL §4.4)
    ['https://evil.example/pay', ''],
    [' \u0001https://evil.example', ''],
    ['ht\ntps://evil.example', ''],
    ['https:evil.example', ''],
    ['https:\\\\evil.example', ''],
    ['java\tscript:alert(1)', ''],
    ['data:text/html,x', ''],
    ['https://shop.example@evil.example/', ''],
    ['https://shop.example.evil.example/', ''],
    ['http://shop.example/', ''],
    // what a mail program makes a link of within a text
    ['Click https://evil.example/x now', 'Click  now'],
    ['Filter //evil.example', 'Filter'],
    ['www.evil.example', ''],
    ['hthttps://evil.example tps://evil.example', ''],
  ])('a page’s %j is kept as %j', async (text, kept) => {
    const row = await page();
    const id = `links-${Math.random()}`;
    await doors.collect(
      lab.db,
      row,
      JSON.stringify({ device: 'a-device-of-a-page', events: [{ id, type: 'page.viewed', data: { deep: [{ text }] } }] }),
    );
    expect(await query(lab.db, `select properties->'deep'->0->>'text' as text from events where event_id = :id`, { id })).toEqual([
      { text: kept },
    ]);
  });

  describe('who somebody is at a page', () => {
    let n = 0;
    const visit = async (row: Awaited<ReturnType<typeof page>>, device: string, more: object = {}) =>
      doors.collect(lab.db, row, JSON.stringify({ device, events: [event('product.viewed', { sku: `QF-${++n}` })], ...more }));
    const device = () => `device-of-a-browser-${++n}`;
    const ownerOf = async (one: string) =>
      (
        await query<{ id: string; email: string | null; external_id: string | null; claims_email: string | null; is_known: boolean }>(
          lab.db,
          `select p.id, p.email, p.external_id, p.claims_email, p.is_known from identifiers i join people p on p.id = i.person_id
            where i.kind = 'device' and i.value = :one`,
          { one },
        )
      )[0];
    const victim = async () => {
      const id = `victim-${++n}`;
      await lab.tell(
        happening(
          'account.created',
          { person: { email: `${id}@example.com`, firstName: 'Vera', consent: { email: false } } },
          { subject: id },
        ),
      );
      return id;
    };
    const record = async (id: string) =>
      (
        await query(
          lab.db,
          `select p.id, p.email, p.external_id, p.attributes, (select jsonb_agg(jsonb_build_array(c.channel, c.state)) from consents c
            where c.person_id = p.id) as consents, (select count(*)::int from identifiers i where i.person_id = p.id) as identifiers from people p
              where external_id = :id`,
          { id },
        )
      )[0];
    const token = (secret: string, claims: object) =>
      new SignJWT(claims as Record<string, unknown>).setProtectedHeader({ alg: 'HS256' }).sign(new TextEncoder().encode(secret));
    const inAnHour = () => Math.floor(Date.now() / 1000) + 3600;

    it('is a claim: without proof nobody gets another’s address, id or browsing, and no two are merged', async () => {
      const row = await page();
      const [one, other] = [await victim(), await victim()];
      const before = [await record(one), await record(other)];
      const thief = device();
      for (const person of [
        { externalId: one, email: 'thief@example.com' },
        { externalId: one, email: `${other}@example.com` },
        { email: `${one}@example.com` },
        { externalId: other },
      ])
        await visit(row, thief, { person });
      expect([await record(one), await record(other)]).toEqual(before);
      expect(await ownerOf(thief)).toMatchObject({ email: null, external_id: null, is_known: false });
      expect(await query(lab.db, `select 1 from identifiers where value = 'thief@example.com'`)).toEqual([]);
    });

    it('of an address that nobody has, the visitor is shown to say so; whoever has it later is somebody else', async () => {
      const row = await page();
      const [one, email] = [device(), `says-${++n}@example.com`];
      await visit(row, one, { person: { email } });
      expect(await ownerOf(one)).toMatchObject({ claims_email: email, email: null, is_known: false });
      await lab.tell(happening('page.viewed', { person: { email } }));
      expect((await ownerOf(one))!.is_known).toBe(false);
      expect(await query(lab.db, 'select count(*)::int as n from people where email = :email', { email })).toEqual([{ n: 1 }]);
    });

    it('a token that the shop’s server signed joins what the device did, before and after, to that person', async () => {
      const row = await page();
      const [id, one] = [await victim(), device()];
      const before = await record(id);
      await visit(row, one);
      await visit(row, one, { token: await token(row.secret!, { sub: id, email: `${id}@example.com`, exp: inAnHour() }) });
      expect((await ownerOf(one))!.external_id).toBe(id);
      expect(
        await query(
          lab.db,
          `select count(*)::int as n from events e join people p on p.id = e.person_id where p.external_id = :id and e.type = 'product.viewed'`,
          { id },
        ),
      ).toEqual([{ n: 2 }]);
      expect(await record(id)).toEqual({ ...(before as object), identifiers: 3 });
    });

    it('three lines without a library make that token (RFC 7519, RFC 7515 §A.1)', async () => {
      const row = await page();
      const part = (value: object) => Buffer.from(JSON.stringify(value)).toString('base64url');
      const body = `${part({ alg: 'HS256' })}.${part({ sub: 'c77', exp: inAnHour() })}`;
      expect(await doors.readToken(row, `${body}.${createHmac('sha256', row.secret!).update(body).digest('base64url')}`)).toEqual({
        subject: 'c77',
      });
    });

    it.each<[string, (secret: string) => Promise<string>]>([
      ['signed with another secret', () => token('another-secret-of-some-length', { sub: 'victim-x', exp: inAnHour() })],
      ['expired', (secret) => token(secret, { sub: 'victim-x', exp: inAnHour() - 7200 })],
      ['valid without end', (secret) => token(secret, { sub: 'victim-x' })],
      ['valid for a month', (secret) => token(secret, { sub: 'victim-x', exp: inAnHour() + 30 * 86_400 })],
      ['of nobody', (secret) => token(secret, { exp: inAnHour() })],
      ['with an id like a number of ours', (secret) => token(secret, { sub: '~12', exp: inAnHour() })],
      [
        'not signed at all',
        async () =>
          `${Buffer.from('{"alg":"none"}').toString('base64url')}.${Buffer.from(JSON.stringify({ sub: 'victim-x', exp: inAnHour() })).toString('base64url')}.`,
      ],
      ['no token', async () => 'x'],
    ])('a token that is %s proves nothing, and the page is told', async (_what, make) => {
      const row = await page();
      const one = device();
      expect(await visit(row, one, { token: await make(row.secret!) })).toMatchObject({
        accepted: 1,
        says: expect.stringContaining('not known'),
      });
      expect(await ownerOf(one)).toMatchObject({ is_known: false, claims_email: null });
    });

    it('a click in our own mail is proof, for ten minutes, on the pages of the store', async () => {
      const row = await page();
      const id = await victim();
      const [{ id: personId } = { id: '' }] = await query<{ id: string }>(lab.db, 'select id from people where external_id = :id', { id });
      const [send] = await query<{ id: string }>(
        lab.db,
        `insert into sends (person_id, run_id, flow_id, version, step_id, visit, state, queued_at) values (:personId, 1, 1, 1, 'a', 1, 'sent', now())
          returning id`,
        { personId },
      );
      const address = await doors.withProof(lab.db, 'https://shop.example/p/1?x=1', { personId, sendId: send!.id });
      const seal = new URL(address).searchParams.get('viatic_who')!;
      const one = device();
      await visit(row, one, { arrived: seal });
      expect((await ownerOf(one))!.external_id).toBe(id);
      expect(await doors.withProof(lab.db, 'https://elsewhere.example/', { personId, sendId: send!.id })).toBe(
        'https://elsewhere.example/',
      );
      vi.setSystemTime(Date.now() + 11 * 60_000);
      try {
        expect(await doors.readArrival(lab.db, seal)).toBeNull();
      } finally {
        vi.useRealTimers();
      }
      expect(await doors.readArrival(lab.db, `${seal}x`)).toBeNull();
    });

    it('a checkout that the shop’s server tells with the same device joins them', async () => {
      const row = await page();
      const [one, email] = [device(), `buyer-${++n}@example.com`];
      await visit(row, one, { person: { email } });
      await lab.tell(happening('checkout.started', { person: { email, device: one } }));
      expect(await ownerOf(one)).toMatchObject({ email, is_known: true });
      expect(
        await query(lab.db, `select count(*)::int as n from events e join people p on p.id = e.person_id where p.email = :email`, {
          email,
        }),
      ).toEqual([{ n: 2 }]);
    });

    it('proof of an address that is no longer theirs changes no attribute', async () => {
      const row = await page();
      const id = await victim();
      await lab.tell(happening('person.updated', { person: { email: `new-${id}@example.com` } }, { subject: id }));
      await visit(row, device(), { token: await token(row.secret!, { sub: id, email: `${id}@example.com`, exp: inAnHour() }) });
      expect(await record(id)).toMatchObject({ email: `new-${id}@example.com` });
    });
  });

  it('no address of a source is ever fetched by us: nothing on the way in opens a connection', async () => {
    const spy = vi.spyOn(globalThis, 'fetch');
    const row = await page(['http://169.254.169.254']);
    await doors.collect(
      lab.db,
      row,
      JSON.stringify({ device: 'a-device-of-a-page', events: [event('page.viewed', { url: 'http://169.254.169.254/latest/meta-data' })] }),
    );
    expect(spy).not.toHaveBeenCalled();
    spy.mockRestore();
  });
});

describe('the catalogue', () => {
  it('knows every type with its properties, kinds and values, counts each event once, and warns of values that never occurred', async () => {
    await lab.tell([
      happening('app.water_tested', { result: 'good', litres: 60, person: { email: 'a@example.com' } }),
      happening('app.water_tested', { result: 'bad', person: { email: 'a@example.com' } }),
    ]);
    await keepCatalogue(lab.db, true);
    const { types } = await catalogue(lab.db);
    expect(types.find((one) => one.type === 'app.water_tested')).toMatchObject({ count: 2, properties: 2, uses: [] });
    await lab.addFlow('tested', {
      schema: 'viatic.flow/1',
      name: 'Tested',
      triggers: [
        { id: 'start', kind: 'event', event: 'app.water_tested', key: null, where: [{ property: 'result', op: 'is', value: 'Good' }] },
      ],
      entry: null,
      stay: null,
      reentry: 'once',
      goal: null,
      steps: [{ id: 'end', kind: 'end' }],
    });
    const detail = await catalogueType(lab.db, 'app.water_tested');
    expect(detail.list).toMatchObject([
      {
        name: 'result',
        count: 2,
        kinds: { string: 2 },
        values: [
          { value: 'bad', count: 1 },
          { value: 'good', count: 1 },
        ],
      },
      { name: 'litres', count: 1, kinds: { number: 1 } },
    ]);
    expect(detail.warnings).toEqual([
      { says: 'Tested, trigger: result “Good” has never occurred', mend: 'What has: “bad”, “good”', flow: 'tested' },
    ]);
    expect(detail.uses).toMatchObject([{ name: 'Tested', where: 'trigger' }]);
    expect(await query(lab.db, 'select count(*)::int as n from arrivals')).toEqual([{ n: 0 }]);
  });

  it('does not say of a value that it never occurred when it came among many in one batch, or is too long to be told apart', async () => {
    const long = 'l'.repeat(80);
    await lab.tell(
      [...Array.from({ length: 120 }, (_, n) => `plant ${n}`), long].map((plant) =>
        happening('app.plant_bought', { plant, person: { email: 'a@example.com' } }),
      ),
    );
    const flow = (key: string, value: string) =>
      lab.addFlow(key, {
        schema: 'viatic.flow/1',
        name: key,
        triggers: [{ id: 'start', kind: 'event', event: 'app.plant_bought', key: null, where: [{ property: 'plant', op: 'is', value }] }],
        entry: null,
        stay: null,
        reentry: 'once',
        goal: null,
        steps: [{ id: 'end', kind: 'end' }],
      });
    for (const [key, value] of [
      ['rare', 'plant 119'],
      ['long', long],
      ['wrong', 'plant 120'],
    ] as const)
      await flow(key, value);
    expect((await catalogueType(lab.db, 'app.plant_bought')).warnings.map((one) => one.flow)).toEqual(['wrong']);
  });
});
