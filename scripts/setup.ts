import { randomBytes } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { DAY, startOfDay } from '../src/core/time';
import catalogue from '../quillfin/catalogue.json';
import {
  codeOfRun,
  demoBroadcasts,
  demoBrand,
  demoFlows,
  demoLibrary,
  demoOffers,
  HISTORY_DAYS,
  makeHistory,
  type DemoHistory,
} from '../src/demo';
import { countryCode } from '../src/core/people';
import { ledgerOf } from '../src/core/orders';
import { planOf, stepsOf } from '../src/core/flows';
import { countedArms, testVerdict } from '../src/core/revenue';
import { CODE_ISSUED } from '../src/core/offers';
import { spellingOf } from '../src/core/rules';
import { headOf, personalise } from '../src/core/messages';
import type { ReplayFlow } from '../src/core/replay';
import { createUser } from '../src/data/access';
import { connect, copyInto, inTransaction, migrate, passCounters, query, queryOne, type Db } from '../src/data/db';
import { createKey, createSource, findSource, rebuildCatalogue } from '../src/data/sources';
import { SCOPES } from '../src/core/sources';
import { lockCarded, putCard } from '../src/data/cards';
import { storeTable } from '../src/data/tables';
import { countOffers, saveOffer, settleCodes } from '../src/data/offers';
import { newReport, nextMail, type ReportDocument } from '../src/core/reports';
import { createReport } from '../src/data/reports';
import { keepSums } from '../src/server/revenue';
import { saveBrand, saveFeed, saveInLibrary } from '../src/data/letters';
import { refreshCarts, saveStanding } from '../src/data/revenue';
import { createFlow, lockFlow, noteVerdict, publishDraft, setHeard, setOccasions } from '../src/data/flows';
import { Webhook } from 'standardwebhooks';
import { newForm } from '../src/core/forms';
import { saveAttribute, saveTopics } from '../src/data/people';
import { createStore, readStore } from '../src/data/store';
import { writeForm } from '../src/server/public';
import { ingest } from '../src/server/ingest';
import { makeList, putSegment, readySegments } from '../src/server/people';
import { storeGroup, storePlaces } from '../src/server/places';
import { putProducts } from '../src/server/products';
import { saveCheckoutBox } from '../src/server/store';
import { makeSource, snippetSecret, storeMapping, takeWebhook } from '../src/server/sources';
import { hashKey, hashPassword } from '../src/server/access';

/** Makes the database, brings it to the newest shape and, when it is new, loads Quillfin. */
const STORE = {
  name: 'Quillfin',
  address: 'Quillfin, Sluiskade 14, 1000 AA Waterstad',
  fromEmail: 'hello@quillfin.example',
  currency: 'EUR',
  zone: 'Europe/Amsterdam',
  languages: ['en', 'nl', 'de'],
};
const CHECKOUT_WORDING = 'Yes, write to me about what I left in my cart and about news from Quillfin. I can stop at any time.';
const URL_ = process.env.VIATIC_DATABASE_URL!;
/** Which share of its price a product costs the shop, by its kind. */
const COST_OF: { readonly [kind: string]: number } = { tanks: 0.64, filters: 0.58, lights: 0.6, food: 0.44, plants: 0.4 };
const BASE = process.env.VIATIC_URL!;
/** the source of what the shop sent */
let shopSource = 0;
const peopleWanted = Number(process.argv[process.argv.indexOf('--people') + 1] ?? 20_000);

