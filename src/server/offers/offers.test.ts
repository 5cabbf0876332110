import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { flowWith, issuesTen } from '@/core/flows/testing/asking';
import type { Offer } from '@/core/offers';
import { query } from '@/data/db';
import { issueCodes } from '@/data/offers';
import { codeHook, putCodeHook } from '../codes';
import { drain, publishFlow } from '../flows';
import { allAbout, eraseById, mergePeople, personTimeline } from '../people';
import { putProducts } from '../products';
import { rehearse } from '../rehearsal';
import { happening, openLab, type Lab } from '../testing/lab';
import {
  archiveOffer,
  checkFor,
  codeView,
  issueByHand,
  loadInto,
  offerCodes,
  offerReport,
  offers,
  offerView,
  putOffer,
  restoreOffer,
  whatItBrings,
} from '.';

let lab: Lab;
beforeAll(async () => {
  lab = await openLab({ flow: null });
});
afterAll(() => lab.close());
beforeEach(async () => {
  lab.inbox.length = 0;
  await lab.empty('flows', 'flow_versions', 'offers');
});

const ten = (more: Partial<Offer> = {}): Offer => ({
  schema: 'viatic.offer/1',
  name: 'Ten off',
  gives: { kind: 'percent', percent: 10 },
  currency: 'EUR',
  minimum: 50,
  combines: false,
  expires: { after: 'P3D' },
  comesBack: true,
  who: null,
  guard: {},
  code: { prefix: '{{ person.firstName | fallback: "FIN" }}', letters: 6 },
  ...more,
});
const cart = (email: string, cartId: string, more: object = {}) =>
  happening('cart.updated', {
    cartId,
    value: 100,
    currency: 'EUR',
    items: [{ sku: 'T1', name: 'Tank', price: 100, quantity: 1 }],
    checkoutUrl: 'http://shop.example/cart/1',
    person: { email, firstName: 'Robin', consent: { email: true }, ...more },
  });
const order = (email: string, orderId: string, codes: string[], more: object = {}) =>
  happening('order.placed', { orderId, value: 90, discount: 10, currency: 'EUR', codes, person: { email }, ...more });
const withCode = flowWith({
  name: 'Carts',
  triggers: [{ id: 'start', kind: 'event', event: 'cart.updated', key: 'cartId' }],
  stay: { test: 'didNot', event: 'order.placed', since: 'entry' },
  steps: [issuesTen],
});
const asked = (code: string, more: object = {}) => ({
  code,
  cart: { currency: 'EUR', items: [{ sku: 'T1', price: 100, quantity: 1 }] },
  ...more,
});
const only = async () => (await offerCodes(lab.db, 'ten', new URL('http://x/'))).codes[0]!;
const events = async () =>
  (await query<{ type: string }>(lab.db, `select type from events where type like 'code.%' order by time, id`)).map(({ type }) => type);

