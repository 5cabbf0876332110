import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { flowWith, letter } from '@/core/flows/testing/asking';
import type { Step } from '@/core/flows';
import { query } from '@/data/db';
import { makeList } from '../people';
import { happening, openLab, type Lab } from '../testing/lab';
import { callsView, retryCall } from '.';

let lab: Lab;
let server: Server;
let host: string;
let status = 200;
const posted: { room: string; body: unknown; id: string }[] = [];
beforeAll(async () => {
  server = createServer((request, response) => {
    let body = '';
    request.on('data', (chunk) => (body += String(chunk)));
    request.on('end', () => {
      posted.push({ room: request.url!, body: JSON.parse(body), id: String(request.headers['webhook-id']) });
      response.writeHead(status).end('ok');
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
  posted.length = 0;
  status = 200;
  await lab.empty('flows', 'flow_versions', 'asks', 'lists');
});

const flowOf = (...steps: Step[]) =>
  flowWith({ name: 'Notes', triggers: [{ id: 'start', kind: 'event', event: 'order.placed', key: 'orderId' }], steps });
const order = (orderId: string, more: object = {}) =>
  happening('order.placed', {
    orderId,
    value: 900,
    currency: 'EUR',
    person: { email: `${orderId}@example.com`, firstName: 'Robin', consent: { email: true }, ...more },
  });
const note = (to: object): Step =>
  ({ id: 'note', kind: 'note', name: 'A big order', to, text: '{{ person.firstName }} has ordered for {{ event.value }}' }) as Step;
const asks = () => query<{ kind: string; state: string; error: string | null }>(lab.db, 'select kind, state, error from asks order by id');

describe('a note to a colleague', () => {
  it('goes out once as a letter that leads to the person; nothing in it is taken for a placeholder', async () => {
    await lab.addFlow('notes', flowOf(note({ email: 'marla@shop.example' }), letter('thanks')));
    await lab.tell(order('o1', { firstName: '{{ store.address }}<b>' }));
    await lab.settle();
    await lab.settle();
    const [mail, ...others] = lab.inbox.filter(({ to }) => [to].flat()[0]!.text === 'marla@shop.example');
    expect(others).toEqual([]);
    expect(mail!.subject).toBe('A big order');
    expect(mail!.text).toContain('{{ store.address }}<b> has ordered for 900');
    expect(mail!.text).toMatch(/http:\/\/localhost:4400\/people\/~\d+/);
    expect(mail!.headers.has('list-unsubscribe')).toBe(false);
    // the person themselves get what the flow says next
    expect(lab.inbox.map(({ subject }) => subject)).toContain('thanks');
    expect(await asks()).toEqual([{ kind: 'note', state: 'done', error: null }]);
  });

  it('goes to whom an attribute names; where it names nobody the note is listed as failed, and the run has gone on', async () => {
    await lab.addFlow('notes', flowOf(note({ attribute: 'accountManager' }), letter('thanks')));
    await lab.tell([order('o1', { accountManager: 'kim@shop.example' }), order('o2')]);
    await lab.settle();
    expect(lab.inbox.map(({ to }) => [to].flat()[0]!.value[0]!.address).sort()).toEqual([
      'kim@shop.example',
      'o1@example.com',
      'o2@example.com',
    ]);
    expect((await asks()).map(({ state, error }) => [state, error])).toEqual([
      ['done', null],
      ['failed', 'there is no email address under accountManager'],
    ]);
    expect((await callsView(lab.db)).totals.failed).toBe(1);
  });

  it('to a room of a chat is a signed POST of its text; a room that is away is tried again under the same name', async () => {
    status = 503;
    await lab.addFlow('notes', flowOf(note({ chat: `http://${host}/rooms/orders` }), letter('thanks')));
    await lab.tell(order('o1'));
    await lab.settle();
    expect(lab.inbox.map(({ subject }) => subject)).toEqual(['thanks']);
    expect((await asks()).map(({ state, error }) => [state, error])).toEqual([['open', 'answered 503']]);
    status = 200;
    await query(lab.db, `update graphile_worker._private_jobs set run_at = now()`);
    await lab.settle();
    expect(posted).toHaveLength(2);
    expect(new Set(posted.map(({ id }) => id)).size).toBe(1);
    expect(posted[1]).toMatchObject({
      room: '/rooms/orders',
      body: { text: expect.stringMatching(/^Robin has ordered for 900\nhttp/) as string },
    });
    expect((await asks()).map(({ state }) => state)).toEqual(['done']);
  });

  it('that was refused can be sent again by hand', async () => {
    status = 400;
    await lab.addFlow('notes', flowOf(note({ chat: `http://${host}/rooms/orders` })));
    await lab.tell(order('o1'));
    await lab.settle();
    const { calls } = await callsView(lab.db);
    expect(calls).toMatchObject([{ state: 'failed', error: 'answered 400' }]);
    status = 200;
    await retryCall(lab.db, calls[0]!.id, 'Marla');
    await lab.settle();
    expect((await callsView(lab.db)).totals).toEqual({ open: 0, failed: 0, done: 1 });
    // it is no call that anything waits for: nothing is told of it
    expect(await query(lab.db, `select 1 from events where type = 'call.ended'`)).toEqual([]);
  });
});

describe('an update of others', () => {
  const update = (more: object = {}): Step =>
    ({
      id: 'up',
      kind: 'update',
      name: 'Home',
      changes: [
        { do: 'tag', tag: 'home' },
        { do: 'add', name: 'points', by: 10 },
        { do: 'set', name: 'lastOrder', from: 'orderId' },
        { do: 'list', list: 'club' },
      ],
      others: { by: 'household', most: 2 },
      ...more,
    }) as Step;
  const people = () =>
    query<{ email: string; tags: string[]; points: number | null; last: string | null; lists: string[] }>(
      lab.db,
      `select p.email, array(select tag from person_tags t where t.person_id = p.id) as tags, (p.attributes ->> 'points')::int as points,
         p.attributes ->> 'lastOrder' as last,
         array(select l.key from list_members m join lists l on l.id = m.list_id where m.person_id = p.id) as lists
       from people p order by p.id`,
    );
  const member = (name: string, household: string | null, more: object = {}) =>
    happening('account.created', { person: { email: `${name}@example.com`, ...(household && { household }), ...more } });

  it('reaches those of the same household, as many as may be, once each, with the flow as its cause', async () => {
    await makeList(lab.db, { name: 'Club' }, 'Marla');
    await lab.tell([
      member('a', 'H1'),
      member('b', ' h1 ', { points: 5 }),
      member('c', 'H1'),
      member('d', 'H1'),
      member('e', 'H2'),
      member('f', null),
    ]);
    await lab.addFlow('home', flowOf(update()));
    await lab.tell(order('x', { email: 'c@example.com' }));
    await lab.settle();
    await lab.settle();
    const changed = { tags: ['home'], points: 10, last: 'x', lists: ['club'] };
    const left = { tags: [], points: null, last: null, lists: [] };
    expect((await people()).map(({ email, ...rest }) => [email[0], rest])).toEqual([
      ['a', changed],
      ['b', { ...changed, points: 15 }],
      ['c', changed],
      ['d', left],
      ['e', left],
      ['f', left],
    ]);
    expect(await query(lab.db, `select distinct cause from fact_changes where kind = 'tag'`)).toEqual([{ cause: 'flow home' }]);
    expect(await query(lab.db, `select count(*)::int as n from events where type = 'list.joined'`)).toEqual([{ n: 3 }]);
    expect(await asks()).toEqual([{ kind: 'others', state: 'done', error: null }]);
  });

  it('two of one household at the same moment: each counts for the other', async () => {
    await makeList(lab.db, { name: 'Club' }, 'Marla');
    await lab.tell([member('a', 'H1'), member('b', 'H1')]);
    await lab.addFlow('home', flowOf(update()));
    await lab.tell([order('x', { email: 'a@example.com' }), order('y', { email: 'b@example.com' })]);
    await lab.settle();
    expect((await people()).map(({ points }) => points)).toEqual([20, 20]);
  });

  it('somebody without a household changes nobody else', async () => {
    await lab.tell([member('a', null), member('b', null)]);
    await lab.addFlow('home', flowOf(update({ changes: [{ do: 'tag', tag: 'home' }] })));
    await lab.tell(order('x', { email: 'a@example.com' }));
    await lab.settle();
    expect((await people()).map(({ tags }) => tags)).toEqual([['home'], []]);
    expect(await asks()).toEqual([]);
  });
});