async function main(): Promise<void> {
  const name = new URL(URL_).pathname.slice(1);
  const admin = connect(process.env.VIATIC_ADMIN_DATABASE_URL!, 1);
  if (!(await queryOne(admin, 'select 1 as there from pg_database where datname = :name', { name })))
    await query(admin, `create database "${name}"`);
  await admin.destroy();

  const db = connect(URL_, 4);
  await migrate(db, URL_);
  if (!(await queryOne(db, 'select 1 as there from store'))) {
    const began = Date.now();
    // everything or nothing: the store's row is written last, and what an interrupted load left is cleared first
    await clear(db);
    const counts = await load(db);
    await createStore(db, STORE);
    await keepSums(db, 600_000);
    await furnish(db);
    console.log(
      `Loaded Quillfin: ${counts.people} people, ${counts.events} events, ${counts.runs} runs, ${counts.sends} sends in ${((Date.now() - began) / 1000).toFixed(0)} s.`,
    );
  }
  await db.destroy();
}

/** What a store has beside its history: attributes, topics, lists, forms, a webhook, a snippet, a few more arrivals. */
async function furnish(db: Db): Promise<void> {
  const by = 'Marla Quist';
  const { now } = await readStore(db);
  for (const name of ['email', 'firstName', 'lastName', 'phone', 'country', 'zone'])
    await saveAttribute(db, { name, type: 'text', isDeclared: true });
  await saveAttribute(db, { name: 'birthday', type: 'date', isDeclared: true });
  await saveAttribute(db, { name: 'tankLitres', type: 'number', isDeclared: true, about: 'Size of their biggest tank, in litres' });
  await saveTopics(db, [
    { key: 'plants', name: 'Plants', about: 'New plants and how to keep them' },
    { key: 'fish', name: 'Fish and food', about: 'What lives in the water, and what it eats' },
    { key: 'offers', name: 'Offers', about: 'When something costs less' },
  ]);
  await saveCheckoutBox(
    db,
    {
      everywhere: { ticked: false, wording: CHECKOUT_WORDING },
      countries: {
        US: { ticked: true, wording: 'Send me news and offers from Quillfin by email.' },
        DE: { ticked: false, wording: 'Ja, schreibt mir zu meinem Warenkorb und zu Neuem von Quillfin. Ich kann das jederzeit beenden.' },
      },
    },
    by,
  );
  await makeList(db, { name: 'Keepers’ club', about: 'People who help others with their tanks', doubleOptIn: false }, by);
  await makeList(db, { name: 'Plant letter', about: 'Once a month, about plants', doubleOptIn: true }, by);
  await fillDemoLists(db, new Date(now));
  await writeForm(
    db,
    'plant-letter',
    {
      ...newForm('Plant letter'),
      title: 'A letter about plants, once a month',
      intro: 'What to plant now, what to cut back, and which of our growers has something new.',
      list: 'plant-letter',
      fields: [
        { id: 'email', attribute: 'email', type: 'email', label: 'Email address', required: true },
        { id: 'first-name', attribute: 'firstName', type: 'text', label: 'First name', required: false },
        { id: 'litres', attribute: 'tankLitres', type: 'number', label: 'Litres of your tank', required: false },
      ],
      after: { kind: 'page', title: 'Welcome to the plant letter', text: 'The first one comes at the beginning of next month.' },
      hidden: [{ name: 'campaign', value: 'plants' }],
      promise: { kind: 'link', url: `${BASE}/outside/shop`, label: 'Ten plants that forgive mistakes' },
    },
    null,
    by,
  );
  await writeForm(
    db,
    'water-check',
    {
      ...newForm('Water check'),
      title: 'Get your water checked',
      intro: 'Tell us your values and somebody who keeps fish answers.',
      doubleOptIn: null,
      consents: [{ channel: 'email', wording: 'Yes, write to me about news from Quillfin, too. I can stop at any time.', required: false }],
    },
    null,
    by,
  );
  // under a key that the demo shop knows
  await createSource(db, {
    key: 'snippet-quillfin',
    kind: 'snippet',
    name: 'Shop pages',
    by,
    ...snippetSecret(),
    settings: { sites: [new URL(BASE).origin] },
  });
  const { source } = await makeSource(db, { kind: 'webhook', name: 'Till in the Waterstad store' }, { name: by, scopes: SCOPES });
  await fillDemoWebhook(db, source.key, by);
  // two visits on a device before its owner is known, and a bad event, so that every list has something to show
  await ingest(
    db,
    [
      {
        id: 'demo-1',
        source: 'quillfin/shop',
        type: 'product.viewed',
        data: { sku: 'QF-T060', name: 'Shoreline tank 60 l', price: 89, person: { device: 'demo-device-000001' } },
      },
      {
        id: 'demo-2',
        source: 'quillfin/shop',
        type: 'app.tank_added',
        data: { litres: 60, person: { device: 'demo-device-000001', email: 'sander.demo@example.com', firstName: 'Sander' } },
      },
      {
        id: 'demo-3',
        source: 'quillfin/shop',
        type: 'cart.updated',
        data: { cartId: 'demo-cart', currency: 'EURO', value: '89', person: { email: 'sander.demo@example.com' } },
      },
    ],
    { sourceId: shopSource },
  );
  // what the shop tells of its products, and what they cost it; one has run out
  await putProducts(
    db,
    {
      products: catalogue.products.map(({ sku, name, price, kind }, n) => ({
        sku,
        name,
        price,
        // what goes is known of all but the last
        ...(n < catalogue.products.length - 1 && { cost: Math.round(price * (COST_OF[kind] ?? 0.5) * 100) / 100 }),
        categories: [kind],
        stock: sku === 'QF-T180' ? 0 : 8 + ((n * 13) % 60),
        url: `${BASE}/outside/shop/p/${sku}`,
        image: `${BASE}/outside/shop/pictures/${sku}.svg`,
      })),
    },
    by,
  );
  // the worker builds them as soon as it is there
  await storePlaces(db, { csv: readFileSync(join(import.meta.dirname, '../quillfin/places.csv'), 'utf8') }, by);
  await storeGroup(db, 'where-we-ship', { name: 'Where we ship', countries: ['NL', 'BE', 'LU', 'DE', 'FR'] }, by);
  for (const [kind, key, about, owner, tags] of [
    ['offer', 'cart-10', 'Ten per cent for carts left behind: only where the margin bears it.', 'Ines Halm', ['carts', 'all year']],
    ['form', 'plant-letter', 'On every page of the blog, and at the till.', 'Ines Halm', ['newsletter']],
    ['list', 'plant-letter', '', 'Marla Quist', ['newsletter']],
    ['source', 'snippet-quillfin', 'What people look at in the shop.', 'Tom Brandt', []],
  ] as const)
    if (await lockCarded(db, kind, key)) await putCard(db, kind, key, { about, owner, tags: [...tags] });
  for (const { key, name, about, rule } of (await readySegments(db)).ready)
    await putSegment(db, key, { schema: 'viatic.segment/1', name, about, rule, owner: by }, by);
}