describe('a code that a flow issues', () => {
  it('is told of in the message, counts in the shop, is used by the order, and says so on the person’s time line', async () => {
    await putOffer(lab.db, 'ten', ten(), 'Marla');
    await lab.addFlow('carts', withCode);
    await lab.tell(cart('robin@example.com', 'c1'));
    await lab.settle();
    const { code, person, flow } = await only();
    expect(code).toMatch(/^ROBIN-[A-HJKMNP-TV-Z2-9]{6}$/);
    expect(flow).toMatchObject({ key: 'carts', step: 'code' });
    const [mail] = lab.inbox;
    expect(mail!.subject).toBe('with-code');
    expect(mail!.text).toContain(`Take 10 % off from €50 with ${code}, up to `);
    expect(await checkFor(lab.db, asked(code.toLowerCase().replace('-', ' ')))).toMatchObject({
      valid: true,
      code,
      offer: 'ten',
      discount: { currency: 'EUR', minor: 1000 },
    });
    expect(await checkFor(lab.db, asked(code, { person: 'robin@example.com' }))).toMatchObject({ valid: true });
    expect(await checkFor(lab.db, asked(code, { person: 'kim@example.com' }))).toMatchObject({ valid: false, why: 'not-theirs' });
    await lab.tell(order('robin@example.com', 'o1', [code]));
    await lab.settle();
    expect(await codeView(lab.db, code)).toMatchObject({
      state: 'used',
      used: { orderId: 'o1', discount: { currency: 'EUR', minor: 1000 }, byOther: false },
    });
    expect(await checkFor(lab.db, asked(code))).toMatchObject({ valid: false, why: 'used' });
    expect(await events()).toEqual(['code.issued', 'code.used']);
    const { items } = await personTimeline(lab.db, person!.id, new URL('http://x/'));
    expect(items.map(({ says }) => says)).toEqual(expect.arrayContaining([expect.stringMatching(/^Issued “Ten off”, a code of Ten off/)]));
    const [item] = (await offers(lab.db)).offers;
    expect(item).toMatchObject({ issued: 1, used: 1, open: 0, discount: { minor: 1000 }, revenue: { minor: 9000 } });
    expect(item!.flows).toEqual([{ key: 'carts', name: 'Carts', isOn: true }]);
  });

  it('expires by the clock, and no message about it goes out after that', async () => {
    await putOffer(lab.db, 'ten', ten(), 'Marla');
    await lab.addFlow('carts', withCode);
    await lab.tell(cart('robin@example.com', 'c1'));
    await lab.settle();
    await lab.pass('P6D');
    expect(lab.inbox.map(({ subject }) => subject)).toEqual(['with-code']);
    expect((await only()).state).toBe('expired');
    expect(await events()).toEqual(['code.issued', 'code.expired']);
    const [skipped] = await query<{ saw: object }>(lab.db, `select saw from traces where kind = 'skipped'`);
    expect(skipped!.saw).toMatchObject({ codeOver: expect.any(Number) as number });
  });

  it('is kept from whom the guard names, with the reason, and the other arm is theirs', async () => {
    await putOffer(lab.db, 'ten', ten({ guard: { gap: 'P30D' } }), 'Marla');
    await lab.addFlow('carts', withCode);
    await lab.tell(cart('robin@example.com', 'c1'));
    await lab.settle();
    await lab.tell(cart('robin@example.com', 'c2'));
    await lab.settle();
    expect(lab.inbox.map(({ subject }) => subject)).toEqual(['with-code', 'without-code']);
    await lab.pass('P31D');
    await lab.tell(cart('robin@example.com', 'c3'));
    await lab.settle();
    expect(lab.inbox.at(-1)!.subject).toBe('with-code');
    const report = await offerReport(lab.db, 'ten');
    expect(report.withheld).toEqual([{ why: 'gap', says: 'had one within 30 days', people: 1, times: 1 }]);
    expect(report.withheldFrom).toMatchObject([{ person: { name: 'Robin' }, times: 1 }]);
    expect(report.byFlow).toEqual([{ key: 'carts', name: 'Carts', issued: 2, used: 0 }]);
  });

  it('is kept from who shares a phone or an address with somebody who had one', async () => {
    await putOffer(lab.db, 'ten', ten({ guard: { shared: true } }), 'Marla');
    await lab.addFlow('carts', withCode);
    const home = { address: 'Sluiskade 3', postcode: '1234 AB' };
    await lab.tell(cart('robin@example.com', 'c1', { phone: '+31612345678', ...home }));
    await lab.settle();
    for (const [n, more] of [
      { phone: '+31612345678' },
      { address: 'SLUISKADE 3', postcode: '1234 ab' },
      { phone: '+31687654321' },
    ].entries()) {
      await lab.tell(cart(`other${n}@example.com`, `d${n}`, more));
      await lab.settle();
    }
    expect(lab.inbox.map(({ subject }) => subject)).toEqual(['with-code', 'without-code', 'without-code', 'with-code']);
  });

  it('is not issued once as many are out as there may be, whoever comes at the same moment', async () => {
    await putOffer(lab.db, 'ten', ten({ most: { codes: 3 } }), 'Marla');
    await lab.addFlow('carts', withCode);
    await lab.tell(Array.from({ length: 8 }, (_, n) => cart(`p${n}@example.com`, `c${n}`)));
    await Promise.all([drain(lab.db), drain(lab.db), drain(lab.db)]);
    await lab.settle();
    expect((await offerView(lab.db, 'ten')).issued).toBe(3);
    expect((await offers(lab.db)).offers[0]!.isOver).toBe('spent');
    expect(lab.inbox.filter(({ subject }) => subject === 'without-code')).toHaveLength(5);
    await expect(issueByHand(lab.db, 'ten', { person: 'x' }, 'Marla')).rejects.toMatchObject({ status: 404 });
    // a higher bound lets it go on
    await putOffer(lab.db, 'ten', ten({ most: { codes: 4 } }), 'Marla');
    await lab.tell(cart('late@example.com', 'z'));
    await lab.settle();
    expect((await offerView(lab.db, 'ten')).issued).toBe(4);
  });

  it('shows in a rehearsal with letters that are made up, and nothing is issued', async () => {
    await putOffer(lab.db, 'ten', ten(), 'Marla');
    await lab.addFlow('carts', withCode);
    const { type, data } = cart('x@example.com', 'c9') as { type: string; data: object };
    const body = { events: [{ after: 'PT1M', type, data }], madeUp: { attributes: { firstName: 'Zoë' } } };
    const [one] = (await rehearse(lab.db, 'carts', body)).people;
    expect(one!.codes).toMatchObject([{ step: 'code', offer: 'ten', code: expect.stringMatching(/^ZOE-/) as string }]);
    expect(one!.sends.map(({ step }) => step)).toEqual(['with-code']);
    expect(one!.sends[0]!.text).toContain(one!.codes[0]!.code);
    expect((await offerView(lab.db, 'ten')).issued).toBe(0);
  });
});

