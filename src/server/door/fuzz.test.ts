import { createHmac } from 'node:crypto';
import fc from 'fast-check';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { newForm } from '@/core/forms';
import { query } from '@/data/db';
import { findForm, type FormRow } from '@/data/public';
import { findSource } from '@/data/sources';
import { Problem } from '../http';
import { anybody, openLab, type Lab } from '../testing/lab';

let lab: Lab;
let doors: typeof import('../sources');
let forms: typeof import('../public/forms');
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
  [doors, forms] = await Promise.all([import('../sources'), import('../public/forms')]);
});
afterAll(() => lab.close());

/** Texts that break things: U+0000, half pairs, names of what every object inherits, moments and numbers beyond any range. */
const text = fc.oneof(
  fc.constantFrom(
    '',
    '\u0000',
    '\ud800',
    '__proto__',
    'constructor',
    "'; drop table people; --",
    '{{7*7}}',
    'a@b',
    'robin@example.com',
    'ROBIN@EXAMPLE.COM',
    '2026-13-45T99:99:99Z',
    '+999999-12-31T23:59:59Z',
    '-271821-04-20',
    '1e999',
    '9'.repeat(400),
    'x'.repeat(3000),
    '\u202e\u0007',
    'order.placed',
    'cart.updated',
  ),
  fc.string({ unit: 'binary', maxLength: 12 }),
);
const value = fc.letrec<{ value: unknown }>((tie) => ({
  value: fc.oneof(
    { maxDepth: 3, depthSize: 'small' },
    text,
    fc.constantFrom(null, true, false, 0, -1, 1e308, 5e-324, 2 ** 53, Number.MAX_SAFE_INTEGER),
    fc.array(tie('value'), { maxLength: 3 }),
    fc.dictionary(fc.oneof(text, fc.constantFrom('person', 'email', 'value', 'items', 'consent')), tie('value'), { maxKeys: 4 }),
  ),
})).value;
/** Nearly an event: the right names with anything in them. */
const event = fc.record(
  {
    id: fc.oneof({ weight: 3, arbitrary: fc.uuid() }, text, value),
    source: fc.oneof({ weight: 4, arbitrary: fc.constant('test') }, value),
    type: fc.oneof(
      {
        weight: 6,
        arbitrary: fc.constantFrom(
          'order.placed',
          'order.refunded',
          'order.cancelled',
          'cart.updated',
          'page.viewed',
          'consent.changed',
          'person.updated',
          'list.joined',
          'form.submitted',
        ),
      },
      value,
    ),
    time: fc.oneof({ weight: 5, arbitrary: fc.constant('2026-11-01T10:00:00Z') }, value),
    subject: fc.oneof({ weight: 5, arbitrary: text }, value),
    data: fc.oneof(
      value,
      fc.record(
        {
          orderId: value,
          cartId: value,
          currency: fc.oneof(fc.constantFrom('EUR', 'JPY', 'XXX'), value),
          value: fc.oneof(fc.constantFrom(10, -1, 1e300), value),
          items: value,
          person: fc.oneof(
            value,
            fc.record(
              { email: text, phone: text, device: text, externalId: text, country: text, zone: text, consent: value, firstName: value },
              { requiredKeys: [] },
            ),
          ),
        },
        { requiredKeys: [] },
      ),
    ),
  },
  { requiredKeys: ['id', 'source', 'type'] },
);
const body = fc.oneof(event, fc.array(event, { maxLength: 4 }), value);

/** Answered, or refused with a reason that names a status of the sender's making; nothing else. */
const answered = async (work: Promise<unknown>) => {
  try {
    await work;
  } catch (error) {
    if (!(error instanceof Problem)) throw error;
    expect(error.status).toBeGreaterThanOrEqual(400);
    expect(error.status).toBeLessThan(500);
  }
};
const whole = async () => {
  const [row] = await query<{ orphans: number; strange: number }>(
    lab.db,
    `select (select count(*)::int from identifiers i where not exists (select 1 from people p where p.id = i.person_id)) as orphans,
    (select count(*)::int from standing s where s.net_minor < 0 or s.orders < 0) as strange`,
  );
  expect(row).toEqual({ orphans: 0, strange: 0 });
};