/** A few hundred people on the lists, as they joined over the last months. */
async function fillDemoLists(db: Db, now: Date): Promise<void> {
  await query(
    db,
    `insert into list_members (list_id, person_id, at, how) select l.id, p.id, greatest(p.created_at,
      cast(:now as timestamptz) - ((p.id * 37) % 88) * interval '1 day' - interval '3 hours'), 'form “Plant letter”, confirmed by mail'
    from lists l, people p where l.key = 'plant-letter' and p.id % 9 = 4 and exists (select 1 from consents c
      where c.person_id = p.id and c.state = 'given') order by p.id limit 900`,
    { now },
  );
  await query(
    db,
    `insert into list_members (list_id, person_id, at, how) select l.id, p.id, greatest(p.created_at,
      cast(:now as timestamptz) - ((p.id * 53) % 80) * interval '1 day' - interval '5 hours'), 'by Marla Quist' from lists l, people p
        where l.key = 'keepers-club' and p.id % 41 = 7 order by p.id limit 160`,
    { now },
  );
  await query(db, `insert into list_log (list_id, person_id, at, act, how) select list_id, person_id, at, 'joined', how from list_members`);
  await query(
    db,
    `insert into person_tags (person_id, tag, at, by) select person_id, 'helper', at, 'Marla Quist' from list_members m
      join lists l on l.id = m.list_id where l.key = 'keepers-club'`,
  );
}

