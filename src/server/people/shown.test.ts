import fc from 'fast-check';
import { afterAll, beforeAll, beforeEach, expect, it } from 'vitest';
import type { BranchStep, SendStep } from '@/core/flows';
import type { Email } from '@/core/messages';
import { rendered } from '../letters/testing';
import { ruleSchema } from '@/core/rules';
import { query } from '@/data/db';
import { countPeople } from '@/data/people';
import { ruleToSql } from '@/data/rules';
import { cartLeftBehind } from '../../demo/flows';
import { attributeList, valuesOf } from './attributes';
import { catalogue, catalogueType, keepCatalogue } from '../sources';
import { allAbout } from './erase';
import { exportFile } from '../work';
import { drain, flowReport, listOfFlows } from '../flows';
import { ledgerPage, revenueReport } from '../revenue';
import { directory, personTimeline, personView, whyNot } from '.';
import { happening, openLab, type Lab } from '../testing/lab';

let lab: Lab;
let sources: typeof import('../sources');
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
  sources = await import('../sources');
});
afterAll(() => lab.close());
beforeEach(() => lab.empty('attributes', 'event_types', 'event_properties', 'event_values'));

/** Values under the names that our own code looks for, of kinds that it does not expect. */
const odd = fc.oneof(
  fc.constantFrom<unknown>(
    'abc',
    '',
    ' ',
    '1e5',
    '-1',
    '99999999999999999999',
    '2026-11-24',
    'EUR',
    '{{ x }}',
    '%',
    '\\',
    "'",
    '"',
    '<b>',
    '🐠',
    true,
    false,
    null,
    0,
    -1,
    1.5,
    1e21,
    [],
    [1, 'a'],
    {},
    { a: { b: 1 } },
  ),
  fc.string({ maxLength: 6 }).filter((text) => !text.includes('\u0000')),
  fc.double({ noNaN: true, noDefaultInfinity: true }),
  fc.array(fc.integer(), { maxLength: 2 }),
);
const NAMES = [
  'sendId',
  'letterId',
  'orderId',
  'cartId',
  'value',
  'currency',
  'items',
  'list',
  'name',
  'how',
  'flow',
  'by',
  'key',
  'formId',
  'download',
  'url',
  'sku',
  'quantity',
  'price',
  'class',
  'reason',
  'checkoutUrl',
  'device',
  'toString',
  'a.b',
  'ü b',
];
const ATTRIBUTES = [
  'firstName',
  'lastName',
  'pushToken',
  'plan',
  'points',
  'email2',
  'tags',
  'lists',
  'id',
  'orders',
  'constructor',
  'a.b',
  'größe',
];
const bag = (names: readonly string[]) => fc.dictionary(fc.constantFrom(...names), odd, { maxKeys: 6 });
const told = fc.array(
  fc.record({
    type: fc.constantFrom('app.noted', 'cart.updated', 'list.joined', 'form.submitted', 'flow.called', 'product.viewed', 'order.placed'),
    who: fc.nat(3),
    data: bag(NAMES),
    person: bag(ATTRIBUTES),
  }),
  { minLength: 6, maxLength: 16 },
);

const url = (params = '') => new URL(`http://x/?${params}`);

it('whatever the door takes in can be shown, searched, counted, exported and written to', async () => {
  let taken = 0;
  await fc.assert(
    fc.asyncProperty(told, fc.constantFrom('abc', '%', 'a', '5'), async (events, words) => {
      await lab.empty('attributes', 'event_types', 'event_properties', 'event_values');
      const answer = await lab.tell(
        events.map(({ type, who, data, person }) =>
          happening(
            type,
            { ...data, person: { ...person, email: `p${who}@example.com`, consent: { email: true } } },
            { subject: `c${who}` },
          ),
        ),
      );
      taken += answer.accepted;
      await query(lab.db, `update runs set wake_at = now() - interval '1 minute'`);
      await drain(lab.db);

      for (const { external_id: id } of await query<{ external_id: string }>(lab.db, 'select external_id from people')) {
        const view = await personView(lab.db, id);
        expect(view.id).toBe(id);
        const story = await personTimeline(lab.db, id, url('limit=200'));
        expect(story.items.filter((item) => item.kind === 'event').length).toBe(
          (await query(lab.db, 'select 1 from events where person_id = :number', { number: view.number })).length,
        );
        await personTimeline(lab.db, id, url(`q=${encodeURIComponent(words)}&kinds=event`));
        await allAbout(lab.db, id);
        await whyNot(lab.db, id, 'cart-left-behind');
      }
      const all = await directory(lab.db, url());
      for (const sort of ['name', 'email', 'value', ...ATTRIBUTES.map((name) => `attribute:${name}`)])
        expect((await directory(lab.db, url(`sort=${encodeURIComponent(sort)}`))).people, sort).toHaveLength(all.people.length);
      await directory(lab.db, url(`q=${encodeURIComponent(words)}`));

      await keepCatalogue(lab.db, true);
      for (const { type } of (await catalogue(lab.db)).types) await catalogueType(lab.db, type);
      for (const { name } of (await attributeList(lab.db)).attributes) await valuesOf(lab.db, name);
      for (const what of ['people', 'events', 'orders', 'consent']) {
        for (const format of ['csv', 'ndjson']) {
          const { body } = await exportFile(lab.db, url(`what=${what}&format=${format}`));
          let size = 0;
          for await (const part of body) size += (part as Buffer).length;
          expect(size >= 0).toBe(true);
        }
      }
      for (const { key } of (await sources.sourceList(lab.db)).sources) {
        await sources.arrivals(lab.db, key);
        await sources.rejections(lab.db, key, url());
        await sources.sourceDetail(lab.db, key);
      }
      await Promise.all([
        revenueReport(lab.db, url()),
        ledgerPage(lab.db, url()),
        listOfFlows(lab.db),
        flowReport(lab.db, 'cart-left-behind', url()),
      ]);

      // a rule may ask for any of it, as text, as number, as there or not
      for (const name of NAMES.slice(0, 12)) {
        for (const where of [{ op: 'atLeast', value: 1 }, { op: 'contains', value: 'a' }, { op: 'is', value: true }, { op: 'known' }]) {
          const rule = ruleSchema.safeParse({ test: 'did', event: 'app.noted', since: 'ever', where: [{ property: name, ...where }] });
          if (rule.success)
            await countPeople(lab.db, { words: null, rule: ruleToSql(rule.data, Date.now(), 'Europe/Amsterdam'), insideFlow: null });
        }
      }
      // and a message may be about it
      const { message } = (cartLeftBehind.steps[0] as BranchStep).arms[0]!.steps[0] as SendStep;
      for (const { attributes, properties } of await query<{ attributes: Record<string, never>; properties: Record<string, never> }>(
        lab.db,
        'select p.attributes, e.properties from events e join people p on p.id = e.person_id',
      )) {
        const mail = await rendered(
          message as Email,
          { person: attributes, event: properties, store: { name: 'Quillfin', address: 'x' } },
          { unsubscribeUrl: 'http://x/', pixelUrl: null, track: (address) => address },
        );
        expect(mail.subject).not.toMatch(/[\r\n]/);
        expect(mail.html).not.toMatch(/undefined|\[object Object\]/);
      }
    }),
    { numRuns: 12 },
  );
  expect(taken).toBeGreaterThan(20);
});