describe('what is left of the orders with a code', () => {
  it('is what they came to less what the goods cost, of those whose costs are all known, what was refunded come back', async () => {
    await lab.empty('products');
    await putOffer(lab.db, 'ten', ten(), 'Marla');
    expect((await offerReport(lab.db, 'ten')).margin).toBeNull();
    await putProducts(lab.db, { csv: 'sku,name,price,cost\nT1,Tank,100,60\nF1,Food,5,2.10\nX1,Unknown,8,\n' }, 'Marla');
    await lab.addFlow('carts', withCode);
    const people = ['a', 'b', 'c', 'd'].map((name) => `${name}@example.com`);
    await lab.tell(people.map((email) => cart(email, `c-${email}`)));
    await lab.settle();
    const codes = await query<{ email: string; code: string }>(
      lab.db,
      `select p.attributes ->> 'email' as email, c.code from codes c join people p on p.id = c.person_id order by 1`,
    );
    const buys = (n: number, items: object[], value: number) =>
      order(people[n]!, `m${n}`, [codes[n]!.code], { value, discount: 10, items });
    await lab.tell([
      buys(0, [{ sku: 'T1', quantity: 1 }], 90),
      buys(
        1,
        [
          { sku: 'T1', quantity: 1 },
          { sku: 'F1', quantity: 3 },
        ],
        105,
      ),
      // of one of its goods nobody knows the cost
      buys(
        2,
        [
          { sku: 'T1', quantity: 1 },
          { sku: 'X1', quantity: 1 },
        ],
        98,
      ),
      buys(3, [{ sku: 'T1', quantity: 1 }], 90),
    ]);
    await lab.tell(happening('order.refunded', { orderId: 'm3', value: 45, person: { email: people[3] } }));
    await lab.settle();
    const { margin, perMessage } = await offerReport(lab.db, 'ten');
    // 90 + 105 + 45, less 60, 60 + 3 × 2.10, and half of 60
    expect(margin).toEqual({
      orders: 3,
      unknown: 1,
      net: { currency: 'EUR', minor: 24_000 },
      cost: { currency: 'EUR', minor: 15_630 },
      left: { currency: 'EUR', minor: 8_370 },
    });
    expect(perMessage).toMatchObject({ with: { messages: 4 }, without: { messages: 0 } });
  });
});