/** Bodies of the till's own shape, and the mapping that makes orders of them. */
async function fillDemoWebhook(db: Db, key: string, by: string): Promise<void> {
  const body = (n: number) => ({
    event: 'sale.closed',
    closed_at: new Date(Date.now() - n * 3_600_000).toISOString(),
    sale: {
      number: `T-${5200 + n}`,
      total_cents: 1290 + n * 450,
      currency: 'EUR',
      lines: [{ title: 'Flake food 100 g', article: 'QF-N001', count: 1, cents: 1290 + n * 450 }],
    },
    customer: { email: `till.${n}@example.org`, first_name: ['Ada', 'Kees', 'Femke'][n % 3] },
  });
  await storeMapping(
    db,
    key,
    {
      schema: 'viatic.mapping/1',
      type: { path: 'event', means: { 'sale.closed': 'order.placed' } },
      time: 'closed_at',
      person: { email: 'customer.email', firstName: 'customer.first_name' },
      amount: { path: 'sale.total_cents', unit: 'minor' },
      currency: { path: 'sale.currency' },
      orderId: 'sale.number',
      items: { path: 'sale.lines', name: 'title', sku: 'article', quantity: 'count', price: 'cents' },
      properties: {},
    },
    by,
  );
  const row = (await findSource(db, key))!;
  for (let n = 3; n >= 1; n--) {
    const raw = JSON.stringify(body(n));
    const at = new Date();
    const id = `msg_demo_${n}`;
    await takeWebhook(
      db,
      key,
      new Headers({
        'webhook-id': id,
        'webhook-timestamp': String(Math.floor(at.getTime() / 1000)),
        'webhook-signature': new Webhook(row.secret!).sign(id, at, raw),
      }),
      raw,
    );
  }
}

async function clear(db: Db): Promise<void> {
  await query(
    db,
    'truncate users, acts, cards, people, identifiers, weak_claims, standing, consents, consent_log, suppressions, ' +
      'event_keys, events, fact_changes, orders, bookings, carts, reports, ' +
      'takings_days, credit_days, summed_days, stale_days, flows, flow_versions, runs, traces, sends, credits, merges, codes, offers, ' +
      'lookup_tables, lookup_versions, lookup_rows, ' +
      'products, product_changes, product_tellings, short_links, ' +
      'brands, library, library_versions, feeds, product_days, product_pairs, product_relations_state, product_feeds, senders, ' +
      'person_tags, lists, topics, attributes, forms, files, segments, segment_members, segment_log, segment_looks, segment_signals ' +
      'restart identity cascade',
  );
  // the two sources that every store has stay
  await query(db, 'delete from sources where id >= 10');
}

