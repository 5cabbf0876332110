import { randomBytes } from 'node:crypto';
import { run } from 'graphile-worker';
import { inject } from 'vitest';
import { SMTPServer } from 'smtp-server';
import { simpleParser, type ParsedMail } from 'mailparser';
import { flowSchema, type FlowDocument } from '@/core/flows';
import { addDuration, type Instant } from '@/core/time';
import { cartLeftBehind } from '../../demo/flows';
import { connect, query, type Db } from '@/data/db';
import { createFlow } from '@/data/flows';
import { SCOPES } from '@/core/sources';
import { createStore, moveClockTo, readStore } from '@/data/store';
import { tasksOf } from '../program';
import { drain, publishFlow } from '../flows';
import { ingest, type IngestAnswer } from '../ingest';
import { openMailer, type Dispatch, type Mailer } from '../messages';

/** A store in a database of its own, with a real mail server: what the tests of the server work in. */
export interface Lab {
  readonly db: Db;
  readonly url: string;
  readonly inbox: ParsedMail[];
  now(): Promise<Instant>;
  tell(events: object | object[]): Promise<IngestAnswer>;
  /** Moves store time on, running what falls due and carrying the sends out. */
  pass(duration: string): Promise<void>;
  settle(): Promise<void>;
  addFlow(key: string, document: FlowDocument): Promise<void>;
  /** forgets all people and what belongs to them, and what stands in further tables */
  empty(...further: string[]): Promise<void>;
  close(): Promise<void>;
}

export async function openLab(
  options: { flow?: FlowDocument | null; inside?: readonly string[]; gateways?: Dispatch['gateways'] } = {},
): Promise<Lab> {
  const adminUrl = inject('databaseUrl');
  const name = `lab_${randomBytes(6).toString('hex')}`;
  const admin = connect(adminUrl, 1);
  await query(admin, `create database ${name} template template_viatic`);
  await admin.destroy();
  const url = adminUrl.replace(/\/[^/]*$/, `/${name}`);
  const db = connect(url, 8);
  await createStore(db, {
    name: 'Quillfin',
    address: 'Sluiskade 14',
    fromEmail: 'hello@quillfin.example',
    currency: 'EUR',
    zone: 'Europe/Amsterdam',
  });

  const inbox: ParsedMail[] = [];
  const server = new SMTPServer({
    authOptional: true,
    disabledCommands: ['STARTTLS', 'AUTH'],
    logger: false,
    onRcptTo: ({ address }, _session, done) =>
      done(address.startsWith('refuse') ? Object.assign(new Error('no such mailbox'), { responseCode: 550 }) : undefined),
    onData(stream, _session, done) {
      void simpleParser(stream, {}).then((mail) => {
        inbox.push(mail);
        done();
      });
    },
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', () => resolve()));
  const { port } = server.server.address() as { port: number };
  const mailer: Mailer = openMailer(`smtp://127.0.0.1:${port}`);
  const context = {
    db,
    mailer,
    url: 'http://localhost:4400',
    secret: 'a-secret-for-tests-of-32-characters!',
    inside: options.inside ?? [],
    ...(options.gateways && { gateways: options.gateways }),
  };

  const lab: Lab = {
    db,
    url,
    inbox,
    now: async () => (await readStore(db)).now,
    tell: (events) => ingest(db, events),
    async settle() {
      await drain(db);
      const runner = await run({
        connectionString: url,
        concurrency: 1,
        noHandleSignals: true,
        pollInterval: 20,
        taskList: tasksOf(context),
        logger: new (await import('graphile-worker')).Logger(() => () => {}),
      });
      for (;;) {
        const [row] = await query<{ open: number }>(
          db,
          'select count(*)::int as open from graphile_worker.jobs where run_at <= now() and attempts < max_attempts',
        );
        if (!row!.open) break;
        await new Promise((resolve) => setTimeout(resolve, 10));
      }
      await runner.stop();
    },
    async pass(duration) {
      const store = await readStore(db);
      await moveClockTo(db, addDuration(store.now, duration, store.zone));
      await lab.settle();
    },
    async addFlow(key, document) {
      await createFlow(db, key, flowSchema.parse(document), (await readStore(db)).now);
      await publishFlow(db, key, 'test');
    },
    async empty(...further) {
      await query(db, `truncate ${[...OF_PEOPLE, ...further].join(', ')} cascade`);
    },
    async close() {
      mailer.close();
      await db.destroy();
      await new Promise<void>((resolve) => server.close(() => resolve()));
    },
  };
  const flow = options.flow === undefined ? cartLeftBehind : options.flow;
  if (flow) await lab.addFlow('cart-left-behind', flow);
  return lab;
}

/** Tables of people and of what happens to them. */
const OF_PEOPLE = [
  'people, identifiers, weak_claims, shared_identifiers, standing, merges, fact_changes',
  'consents, consent_log, suppressions, declined_topics, person_tags, list_members, list_log',
  'segment_members, segment_log, segment_looks',
  'event_keys, events, arrivals, orders, bookings, credits, carts, predictions, runs, traces, sends, letters, confirmations, asks, changes_to_tell, codes',
];

/** Somebody who may do everything. */
export const anybody = { name: 'test', scopes: SCOPES };

let counter = 0;
/** An event with an id of its own. */
export const happening = (type: string, data: object, more: object = {}) => ({ id: `e${++counter}`, source: 'test', type, data, ...more });

/** A cart that somebody who can be emailed has updated. */
export const cart = (email: string, value: number, more: { cartId?: string; subject?: string; time?: string; id?: string } = {}) =>
  happening(
    'cart.updated',
    {
      cartId: more.cartId ?? `cart-of-${email}`,
      currency: 'EUR',
      value,
      items: [{ sku: 'QF-T060', name: 'Shoreline tank 60 l', quantity: 1, price: value }],
      checkoutUrl: 'http://shop.example/cart/1',
      person: { email, consent: { email: true } },
    },
    { ...(more.subject && { subject: more.subject }), ...(more.time && { time: more.time }), ...(more.id && { id: more.id }) },
  );
