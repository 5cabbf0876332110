import { usualRevenue } from '@/core/revenue';
import { readFileSync } from 'node:fs';
import fc from 'fast-check';
import { Webhook } from 'standardwebhooks';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import Ajv from 'ajv/dist/2020';
import { cartLeftBehind, winBack } from '../../demo/flows';
import { query } from '@/data/db';
import { description, flowJsonSchema } from '../api';
import { mailReport, openLink, sealLink } from '../messages';
import { advanceClock } from '../store';
import { checkPassword, hashPassword } from '../access';
import { directory, personTimeline, personView, putPerson } from '../people';
import { periodOf } from '../http';
import { cart, openLab, type Lab } from '../testing/lab';

let lab: Lab;
const SECRET = 'whsec_MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw';
beforeAll(async () => {
  lab = await openLab();
  Object.assign(process.env, {
    VIATIC_DATABASE_URL: lab.url,
    VIATIC_URL: 'http://localhost:4400',
    VIATIC_SECRET: 'x'.repeat(32),
    VIATIC_SMTP_URL: 'smtp://127.0.0.1:1',
    VIATIC_MAIL_HOOK_SECRET: SECRET,
    VIATIC_TEXT_HOOK_SECRET: SECRET,
  });
});
afterAll(() => lab.close());

describe('sealed links', () => {
  const token = { purpose: 'click', personId: '12', sendId: '34', url: 'https://shop.example/a|b?c=d' } as const;
  it('open with the right secret and purpose only', () => {
    const sealed = sealLink('secret', token);
    expect(openLink('secret', sealed, 'click')).toEqual(token);
    expect(openLink('other', sealed, 'click')).toBeNull();
    expect(openLink('secret', sealed, 'leave')).toBeNull();
  });
  it('changed anywhere, they lead nowhere', () => {
    const sealed = sealLink('secret', token);
    fc.assert(
      fc.property(fc.nat(sealed.length - 1), fc.constantFrom(...'abcXYZ019_-.'), (at, letter) => {
        const changed = sealed.slice(0, at) + letter + sealed.slice(at + 1);
        const opened = openLink('secret', changed, 'click');
        // the last letter of base64 has spare bits: the same bytes may be written in two ways
        expect(opened === null || JSON.stringify(opened) === JSON.stringify(token)).toBe(true);
      }),
    );
    for (const junk of ['', '.', 'a.b', 'a.b.c', '%00', sealed.split('.')[0]!]) expect(openLink('secret', junk, 'click')).toBeNull();
  });
});

describe('passwords', () => {
  it('are kept as salted hashes that only the right one opens', async () => {
    const [a, b] = await Promise.all([hashPassword('tanks'), hashPassword('tanks')]);
    expect(a).not.toBe(b);
    expect(await checkPassword('tanks', a)).toBe(true);
    expect(await checkPassword('Tanks', a)).toBe(false);
    expect(await checkPassword('tanks', 'plain:tanks')).toBe(false);
  });
});