async function load(db: Db): Promise<{ people: number; events: number; runs: number; sends: number }> {
  await createUser(db, { email: 'marla@quillfin.example', name: 'Marla Quist', passwordHash: await hashPassword('tanks-and-trains') });
  // colleagues, who sign in by another password than anybody knows
  for (const [email, name, role] of [
    ['ines@quillfin.example', 'Ines Halm', 'writer'],
    ['tom@quillfin.example', 'Tom Brandt', 'analyst'],
  ] as const)
    await createUser(db, { email, name, role, passwordHash: await hashPassword(randomBytes(24).toString('hex')) });
  shopSource = await createKey(db, { name: 'Quillfin shop', hash: hashKey('demo-key'), hint: 'demo…', by: 'Marla Quist' });
  const end = Date.now();
  const start = startOfDay(end - HISTORY_DAYS * DAY, STORE.zone);
  const flows = [...demoFlows(BASE).map((flow) => ({ ...flow, from: start + 3 * DAY })), ...demoBroadcasts(BASE, end, STORE.zone)];
  for (const [key, offer] of demoOffers) await saveOffer(db, key, offer, 'Marla Quist', start);
  await inTransaction(db, (trx) => saveBrand(trx, 'quillfin', demoBrand(BASE), true, 'Marla Quist', start));
  for (const { message, blocks, ...one } of demoLibrary(BASE))
    await saveInLibrary(
      db,
      { ...one, kind: message ? 'message' : 'blocks', document: message ?? { blocks: blocks ?? [] } },
      null,
      'Marla Quist',
      start,
    );
  const weekly: ReportDocument = {
    ...newReport(),
    name: 'Each Monday',
    figures: ['takings', 'orders', 'credited', 'share', 'recovery'],
    splits: ['flow', 'first'],
    mail: { weekday: 1, at: '08:00', to: ['marla@quillfin.example', 'ines@quillfin.example'] },
  };
  await createReport(db, { key: 'each-monday', document: weekly, nextAt: nextMail(weekly, end, STORE.zone), by: 'Marla Quist', at: start });
  await saveFeed(db, {
    key: 'quillfin-blog',
    name: 'The Quillfin blog',
    url: `${BASE}/outside/blog/feed?origin=${encodeURIComponent(BASE)}`,
    every_minutes: 30,
  });
  await storeTable(
    db,
    {
      key: 'delivery-times',
      name: 'Delivery times',
      keyColumn: 'country',
      columns: ['country', 'carrier', 'days'],
      by: 'Marla Quist',
      at: start,
    },
    [
      ['NL', 'Bike courier', 1],
      ['BE', 'Parcel van', 2],
      ['DE', 'Parcel van', 3],
      ['FR', 'Parcel van', 4],
      ['GB', 'Sea and van', 8],
      ['US', 'Air and van', 11],
    ].map(([country, carrier, days]) => ({
      key: String(country).toLowerCase(),
      data: { country: country!, carrier: carrier!, days: days! },
    })),
  );
  const ids = new Map<string, number>();
  const replayed: ReplayFlow[] = [];
  for (const { key, document, isOn, from } of flows) {
    await createFlow(db, key, document, from);
    const row = (await lockFlow(db, key))!;
    ids.set(key, row.id);
    if (!isOn) continue;
    await publishDraft(db, row, document.owner ?? 'Marla Quist', from);
    await setOccasions(db, row.id, document, end, STORE.zone);
    await setHeard(db, row.id, document);
    replayed.push({ key, document, isOn: true, zone: STORE.zone, from, offers: demoOffers });
  }

  const counts = { people: 0, events: 0, runs: 0, sends: 0 };
  let batch: DemoHistory[] = [];
  const flush = async () => {
    await write(db, batch, ids, new Map(flows.map((flow) => [flow.key, flow.document])));
    for (const { replayed: r } of batch) {
      counts.people += 1;
      counts.events += r.events.length;
      counts.runs += r.runs.length;
      counts.sends += r.sends.length;
    }
    batch = [];
  };
  for (const history of makeHistory({ people: peopleWanted, end, zone: STORE.zone, baseUrl: BASE, flows: replayed })) {
    batch.push(history);
    if (batch.length >= 4000) await flush();
  }
  await flush();
  await passCounters(db, ['people', 'events', 'runs', 'sends']);
  await settleAllCodes(db);
  await saveStanding(db, null, STORE.currency);
  await refreshCarts(db, null);
  await noteTrials(db, flows, ids);
  await rebuildCatalogue(db);
  await query(db, 'analyze');
  return counts;
}

