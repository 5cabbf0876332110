import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { Webhook } from 'standardwebhooks';
import type { Step } from '@/core/flows';
import { flowWith, letter } from '@/core/flows/testing/asking';
import { query } from '@/data/db';
import { listAsks } from '@/data/asks';
import { eraseById } from '../people';
import { happening, openLab, type Lab } from '../testing/lab';
import { callsView, closeTask, makeCall, renewSecret, retryCall, tasksView } from '.';
import { tryCall } from '../outgoing';

let lab: Lab;
let server: Server;
let host: string;
let answer: (request: IncomingMessage, body: string, response: ServerResponse) => void;
const received: { headers: IncomingMessage['headers']; body: string }[] = [];
beforeAll(async () => {
  server = createServer((request, response) => {
    let body = '';
    request.on('data', (chunk) => (body += String(chunk)));
    request.on('end', () => {
      received.push({ headers: request.headers, body });
      answer(request, body, response);
    });
  });
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  host = `127.0.0.1:${(server.address() as AddressInfo).port}`;
  lab = await openLab({ flow: null, inside: [host] });
});
afterAll(async () => {
  server.closeAllConnections();
  await new Promise((done) => server.close(done));
  await lab.close();
});
beforeEach(async () => {
  lab.inbox.length = 0;
  received.length = 0;
  await lab.empty('flows', 'flow_versions', 'asks');
});

const json = (response: ServerResponse, status: number, body: unknown) => {
  response.writeHead(status, { 'content-type': 'application/json' });
  response.end(typeof body === 'string' ? body : JSON.stringify(body));
};
const two = (step: string) => [
  { id: `${step}-yes`, name: 'It came', when: null, steps: [letter('good')] },
  { id: `${step}-no`, name: 'It did not', when: null, steps: [letter('bad')] },
];
const call = (more: object = {}): Step =>
  ({
    id: 'ask',
    kind: 'call',
    name: 'Points',
    url: `http://${host}/points`,
    body: '{"to": "{{ person.email }}", "order": "{{ event.orderId }}", "value": "{{ event.value }}"}',
    within: 'PT2H',
    arms: two('ask'),
    ...more,
  }) as Step;
const order = (email: string, orderId: string) =>
  happening('order.placed', { orderId, value: 12.5, currency: 'EUR', person: { email, consent: { email: true }, manager: 'Ines' } });
const subjects = () => lab.inbox.map((mail) => mail.subject);
const only = async () =>
  (await query<{ id: string; state: string; tries: number; error: string | null }>(lab.db, 'select * from asks'))[0]!;