describe('reports of the mail provider (Standard Webhooks)', () => {
  const signed = (body: string, at = new Date(), secret = SECRET) =>
    new Headers({
      'webhook-id': 'msg_1',
      'webhook-timestamp': String(Math.floor(at.getTime() / 1000)),
      'webhook-signature': new Webhook(secret).sign('msg_1', at, body),
    });

  it('the signature is the one of the published example', () => {
    // the example of the Standard Webhooks specification's reference libraries (from memory)
    const body = '{"test": 2432232314}';
    expect(new Webhook(SECRET).sign('msg_p5jXN8AQM9LWM0D4loKWxJek', new Date(1614265330 * 1000), body)).toBe(
      'v1,g0hM9SsE+OTPJTGt/tmIKtSyZlE3uFJELVlNIOLJ1OE=',
    );
  });

  it('delivered and bounced are noted once however often they come; a hard bounce suppresses the address', async () => {
    await lab.tell([cart('ok@example.com', 49), cart('gone@example.com', 49)]);
    await lab.pass('PT1H');
    const sends = await query<{ id: string; email: string }>(
      lab.db,
      'select s.id, p.email from sends s join people p on p.id = s.person_id order by p.email desc',
    );
    const report = (type: string, id: string) => JSON.stringify({ type, messageId: `<send-${id}@quillfin.example>` });
    for (const body of [
      report('message.delivered', sends[0]!.id),
      report('message.delivered', sends[0]!.id),
      report('message.bounced', sends[1]!.id),
    ])
      await mailReport(lab.db, signed(body), body);
    expect(await query(lab.db, 'select state from sends order by id = :id desc', { id: sends[0]!.id })).toEqual([
      { state: 'delivered' },
      { state: 'bounced' },
    ]);
    expect(await query(lab.db, `select count(*)::int as n from events where type = 'message.delivered'`)).toEqual([{ n: 1 }]);
    expect(await query(lab.db, 'select address, reason from suppressions')).toEqual([{ address: 'gone@example.com', reason: 'bounced' }]);
  });

  it('forged, changed or older than five minutes: refused', async () => {
    const body = '{"type":"message.delivered","messageId":"<send-1@quillfin.example>"}';
    for (const headers of [
      new Headers(),
      signed(body, new Date(), 'whsec_AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA'),
      signed(`${body} `),
      signed(body, new Date(Date.now() - 6 * 60_000)),
    ]) {
      await expect(mailReport(lab.db, headers, body)).rejects.toMatchObject({ status: 401 });
    }
    const unknown = '{"type":"message.delivered","messageId":"<send-999999@quillfin.example>"}';
    await expect(mailReport(lab.db, signed(unknown), unknown)).rejects.toMatchObject({ status: 404 });
  });
});

describe('people through the API', () => {
  it('are created and changed by external id; what is wrong is named', async () => {
    await putPerson(lab.db, 'c-77', {
      email: 'Kim@Example.com',
      firstName: 'Kim',
      attributes: { points: 12 },
      consent: { email: true },
    });
    await putPerson(lab.db, 'c-77', { country: 'NL' });
    expect(await personView(lab.db, 'c-77')).toMatchObject({
      id: 'c-77',
      email: 'kim@example.com',
      attributes: { firstName: 'Kim', points: 12, country: 'NL' },
      consent: { email: { state: 'given', reachable: true } },
    });
    await expect(putPerson(lab.db, 'c-77', { email: 'a\r\nb@example.com' })).rejects.toMatchObject({
      status: 422,
      errors: [expect.objectContaining({ field: 'email' })],
    });
    await expect(putPerson(lab.db, 'c-77', { colour: 'red' })).rejects.toMatchObject({ status: 422 });
    await expect(personView(lab.db, 'nobody')).rejects.toMatchObject({ status: 404 });
    await expect(personView(lab.db, "~1' or 1=1")).rejects.toMatchObject({ status: 404 });
  });

  it('the time line pages through everything once, in order', async () => {
    await lab.tell(
      Array.from({ length: 55 }, (_, i) => ({
        id: `t${i}`,
        source: 'x',
        type: 'page.viewed',
        subject: 'c-77',
        time: new Date(Date.UTC(2026, 10, 1, 0, 0, Math.floor(i / 3))).toISOString(),
        data: { n: i },
      })),
    );
    const seen: string[] = [];
    for (let next: string | null = ''; next !== null;) {
      const page = await personTimeline(lab.db, 'c-77', new URL(`http://x/?limit=10&kinds=event&before=${next}`));
      seen.push(...page.items.map((item) => String(item.detail?.eventId)));
      next = page.next;
    }
    expect(seen.filter((id) => id.startsWith('t'))).toEqual(Array.from({ length: 55 }, (_, i) => `t${54 - i}`));
    expect(new Set(seen).size).toBe(seen.length);
  });

  it('a list by rule says the rule, and refuses one that makes no sense', async () => {
    const rule = (value: object) => new URL(`http://x/?rule=${encodeURIComponent(JSON.stringify(value))}`);
    expect(await directory(lab.db, rule({ test: 'attribute', name: 'points', op: 'atLeast', value: 12 }))).toMatchObject({
      total: 1,
      rule: 'points is at least 12',
      people: [{ id: 'c-77' }],
    });
    await expect(directory(lab.db, rule({ test: 'magic' }))).rejects.toMatchObject({ status: 422 });
    await expect(directory(lab.db, rule({ test: 'did', event: 'order.placed', since: 'entry' }))).rejects.toMatchObject({ status: 422 });
    await expect(directory(lab.db, new URL('http://x/?rule={'))).rejects.toMatchObject({ status: 400 });
  });
});