/** Notes what trials of broadcasts were decided by: how many of each arm had opened by then. */
async function noteTrials(db: Db, flows: readonly { key: string; document: ReplayFlow['document'] }[], ids: ReadonlyMap<string, number>) {
  for (const { key, document } of flows)
    for (const step of stepsOf(document)) {
      if (step.kind !== 'test' || !step.won) continue;
      const { won, ...before } = step;
      const at = Date.parse(won.at);
      const rows = await query<{ arm: string; of: number; count: number }>(
        db,
        `select a as arm, count(*)::int as of, count(*) filter (where s.opened_at <= :at)::int as count
         from runs r cross join unnest(r.arms) a join sends s on s.person_id = r.person_id and s.run_id = r.id
         where r.flow_id = :flowId and s.sent_at <= :at and a = any(cast(:arms as text[])) group by 1`,
        { flowId: ids.get(key)!, at: new Date(at), arms: step.arms.map(({ id }) => id) },
      );
      const counts = Object.fromEntries(step.arms.map(({ id }) => [id, rows.find(({ arm }) => arm === id) ?? { of: 0, count: 0 }]));
      const { ahead } = testVerdict(countedArms(step.arms, counts), Math.max(...Object.values(counts).map(({ of }) => of)));
      await noteVerdict(db, { flowId: ids.get(key)!, step: before, at, arm: ahead, counts });
    }
}

/** Whether we tell of it ourselves: our messages, runs and codes. */
const isOurs = (type: string): boolean => /^(message|flow|code)\./.test(type);

/** Which order has used which code, for all that are on file. */
async function settleAllCodes(db: Db): Promise<void> {
  const people = await query<{ id: string }>(db, `select distinct person_id as id from orders where codes <> '{}'`);
  await countOffers(
    db,
    await settleCodes(
      db,
      people.map((row) => row.id),
    ),
  );
}