describe('whose order uses a code', () => {
  const issued = async (email: string) => {
    await lab.tell(cart(email, `c-${email}`));
    const { code } = await issueByHand(lab.db, 'ten', { person: await idOf(email) }, 'Marla');
    return code;
  };
  const idOf = async (email: string) =>
    `~${(await query<{ id: string }>(lab.db, 'select id from people where email = :email', { email }))[0]!.id}`;

  it('the first that names it, once, whatever order they are told in; a cancelled one gives it back', async () => {
    await putOffer(lab.db, 'ten', ten(), 'Marla');
    const code = await issued('robin@example.com');
    const placed = Date.now();
    const told = [1, 2].map((n) => order(`b${n}@example.com`, `o${n}`, [code.toLowerCase()], {}));
    // the second by time arrives first
    await lab.tell({ ...told[1]!, time: new Date(placed + 1000).toISOString() });
    await lab.tell({ ...told[0]!, time: new Date(placed).toISOString() });
    expect((await codeView(lab.db, code)).used).toMatchObject({ orderId: 'o1', byOther: true });
    expect((await offerView(lab.db, 'ten')).passedOn).toBe(1);
    await lab.tell(happening('order.cancelled', { orderId: 'o1', person: { email: 'b1@example.com' } }));
    expect((await codeView(lab.db, code)).used).toMatchObject({ orderId: 'o2' });
    await lab.tell(happening('order.cancelled', { orderId: 'o2', person: { email: 'b2@example.com' } }));
    expect(await codeView(lab.db, code)).toMatchObject({ state: 'open', used: null });
  });

  it('two orders at the same moment count once, and where the offer keeps it a cancelled order has used it', async () => {
    await putOffer(lab.db, 'ten', ten({ comesBack: false }), 'Marla');
    const code = await issued('robin@example.com');
    await Promise.all([1, 2, 3, 4].map((n) => lab.tell(order(`b${n}@example.com`, `o${n}`, [code]))));
    const used = await query<{ n: number }>(lab.db, 'select count(*)::int as n from codes where used_at is not null');
    expect(used).toEqual([{ n: 1 }]);
    const { orderId } = (await codeView(lab.db, code)).used!;
    const first = await query<{ order_id: string }>(
      lab.db,
      `select order_id from orders where codes <> '{}' order by placed_at, person_id limit 1`,
    );
    expect(orderId).toBe(first[0]!.order_id);
    await lab.tell(happening('order.cancelled', { orderId, person: { email: `b${orderId.slice(1)}@example.com` } }));
    expect((await codeView(lab.db, code)).used!.orderId).toBe(orderId);
  });

  it('two codes of one order share what they took off, to the cent', async () => {
    await putOffer(lab.db, 'ten', ten({ combines: true }), 'Marla');
    const codes = [await issued('robin@example.com'), await issued('kim@example.com')];
    await lab.tell(order('robin@example.com', 'o1', codes, { discount: 10.01 }));
    const each = await Promise.all(codes.map(async (code) => (await codeView(lab.db, code)).used!.discount.minor));
    expect([...each].sort()).toEqual([500, 501]);
  });

  it('what it has cost ends its budget', async () => {
    await putOffer(lab.db, 'ten', ten({ most: { discount: 15 } }), 'Marla');
    const codes = [await issued('a@example.com'), await issued('b@example.com')];
    await lab.tell(order('a@example.com', 'o1', [codes[0]!]));
    expect((await offerView(lab.db, 'ten')).isOver).toBeNull();
    await lab.tell(order('b@example.com', 'o2', [codes[1]!]));
    expect((await offerView(lab.db, 'ten')).isOver).toBe('spent');
    await expect(issued('c@example.com')).rejects.toMatchObject({ status: 409 });
  });

  it('goes over with a merge, and no name is left of it where somebody is erased', async () => {
    await putOffer(lab.db, 'ten', ten(), 'Marla');
    const code = await issued('robin@example.com');
    await lab.tell(cart('kim@example.com', 'k'));
    await mergePeople(lab.db, await idOf('kim@example.com'), await idOf('robin@example.com'), 'Marla');
    const kept = await idOf('kim@example.com');
    expect((await codeView(lab.db, code)).person!.id).toBe(kept);
    expect(JSON.stringify(await allAbout(lab.db, kept))).toContain(code);
    await eraseById(lab.db, kept, 'Marla');
    await expect(codeView(lab.db, code)).rejects.toMatchObject({ status: 404 });
    expect(await query(lab.db, `select code, order_id from codes`)).toEqual([{ code: 'erased', order_id: null }]);
    expect((await offerView(lab.db, 'ten')).issued).toBe(1);
  });
});