describe('a call', () => {
  it('is made once with a signature that whoever is called can check, and its answer decides the way', async () => {
    const { secret } = await renewSecret(lab.db, 'Marla');
    answer = (_, __, response) => json(response, 200, { points: 120 });
    await lab.addFlow('points', flowWith({ steps: [call()] }));
    await lab.tell(order('a@example.com', 'o1'));
    await lab.settle();
    await lab.settle();
    expect(received).toHaveLength(1);
    const [{ headers, body }] = received as [(typeof received)[number]];
    expect(JSON.parse(body)).toEqual({ to: 'a@example.com', order: 'o1', value: 12.5 });
    const signed = headers as Record<string, string>;
    expect(() => new Webhook(secret).verify(body, signed)).not.toThrow();
    expect(() => new Webhook(secret).verify(`${body} `, signed)).toThrow();
    expect(signed['webhook-id']).toMatch(/^run\/\d+\/ask\/1$/);
    expect(subjects()).toEqual(['good']);
    expect(await query(lab.db, `select answers -> 'ask' -> 'data' as data from runs`)).toEqual([{ data: { points: 120, status: 200 } }]);
    expect((await callsView(lab.db)).calls).toMatchObject([{ state: 'done', tries: 1, error: null, person: { name: 'a@example.com' } }]);
  });

  it('that fails for now is tried again, that fails for good goes the other way and can be made again', async () => {
    const answers = [503, 429, 200];
    answer = (_, __, response) => json(response, answers.shift() ?? 200, {});
    await lab.addFlow('points', flowWith({ steps: [call()] }));
    await lab.tell(order('a@example.com', 'o1'));
    await lab.settle();
    expect(await only()).toMatchObject({ state: 'open', tries: 1, error: 'answered 503' });
    await makeCall({ db: lab.db, inside: [host] }, (await only()).id);
    expect(await only()).toMatchObject({ state: 'open', tries: 2, error: 'answered 429' });
    expect(subjects()).toEqual([]);
    await makeCall({ db: lab.db, inside: [host] }, (await only()).id);
    await lab.settle();
    expect(subjects()).toEqual(['good']);
    // all tries bear one name
    expect(new Set(received.map(({ headers }) => headers['webhook-id'])).size).toBe(1);

    lab.inbox.length = 0;
    answer = (_, __, response) => json(response, 400, 'no such order');
    await lab.tell(order('b@example.com', 'o2'));
    await lab.settle();
    await lab.settle();
    expect(subjects()).toEqual(['bad']);
    const failed = (await callsView(lab.db)).calls.find((one) => one.state === 'failed')!;
    expect(failed).toMatchObject({ tries: 1, error: 'answered 400' });
    answer = (_, __, response) => json(response, 200, {});
    await retryCall(lab.db, failed.id, 'Marla');
    await expect(retryCall(lab.db, failed.id, 'Marla')).rejects.toMatchObject({ status: 409 });
    await lab.settle();
    expect((await callsView(lab.db)).totals).toEqual({ open: 0, failed: 0, done: 2 });
    expect(await query(lab.db, `select count(*)::int as n from events where type = 'call.ended'`)).toEqual([{ n: 3 }]);
  });

  it('is given up when the time of its step is over, and its run goes on by then', async () => {
    answer = (_, __, response) => json(response, 500, {});
    await lab.addFlow('points', flowWith({ steps: [call({ within: 'PT1M' })] }));
    await lab.tell(order('a@example.com', 'o1'));
    await lab.settle();
    await lab.pass('PT2M');
    expect(subjects()).toEqual(['bad']);
    await makeCall({ db: lab.db, inside: [host] }, (await only()).id);
    expect(await only()).toMatchObject({ state: 'failed', error: 'answered 500' });
  });

  it('that hangs, lies, leads elsewhere or says too much is told apart; nothing on the inside is reached that is not named', async () => {
    const secret = 'whsec_c2VjcmV0IHNlY3JldCBzZWNyZXQgc2VjcmV0';
    const trying = (path: string, more: object = {}) =>
      tryCall({ url: `http://${host}${path}`, id: 'run/1/ask/1', body: '{}', secret, inside: [host], ...more });
    answer = ({ url }, _, response) => {
      if (url === '/lies') json(response, 200, '{"a": ');
      else if (url === '/list') json(response, 200, [1, 2]);
      else if (url === '/much') json(response, 200, 'x'.repeat(100_000));
      else if (url === '/broken') response.destroy();
      else if (url === '/away') {
        response.writeHead(302, { location: 'http://169.254.169.254/latest' });
        response.end();
      } else json(response, 200, { deep: { a: [1] } });
    };
    expect(await trying('/well')).toEqual({ ok: true, status: 200, answer: { deep: { a: [1] } } });
    expect(await trying('/lies')).toEqual({ ok: true, status: 200, answer: {} });
    expect(await trying('/list')).toEqual({ ok: true, status: 200, answer: {} });
    expect(await trying('/much')).toMatchObject({ ok: false, canHelp: false });
    expect(await trying('/broken')).toMatchObject({ ok: false, because: 'broke the connection off', canHelp: true });
    expect(await trying('/away')).toMatchObject({ ok: false, status: 302, canHelp: false });
    const forbidden = { ok: false, because: 'lies on the inside of our network and must not be called', canHelp: false };
    expect(await trying('/well', { inside: [] })).toMatchObject(forbidden);
    for (const url of [
      'http://localhost:1/',
      'http://10.1.2.3/',
      'http://169.254.169.254/',
      'http://[::1]:1/',
      'http://2130706433/',
      'http://[::ffff:127.0.0.1]/',
    ])
      expect(await trying('', { url, inside: [host] }), url).toMatchObject(forbidden);
    expect(await trying('', { url: 'http://nobody.invalid/', inside: [] })).toMatchObject({ ok: false, canHelp: true });
  });

  it('to a host that hangs holds up no other', async () => {
    const hanging: ServerResponse[] = [];
    answer = ({ url }, _, response) => (url === '/hangs' ? void hanging.push(response) : json(response, 200, {}));
    await lab.addFlow('hangs', flowWith({ steps: [call({ url: `http://${host}/hangs`, arms: undefined })] }));
    for (let n = 0; n < 12; n++) await lab.tell(order(`h${n}@example.com`, `h${n}`));
    const asks =
      (await (await import('../flows')).drain(lab.db)) && (await query<{ id: string }>(lab.db, 'select id from asks order by id'));
    expect(asks).toHaveLength(12);
    const all = (asks || []).map(({ id }) => makeCall({ db: lab.db, inside: [host] }, id));
    let over = 0;
    for (const one of all) void one.then(() => (over += 1));
    // four at most are on their way and stay there, the others are put off
    while (over + hanging.length < 12) await new Promise((done) => setTimeout(done, 20));
    expect(hanging.length).toBeGreaterThan(0);
    expect(hanging.length).toBeLessThanOrEqual(4);
    for (const response of hanging) response.destroy();
    await Promise.all(all);
  });
});