async function write(
  db: Db,
  batch: readonly DemoHistory[],
  flowIds: ReadonlyMap<string, number>,
  documents: ReadonlyMap<string, ReplayFlow['document']>,
): Promise<void> {
  const at = (ms: number | null) => (ms === null ? null : new Date(ms));
  await copyInto(
    db,
    'people',
    ['id', 'external_id', 'external_at', 'attributes', 'stamped', 'created_at', 'seen_at'],
    batch.map(({ person, replayed }) => [
      person.id,
      person.externalId,
      at(person.createdAt),
      person.attributes,
      Object.fromEntries(Object.keys(person.attributes).map((name) => [name, Math.round(person.createdAt)])),
      at(person.createdAt),
      at(replayed.events.filter((event) => !event.type.startsWith('message.')).at(-1)?.time ?? person.createdAt),
    ]),
  );
  await copyInto(
    db,
    'identifiers',
    ['kind', 'value', 'person_id', 'first_at'],
    batch.flatMap(({ person }) => [
      ['external', person.externalId, person.id, at(person.createdAt)],
      ['email', String(person.attributes.email), person.id, at(person.createdAt)],
      ...(person.attributes.phone ? [['phone', String(person.attributes.phone), person.id, at(person.createdAt)]] : []),
    ]),
  );

  const consents: (string | Date | null)[][] = [];
  const log: (string | Date | null)[][] = [];
  const suppressions: (string | Date | null)[][] = [];
  for (const { person, replayed } of batch) {
    let state = person.consent;
    let since = person.createdAt;
    const address = String(person.attributes.email);
    const first =
      state === 'given'
        ? ['checkout', CHECKOUT_WORDING, 'unticked', countryCode(String(person.attributes.country))]
        : ['asked by mail to be left alone', null, null, null];
    let last: (string | null)[] = first;
    if (state) log.push([person.id, 'email', state, at(since), ...first, address]);
    for (const change of replayed.changes) {
      if (change.kind === 'suppression') suppressions.push(['email', address, String(change.is), at(change.at)]);
      if (change.kind !== 'consent') continue;
      state = 'withdrawn';
      since = change.at;
      last = ['unsubscribe link in a message', null, null, null];
      log.push([person.id, 'email', state, at(since), ...last, address]);
    }
    if (state) consents.push([person.id, 'email', state, at(since), ...last]);
  }
  await copyInto(db, 'consents', ['person_id', 'channel', 'state', 'at', 'how', 'wording', 'box', 'country'], consents);
  await copyInto(db, 'consent_log', ['person_id', 'channel', 'state', 'at', 'how', 'wording', 'box', 'country', 'address'], log);
  await copyInto(db, 'suppressions', ['channel', 'address', 'reason', 'at'], dedupe(suppressions));

  await copyInto(
    db,
    'fact_changes',
    ['person_id', 'at', 'kind', 'name', 'was', '"is"', 'cause'],
    batch.flatMap(({ person, replayed }) =>
      replayed.changes.map((change) => [
        person.id,
        at(change.at),
        change.kind,
        change.name,
        change.was === null ? null : JSON.stringify(change.was),
        change.is === null ? null : JSON.stringify(change.is),
        change.kind === 'consent' || change.is === 'unsubscribed' ? 'unsubscribe link in a message' : 'bounced',
      ]),
    ),
  );

  await copyInto(
    db,
    'events',
    ['id', 'person_id', 'type', 'time', 'source', 'event_id', 'properties', 'received_at', 'source_id'],
    (function* () {
      for (const { person, replayed } of batch) {
        const codes = new Map(
          replayed.codes.map((one) => [`${one.at} ${one.effect.stepId}`, codeOfRun(one.run.id, person.attributes.firstName)]),
        );
        for (const event of replayed.events) {
          yield [
            event.id,
            person.id,
            event.type,
            at(event.time),
            isOurs(event.type) ? 'viatic' : /^(app|account)\./.test(event.type) ? 'tanklog/app' : 'quillfin/shop',
            event.id,
            event.type === CODE_ISSUED
              ? { ...event.properties, code: codes.get(`${event.time} ${String(event.properties.step)}`) ?? null }
              : event.properties,
            at(event.time),
            isOurs(event.type) ? 1 : shopSource,
          ];
        }
      }
    })(),
  );

  await copyInto(
    db,
    'runs',
    [
      'person_id',
      'id',
      'flow_id',
      'version',
      'trigger',
      'key',
      'phase',
      'armed_at',
      'entered_at',
      'about_event',
      'about_at',
      'step',
      'wait_until',
      'goal_at',
      'answers',
      'outcome',
      'ended_at',
      'arms',
      'effects',
      'seq',
      'wake_at',
      'wakes_on',
    ],
    batch.flatMap(({ person, replayed }) =>
      replayed.runs.map(({ flowKey, armedAt, run, wakeAt, wakesOn, trace }) => [
        person.id,
        run.id,
        flowIds.get(flowKey)!,
        1,
        run.about.trigger,
        run.about.key,
        run.phase,
        at(armedAt),
        at(run.enteredAt),
        run.about.eventId,
        at(run.about.at),
        run.step,
        at(run.waitUntil),
        at(run.goalAt),
        Object.keys(run.answers).length ? run.answers : null,
        run.outcome,
        run.outcome ? at(trace.at(-1)?.at ?? armedAt) : null,
        trace.flatMap((entry) => entry.armId ?? []),
        run.effects,
        run.seq,
        at(wakeAt),
        [...wakesOn],
      ]),
    ),
  );
  await copyInto(
    db,
    'traces',
    ['person_id', 'run_id', 'seq', 'at', 'version', 'step_id', 'kind', 'arm', 'saw'],
    (function* () {
      for (const { person, replayed } of batch) {
        for (const { run, trace } of replayed.runs)
          for (const entry of trace)
            yield [
              person.id,
              run.id,
              entry.seq,
              at(entry.at),
              1,
              entry.stepId,
              entry.kind,
              entry.armId ?? null,
              entry.saw ? { ...entry.saw } : null,
            ];
      }
    })(),
  );

  await copyInto(
    db,
    'sends',
    [
      'person_id',
      'id',
      'run_id',
      'flow_id',
      'version',
      'step_id',
      'visit',
      'state',
      'subject',
      'queued_at',
      'sent_at',
      'delivered_at',
      'opened_at',
      'clicked_at',
    ],
    (function* () {
      for (const { person, replayed } of batch) {
        for (const send of replayed.sends) {
          const own = (type: string) =>
            replayed.events.find((event) => event.type === type && event.properties.sendId === send.id)?.time ?? null;
          const step = planOf(documents.get(send.flowKey)!).steps.get(send.effect.stepId);
          const subject =
            step?.kind === 'send' ? personalise(headOf(step.message), { person: person.attributes, event: {}, store: STORE }) : null;
          const delivered = own('message.delivered');
          yield [
            person.id,
            send.id,
            send.run.id,
            flowIds.get(send.flowKey)!,
            1,
            send.effect.stepId,
            send.effect.visit,
            own('message.bounced') ? 'bounced' : delivered ? 'delivered' : 'sent',
            subject,
            at(send.at),
            at(send.at),
            at(delivered),
            at(own('message.opened')),
            at(own('message.clicked')),
          ];
        }
      }
    })(),
  );

  await copyInto(
    db,
    'codes',
    ['spelling', 'code', 'offer', 'person_id', 'run_id', 'flow_id', 'step_id', 'visit', 'how', 'issued_at', 'expires_at'],
    batch.flatMap(({ person, replayed }) =>
      replayed.codes.map(({ flowKey, run, effect, at: moment }) => {
        const code = codeOfRun(run.id, person.attributes.firstName);
        const { offer, stepId, visit, expiresAt } = effect;
        return [spellingOf(code), code, offer, person.id, run.id, flowIds.get(flowKey)!, stepId, visit, 'flow', at(moment), at(expiresAt)];
      }),
    ),
  );

  const orders: (string | number | boolean | Date | string[] | null)[][] = [];
  const credits: (string | number | Date)[][] = [];
  const bookings: (string | number | Date)[][] = [];
  for (const { person, replayed } of batch) {
    const sends = new Map(replayed.sends.map((send) => [send.id, send]));
    for (const { order, money, bookings: booked, credits: own } of ledgerOf(replayed.events, STORE.currency, (id) => sends.has(id))) {
      orders.push([
        person.id,
        order.orderId,
        order.cartId,
        order.currency,
        order.valueMinor,
        order.discountMinor,
        order.refundedMinor,
        order.isCancelled,
        at(order.placedAt),
        [...order.codes],
        money?.taxMinor ?? 0,
        money?.shippingMinor ?? 0,
        booked.reduce((sum, { minor }) => sum + minor, 0),
      ]);
      for (const { part, minor, at: moment } of booked) bookings.push([person.id, order.orderId, part, minor, order.currency, at(moment)!]);
      for (const credit of own) {
        const send = sends.get(credit.sendId)!;
        credits.push([
          person.id,
          order.orderId,
          credit.sendId,
          credit.model,
          credit.part,
          flowIds.get(send.flowKey)!,
          send.effect.stepId,
          credit.because,
          credit.minor,
          order.currency,
          at(credit.at)!,
        ]);
      }
    }
  }
  await copyInto(
    db,
    'orders',
    [
      'person_id',
      'order_id',
      'cart_id',
      'currency',
      'value_minor',
      'discount_minor',
      'refunded_minor',
      'is_cancelled',
      'placed_at',
      'codes',
      'tax_minor',
      'shipping_minor',
      'net_minor',
    ],
    orders,
  );
  await copyInto(db, 'bookings', ['person_id', 'order_id', 'part', 'minor', 'currency', 'at'], bookings);
  await copyInto(
    db,
    'credits',
    ['person_id', 'order_id', 'send_id', 'model', 'part', 'flow_id', 'step_id', 'because', 'minor', 'currency', 'placed_at'],
    credits,
  );
}

function dedupe<T extends readonly unknown[]>(rows: readonly T[]): T[] {
  const seen = new Map<unknown, T>();
  for (const row of rows) if (!seen.has(row[1])) seen.set(row[1], row);
  return [...seen.values()];
}

main().catch((error: Error) => {
  console.error(error.stack);
  process.exit(1);
});