describe('an offer', () => {
  it('is refused where it makes no sense or asks for what is not there, with the place; its currency stays while codes are out', async () => {
    await expect(putOffer(lab.db, 'Ten!', ten(), 'm')).rejects.toMatchObject({ status: 400 });
    await expect(putOffer(lab.db, 'ten', { ...ten(), gives: { kind: 'percent', percent: 0 } }, 'm')).rejects.toMatchObject({
      status: 422,
      errors: [{ field: 'gives.percent' }],
    });
    const who = { test: 'segment', segment: 'nowhere', member: true, since: undefined } as Offer['who'];
    await expect(putOffer(lab.db, 'ten', ten({ who }), 'm')).rejects.toMatchObject({ status: 422, errors: [{ field: 'who' }] });
    await putOffer(lab.db, 'ten', ten(), 'm');
    await lab.tell(cart('a@example.com', 'c'));
    const [{ id }] = (await query<{ id: string }>(lab.db, 'select id from people')) as [{ id: string }];
    await issueByHand(lab.db, 'ten', { person: `~${id}` }, 'm');
    await expect(putOffer(lab.db, 'ten', ten({ currency: 'GBP' }), 'm')).rejects.toMatchObject({
      status: 409,
      errors: [{ field: 'currency' }],
    });
  });

  it('is not archived while a flow that is on issues it; once it is, its flow does not publish and its codes go on counting', async () => {
    await putOffer(lab.db, 'ten', ten(), 'm');
    await lab.addFlow('carts', withCode);
    await expect(archiveOffer(lab.db, 'ten', 'm')).rejects.toMatchObject({ status: 409 });
    await query(lab.db, `update flows set state = 'paused'`);
    await archiveOffer(lab.db, 'ten', 'm');
    await expect(publishFlow(lab.db, 'carts', 'm')).rejects.toMatchObject({ status: 422 });
    await restoreOffer(lab.db, 'ten', 'm');
    await publishFlow(lab.db, 'carts', 'm');
  });

  it('gives out codes of the shop’s own, each to one person, until none is left', async () => {
    await putOffer(lab.db, 'ten', ten({ code: { loaded: true } }), 'm');
    expect(await loadInto(lab.db, 'ten', { codes: ['SHOP-1', 'shop 1', 'SHOP-2'] }, 'm')).toEqual({ added: 2, known: 1 });
    await lab.addFlow('carts', withCode);
    await lab.tell([1, 2, 3].map((n) => cart(`p${n}@example.com`, `c${n}`)));
    await lab.settle();
    const { codes } = await offerCodes(lab.db, 'ten', new URL('http://x/'));
    expect(codes.map(({ code }) => code).sort()).toEqual(['SHOP-1', 'SHOP-2']);
    expect(lab.inbox.map(({ subject }) => subject).sort()).toEqual(['with-code', 'with-code', 'without-code']);
    expect((await offerView(lab.db, 'ten')).isOver).toBe('spent');
    expect(await checkFor(lab.db, asked('nowhere'))).toMatchObject({ valid: false, why: 'unknown' });
  });

  it('ten thousand codes at once are all different, and drawing again where letters are taken', async () => {
    await putOffer(lab.db, 'ten', ten(), 'm');
    const document = ten();
    const wanted = Array.from({ length: 10_000 }, (_, n) => ({
      personId: String(n + 1),
      offer: 'ten',
      document,
      prefix: 'FIN',
      at: Date.now(),
      expiresAt: null,
      how: 't',
      of: null,
    }));
    const codes = await issueCodes(lab.db, wanted);
    expect(new Set(codes).size).toBe(10_000);
    expect(codes.every((code) => /^FIN-.{6}$/.test(code!))).toBe(true);
  });
});

describe('a shop that must know codes', () => {
  it('is told of each as it is issued, signed, by the same name at each try, and not of those that it made itself', async () => {
    const told: { id: string; body: { type: string; data: { code: string; person: object } } }[] = [];
    let isDown = true;
    const shop = createServer((request, response) => {
      let body = '';
      request.on('data', (chunk) => (body += String(chunk)));
      request.on('end', () => {
        if (isDown) return void response.writeHead(503).end();
        told.push({ id: String(request.headers['webhook-id']), body: JSON.parse(body) as never });
        response.end('{}');
      });
    });
    await new Promise<void>((resolve) => shop.listen(0, '127.0.0.1', () => resolve()));
    const host = `127.0.0.1:${(shop.address() as AddressInfo).port}`;
    const lab = await openLab({ flow: null, inside: [host] });
    try {
      await putOffer(lab.db, 'ten', ten(), 'Marla');
      await putOffer(lab.db, 'own', ten({ code: { loaded: true } }), 'Marla');
      await loadInto(lab.db, 'own', { codes: ['MINE-1'] }, 'Marla');
      await expect(putCodeHook(lab.db, { url: 'nowhere' }, 'Marla')).rejects.toMatchObject({ status: 422 });
      expect(await putCodeHook(lab.db, { url: `http://${host}/codes` }, 'Marla')).toEqual({ url: `http://${host}/codes`, failed: null });
      await lab.tell(cart('robin@example.com', 'c1'));
      const person = `~${(await query<{ id: string }>(lab.db, 'select id from people'))[0]!.id}`;
      const issued = await issueByHand(lab.db, 'ten', { person }, 'Marla');
      await issueByHand(lab.db, 'own', { person }, 'Marla');
      await lab.settle();
      expect(told).toEqual([]);
      isDown = false;
      await query(lab.db, `update graphile_worker._private_jobs set run_at = now()`);
      await lab.settle();
      expect(told).toMatchObject([
        {
          id: `code-${issued.code}`,
          body: { type: 'code.issued', data: { code: issued.code, offer: 'ten', person: { email: 'robin@example.com' } } },
        },
      ]);
      // what does not want it is told of, and not tried for ever
      await putCodeHook(lab.db, { url: 'http://10.0.0.1/codes' }, 'Marla');
      await issueByHand(lab.db, 'ten', { person }, 'Marla');
      await lab.settle();
      expect((await codeHook(lab.db)).failed?.because).toContain('inside of our network');
      await putCodeHook(lab.db, { url: null }, 'Marla');
      await issueByHand(lab.db, 'ten', { person }, 'Marla');
      expect(await query(lab.db, 'select 1 from graphile_worker.jobs')).toEqual([]);
    } finally {
      await lab.close();
      await new Promise((resolve) => shop.close(resolve));
    }
  });
});