describe('whatever comes in is answered in words, and what is on file stays whole', () => {
  it('events', async () => {
    let taken = 0;
    await fc.assert(
      fc.asyncProperty(body, (one) => answered(lab.tell(one as object).then((answer) => (taken += answer.accepted)))),
      { numRuns: 400 },
    );
    // or it would have shown nothing of what lies behind the door
    expect(taken).toBeGreaterThan(0);
    await whole();
  });

  it('signed webhooks, with a mapping that points at anything', async () => {
    const { source, shownOnce } = await doors.makeSource(lab.db, { kind: 'webhook', name: 'W' }, anybody);
    const secret = Buffer.from(shownOnce!.replace(/^whsec_/, ''), 'base64');
    let n = 0;
    const send = (raw: string) => {
      const id = `m${++n}`;
      const at = String(Math.floor(Date.now() / 1000));
      return doors.takeWebhook(
        lab.db,
        source.key,
        new Headers({
          'webhook-id': id,
          'webhook-timestamp': at,
          'webhook-signature': `v1,${createHmac('sha256', secret).update(`${id}.${at}.${raw}`).digest('base64')}`,
        }),
        raw,
      );
    };
    expect(await send(JSON.stringify({ id: 'e1', source: 'w', type: 'page.viewed', subject: 'w1', data: {} }))).toMatchObject({
      accepted: 1,
    });
    await fc.assert(
      fc.asyncProperty(
        fc.oneof(
          body.map((one) => JSON.stringify(one) ?? ''),
          fc.string({ maxLength: 30 }),
        ),
        (raw) => answered(send(raw)),
      ),
      { numRuns: 120 },
    );
    await doors.storeMapping(
      lab.db,
      source.key,
      {
        schema: 'viatic.mapping/1',
        type: {
          path: 'type',
          means: { 'order.placed': 'order.placed', 'cart.updated': 'cart.updated', '': 'page.viewed', __proto__: 'page.viewed' },
        },
        id: 'id',
        time: 'time',
        person: { email: 'data.person.email', externalId: 'subject', phone: 'data.person.phone', consent: 'data.person.consent' },
        amount: { path: 'data.value', unit: 'minor' },
        currency: { path: 'data.currency' },
        orderId: 'data.orderId',
        cartId: 'data.cartId',
        items: { path: 'data.items', name: 'name', price: 'value' },
        properties: { all: 'data' },
      },
      'test',
    );
    await fc.assert(
      fc.asyncProperty(
        body.map((one) => JSON.stringify(one) ?? ''),
        (raw) => answered(send(raw)),
      ),
      { numRuns: 200 },
    );
    await whole();
  });

  it('the page snippet', async () => {
    const { source } = await doors.makeSource(lab.db, { kind: 'snippet', name: 'P', sites: ['https://shop.example'] }, anybody);
    const row = (await findSource(lab.db, source.key))!;
    await fc.assert(
      fc.asyncProperty(
        fc
          .oneof(
            fc.record(
              {
                device: fc.oneof(fc.constant('a-device-of-a-page'), value),
                events: fc.oneof(fc.array(event, { maxLength: 3 }), value),
                person: value,
              },
              { requiredKeys: [] },
            ),
            value,
          )
          .map((one) => JSON.stringify(one) ?? ''),
        (raw) => answered(doors.collect(lab.db, row, raw)),
      ),
      { numRuns: 200 },
    );
    await whole();
  });

  it('a form, with and without double opt-in', async () => {
    for (const isConfirmed of [true, false]) {
      const key = `fuzz-${isConfirmed}`;
      const document = newForm(key);
      await forms.writeForm(lab.db, key, isConfirmed ? document : { ...document, doubleOptIn: null }, null, 'test');
      const row = (await findForm(lab.db, key)) as FormRow;
      await fc.assert(
        fc.asyncProperty(
          fc.record(
            {
              email: fc.oneof(fc.constant('robin@example.com'), text),
              'first-name': text,
              'consent-email': fc.oneof(fc.constant('yes'), text),
            },
            { requiredKeys: [] },
          ),
          fc.webUrl(),
          (given, place) => answered(forms.submitForm(lab.db, row, given, place)),
        ),
        { numRuns: 80 },
      );
    }
    await whole();
  });
});