describe('periods', () => {
  const now = Date.parse('2026-11-24T12:00:00Z');
  it('a bare date is that local day, to its end', () => {
    const { from, to } = periodOf(new URL('http://x/?from=2026-11-01&to=2026-11-02'), {
      now,
      zone: 'Europe/Amsterdam',
      revenue: usualRevenue(),
    });
    expect([new Date(from).toISOString(), new Date(to).toISOString()]).toEqual(['2026-10-31T23:00:00.000Z', '2026-11-02T22:59:59.999Z']);
  });
  it.each(['from=yesterday', 'from=2026-12-01&to=2026-11-01', 'model=nosuch'])('%s is refused', (query_) => {
    expect(() => periodOf(new URL(`http://x/?${query_}`), { now, zone: 'Europe/Amsterdam', revenue: usualRevenue() })).toThrow();
  });
});

describe('the clock', () => {
  it.each(['an hour', '-PT1H', 'P2Y', ''])('%j is no move', async (duration) => {
    await expect(advanceClock(lab.db, { advance: duration }, 'test')).rejects.toMatchObject({ status: 400 });
  });
});

describe('the pictures of the screens', () => {
  it('are all linked, and all that are linked are there', async () => {
    const { globSync } = await import('tinyglobby');
    const files = globSync('docs/screenshots/*.png')
      .map((file) => file.replace('docs/screenshots/', ''))
      .sort();
    const linked = ['README.md', ...globSync('docs/*.md')].flatMap((file) =>
      [...readFileSync(file, 'utf8').matchAll(/screenshots\/([\w-]+\.png)/g)].map(([, name]) => name!),
    );
    expect([...new Set(linked)].sort()).toEqual(files);
    expect(files.length).toBeLessThan(20);
  });
});

describe('the description of the API', () => {
  it('its JSON Schema of a flow takes the demo’s flows and refuses what is none (JSON Schema 2020-12, by Ajv)', () => {
    const validate = new Ajv({ strict: false }).compile(flowJsonSchema());
    for (const flow of [cartLeftBehind, winBack]) expect(validate(flow), JSON.stringify(validate.errors)).toBe(true);
    expect(validate({ ...cartLeftBehind, steps: [{ id: 'a', kind: 'leap' }] })).toBe(false);
  });

  it('names every API route there is, and no other', async () => {
    const { globSync } = await import('tinyglobby');
    const routes = globSync('src/app/api/v1/**/route.ts').map((file) => ({
      path: file
        .replace('src/app/api/v1', '')
        .replace('/route.ts', '')
        .replace(/\[(\w+)\]/g, '{$1}'),
      methods: [...readFileSync(file, 'utf8').matchAll(/export const (GET|PUT|POST|PATCH|DELETE) =/g)]
        .map(([, method]) => method!.toLowerCase())
        .sort(),
    }));
    const { paths } = description('http://localhost:4400');
    expect(Object.keys(paths).sort()).toEqual(routes.map((route) => route.path).sort());
    for (const route of routes) expect(Object.keys(paths[route.path as keyof typeof paths]).sort(), route.path).toEqual(route.methods);
  });
});