describe('an offer that is kept from some by lot', () => {
  it('draws of those who would get one, the same person the same each time, and says what it brings', async () => {
    await putOffer(lab.db, 'ten', ten({ holdout: 50, guard: {} }), 'Marla');
    await lab.addFlow('carts', withCode);
    const people = Array.from({ length: 60 }, (_, n) => `lot${n}@example.com`);
    await lab.tell(people.map((email) => cart(email, `first-${email}`)));
    await lab.settle();
    const drawn = async () =>
      new Map(
        (
          await query<{ email: string; kind: string }>(
            lab.db,
            `select p.attributes ->> 'email' as email, t.kind from traces t join people p on p.id = t.person_id
             where t.kind in ('issued', 'withheld') order by t.at`,
          )
        ).map(({ email, kind }) => [email, kind]),
      );
    const first = await drawn();
    const kept = [...first.values()].filter((kind) => kind === 'withheld').length;
    // of 60 about 30: fewer than 15 or more than 45 come once in 10,000 (binomial)
    expect(kept).toBeGreaterThanOrEqual(15);
    expect(kept).toBeLessThanOrEqual(45);
    await lab.pass('P5D');
    await lab.tell(people.map((email) => cart(email, `second-${email}`)));
    await lab.settle();
    expect(await drawn()).toEqual(first);
    const reasons = (await offerReport(lab.db, 'ten')).withheld;
    expect(reasons).toMatchObject([{ why: 'lot', people: kept, says: 'drawn to get none' }]);
    // of those with a code all order, of those without a third
    const without = people.filter((email) => first.get(email) === 'withheld');
    const buyers = [...people.filter((email) => first.get(email) === 'issued'), ...without.slice(0, Math.round(kept / 3))];
    await lab.tell(buyers.map((email) => order(email, `o-${email}`, [])));
    await lab.pass('P8D');
    const { holdout } = await offerReport(lab.db, 'ten');
    expect(holdout).toMatchObject({
      percent: 50,
      with: { people: 60 - kept, ordered: 60 - kept },
      without: { people: kept, ordered: Math.round(kept / 3) },
    });
    expect(holdout!.difference!.from).toBeGreaterThan(30);
    expect(holdout!.anyway!.share).toBeCloseTo(Math.round(kept / 3) / kept, 10);
  });

  it('says the difference as Newcombe 1998 (Statistics in Medicine 17:873–890, method 10) has it: 56/70 against 48/80', () => {
    const { difference, anyway } = whatItBrings({ with: { people: 70, ordered: 56 }, without: { people: 80, ordered: 48 } });
    expect(difference!.points).toBeCloseTo(20, 10);
    expect(difference!.from).toBeCloseTo(5.24, 2);
    expect(difference!.to).toBeCloseTo(33.39, 2);
    // 60 of 80 in a hundred, and so many less the interval
    expect(anyway!.share).toBeCloseTo(0.75, 10);
    expect(anyway!.from).toBeCloseTo((0.8 - 0.3339) / 0.8, 3);
    expect(whatItBrings({ with: { people: 0, ordered: 0 }, without: { people: 5, ordered: 1 } })).toEqual({
      difference: null,
      anyway: null,
    });
  });
});