describe('a task', () => {
  const task = (more: object = {}): Step =>
    ({
      id: 'phone',
      kind: 'task',
      name: 'Phone them',
      text: 'About order {{ event.orderId }} of {{ person.email }}',
      owner: { attribute: 'manager' },
      within: 'P2D',
      arms: two('phone'),
      ...more,
    }) as Step;

  it('is written for whom an attribute names, and closing it lets its person go on at once', async () => {
    await lab.addFlow('phone', flowWith({ steps: [task()] }));
    await lab.tell([order('a@example.com', 'o1'), order('b@example.com', 'o2')]);
    await lab.settle();
    const { total, tasks } = await tasksView(lab.db);
    expect(total).toBe(2);
    expect(tasks[0]).toMatchObject({ title: 'Phone them', owner: 'Ines', text: 'About order o1 of a@example.com', isLate: false });
    await closeTask(lab.db, tasks[0]!.id, { state: 'done', note: 'spoke' }, 'Ines');
    await closeTask(lab.db, tasks[1]!.id, { state: 'declined' }, 'Ines');
    await expect(closeTask(lab.db, tasks[1]!.id, { state: 'done' }, 'Ines')).rejects.toMatchObject({ status: 409 });
    await expect(closeTask(lab.db, 'nothing', { state: 'done' }, 'Ines')).rejects.toMatchObject({ status: 404 });
    await expect(closeTask(lab.db, tasks[0]!.id, { state: 'late' }, 'Ines')).rejects.toMatchObject({ status: 422 });
    await lab.settle();
    expect(subjects().sort()).toEqual(['bad', 'good']);
    expect(await query(lab.db, `select answers -> 'phone' -> 'data' as data from runs order by id limit 1`)).toEqual([
      { data: { by: 'Ines', note: 'spoke' } },
    ]);
    expect((await tasksView(lab.db, { state: 'done' })).tasks).toMatchObject([{ closedBy: 'Ines', note: 'spoke' }]);
    expect((await tasksView(lab.db, { state: 'declined' })).total).toBe(1);
  });

  it('that is not done in time is late, its person has gone on, and it can still be closed', async () => {
    await lab.addFlow('phone', flowWith({ steps: [task()] }));
    await lab.tell(order('a@example.com', 'o1'));
    await lab.settle();
    await lab.pass('P3D');
    expect(subjects()).toEqual(['bad']);
    const { tasks } = await tasksView(lab.db);
    expect(tasks).toMatchObject([{ isLate: true }]);
    await closeTask(lab.db, tasks[0]!.id, { state: 'done' }, 'Ines');
    await lab.settle();
    expect(subjects()).toEqual(['bad']);
  });

  it('goes with its person when they are erased', async () => {
    await lab.addFlow('phone', flowWith({ steps: [task()] }));
    await lab.tell(order('a@example.com', 'o1'));
    await lab.settle();
    const { rows } = await listAsks(lab.db, { kind: ['task'], state: 'open', now: Date.now() });
    await eraseById(lab.db, rows[0]!.person, 'Marla');
    expect(await query(lab.db, 'select 1 from asks')).toEqual([]);
  });
});
