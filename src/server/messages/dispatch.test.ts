import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { createServer } from 'node:net';
import { Client } from 'pg';
import { inForms } from '@/core/flows/testing/asking';
import { NO_LIMITS } from '@/core/limits';
import { localClock } from '@/core/time';
import { isAnythingDue, nextDue } from '@/data/flows';
import { moveClockTo } from '@/data/store';
import { changeStep, type FlowDocument, type SendStep } from '@/core/flows';
import { query } from '@/data/db';
import { cartLeftBehind } from '../../demo/flows';
import { erasePerson, unsubscribe } from '../people';
import { queueDispatch, settleSends, takeSend } from '@/data/messages';
import { enterWorker } from '@/data/work';
import { dispatch, giveUp, mailOfMessageId, messageIdOf, type Dispatch } from './dispatch';
import { drain, publishFlow, writeDraft } from '../flows';
import { openLink } from './links';
import { recordOwn } from '../ingest';
import { QUEUES, tasksOf } from '../program';
import { openTraffic } from './lanes';
import { openMailer, type Envelope, type Handed } from './mail';
import { writeTracking } from '../sending';
import { cart, happening, openLab, type Lab } from '../testing/lab';
import { noteTouch } from './touch';

const PHONE = 'Mozilla/5.0 (iPhone; CPU iPhone OS 17_5 like Mac OS X) AppleWebKit/605.1.15 (KHTML, like Gecko) Mobile/15E148';
const SECRET = 'a-secret-for-tests-of-32-characters!';
let lab: Lab;
beforeAll(async () => {
  lab = await openLab();
});
afterAll(() => lab.close());
let taken: Envelope[] = [];
beforeEach(async () => {
  taken = [];
  lab.inbox.length = 0;
  await lab.empty();
});

/** A mail server that does as it is told, one answer after another; then it takes everything. */
const context = (...answers: (Handed | Error)[]): Dispatch => ({
  db: lab.db,
  url: 'http://localhost:4400',
  secret: SECRET,
  mailer: {
    send: (envelope) => {
      const answer = answers.shift() ?? { taken: true };
      if (answer instanceof Error) return Promise.reject(answer);
      taken.push(envelope);
      return Promise.resolve(answer);
    },
    close: () => {},
  },
});
/** The sends that are due, once the silence of these carts is over; nothing has carried them out. */
const queued = async (...events: object[]) => {
  await lab.tell(events);
  await query(lab.db, `update runs set wake_at = now() - interval '1 minute', armed_at = armed_at - interval '2 hours'`);
  await query(lab.db, `update events set time = time - interval '2 hours'`);
  await drain(lab.db);
  await query(lab.db, 'delete from graphile_worker._private_jobs');
  return (await query<{ person_id: string; id: string }>(lab.db, `select person_id, id from sends where state = 'queued' order by id`)).map(
    (row) => ({ personId: row.person_id, id: row.id }),
  );
};
const sends = () =>
  query<{ state: string; reason: string | null; subject: string | null }>(lab.db, 'select state, reason, subject from sends order by id');

describe('carrying out what flows have decided', () => {
  it('each send is one mail, however often its job comes back', async () => {
    const refs = await queued(cart('a@example.com', 150), cart('b@example.com', 20));
    expect(refs).toHaveLength(2);
    await dispatch(context(), refs);
    await dispatch(context(), refs);
    expect(taken.map((mail) => mail.to.address).sort()).toEqual(['a@example.com', 'b@example.com']);
    expect((await sends()).map((send) => send.state)).toEqual(['sent', 'sent']);
  });

  it('a server that is out of order for a moment: the job fails, comes back, and those who have theirs get no second', async () => {
    const refs = await queued(cart('a@example.com', 150), cart('b@example.com', 20), cart('c@example.com', 30));
    await expect(dispatch(context({ taken: true }, new Error('421 try again later')), refs)).rejects.toThrow(
      '1 of 3 sends failed for now: 421 try again later',
    );
    expect((await sends()).map((send) => send.state).sort()).toEqual(['queued', 'sent', 'sent']);
    await dispatch(context(), refs);
    expect(taken.map((mail) => mail.to.address).sort()).toEqual(['a@example.com', 'b@example.com', 'c@example.com']);
    // the same mail at each try, so that no server takes it twice (RFC 5322 §3.6.4)
    expect(new Set(taken.map((mail) => mail.messageId)).size).toBe(3);
  });

  it('refused for good it has failed with the server’s words; given up it has failed with ours', async () => {
    const refs = await queued(cart('a@example.com', 150), cart('b@example.com', 20));
    await dispatch(context({ taken: false, reason: '550 no such mailbox' }), [refs[0]!]);
    await giveUp(context(), refs, 'gave up after 10 attempts');
    expect(await sends()).toMatchObject([
      { state: 'failed', reason: '550 no such mailbox' },
      { state: 'failed', reason: 'gave up after 10 attempts' },
    ]);
    await dispatch(context(), refs);
    expect(taken).toHaveLength(1);
  });

  it('looked at once more at the last moment: who has left, was put out of use or erased meanwhile gets nothing', async () => {
    const refs = await queued(cart('a@example.com', 150), cart('b@example.com', 20), cart('c@example.com', 30), cart('d@example.com', 40));
    await unsubscribe(lab.db, refs[0]!.personId, 'the link in a message');
    await query(lab.db, `insert into suppressions (channel, address, reason, at) values ('email', 'b@example.com', 'complained', now())`);
    await lab.db.transaction((trx) => erasePerson(trx, refs[2]!.personId, 'Marla'));
    await query(lab.db, `update people set paused_until = now() + interval '2 days' where id = :id`, { id: refs[3]!.personId });
    await dispatch(context(), refs);
    expect(taken).toEqual([]);
    expect(await sends()).toMatchObject([
      // suppressed by their own word, which is the stronger reason
      { state: 'skipped', reason: 'address is suppressed (unsubscribed)' },
      { state: 'skipped', reason: 'address is suppressed (complained)' },
      { state: 'skipped', reason: 'the person was erased' },
      { state: 'skipped', reason: 'asked for a pause that still lasts' },
    ]);
  });

  it('two at the same sends: one mail each', async () => {
    const refs = await queued(...Array.from({ length: 8 }, (_, n) => cart(`p${n}@example.com`, 20)));
    await Promise.all([dispatch(context(), refs), dispatch(context(), [...refs].reverse())]);
    expect(taken.map((mail) => mail.to.address).sort()).toEqual(Array.from({ length: 8 }, (_, n) => `p${n}@example.com`));
  });
});

describe('what limits keep back that was let go before', () => {
  const limited = async (limits: object | null) =>
    query(
      lab.db,
      limits
        ? `insert into settings (name, value) values ('limits', :value) on conflict (name) do update set value = excluded.value`
        : `delete from settings where name = 'limits'`,
      limits ? { value: JSON.stringify({ ...NO_LIMITS, ...limits }) } : {},
    );
  afterEach(() => limited(null));

  it('waits for the hours at which messages go out, and goes then, once', async () => {
    const refs = await queued(cart('a@example.com', 150));
    const now = await lab.now();
    const { weekday } = localClock(now, 'Europe/Amsterdam');
    await limited({ hours: { weekdays: [(weekday % 7) + 1] } });
    await dispatch(context(), refs);
    expect([taken, (await sends()).map(({ state }) => state)]).toEqual([[], ['queued']]);
    // handed over anew before its time it stays where it is
    expect(await isAnythingDue(lab.db, now)).toBe(false);
    const [kept] = await query<{ not_before: Date }>(lab.db, 'select not_before from sends');
    const due = kept!.not_before.getTime();
    expect(await nextDue(lab.db)).toBeLessThanOrEqual(due);
    expect(localClock(due, 'Europe/Amsterdam').minutes).toBe(0);
    await moveClockTo(lab.db, due);
    await lab.settle();
    expect((await sends()).filter(({ state }) => state === 'sent')).not.toEqual([]);
    expect(lab.inbox.filter(({ subject }) => subject === 'Your tank is still here, and so are we')).toHaveLength(1);
    expect(await isAnythingDue(lab.db, due)).toBe(false);
  });

  it('a cap that has been reached meanwhile swallows it, in words', async () => {
    const refs = await queued(cart('a@example.com', 150), cart('a@example.com', 160, { cartId: 'other' }));
    expect(refs).toHaveLength(2);
    await limited({ caps: [{ channel: 'email', most: 1, per: 'P1D' }] });
    await dispatch(context(), refs.slice(0, 1));
    await dispatch(context(), refs.slice(1));
    expect(taken).toHaveLength(1);
    expect((await sends()).map(({ state, reason }) => [state, reason])).toEqual([
      ['sent', null],
      ['skipped', 'a message in 1 day is the most that anybody gets'],
    ]);
  });
});

describe('a message with versions', () => {
  it('goes out in the form of the first whose rule holds, as it was when it was decided, and the trace says why', async () => {
    await lab.addFlow('versions', inForms);
    const [flow] = await query<{ id: number }>(lab.db, `select id from flows where key = 'versions'`);
    const order = (orderId: string, more: object) =>
      happening('order.placed', {
        orderId,
        value: 20,
        currency: 'EUR',
        person: { email: `${orderId}@example.com`, ...more, consent: { email: true } },
      });
    await lab.tell([order('nl', { language: 'nl' }), order('vip', { language: 'de', points: 900 }), order('rest', {})]);
    await drain(lab.db);
    // what is on file when it goes out does not change what was decided
    await query(lab.db, `update people set attributes = attributes || '{"language": "fr"}'`);
    await lab.settle();
    expect(lab.inbox.map(({ to, subject }) => [[to].flat()[0]!.text.split('@')[0], subject]).sort()).toEqual([
      ['nl', 'Bedankt'],
      ['rest', 'Thank you'],
      ['vip', 'Thank you, again'],
    ]);
    const traces = await query<{ saw: { form: string | null; looked: unknown[] } }>(
      lab.db,
      `select t.saw from traces t join runs r on r.id = t.run_id where t.kind = 'sending' and r.flow_id = :flow order by r.id`,
      { flow: flow!.id },
    );
    expect(traces.map(({ saw }) => [saw.form, saw.looked.length])).toEqual([
      ['dutch', 1],
      ['loyal', 2],
      [null, 2],
    ]);
  });
});

describe('the envelope', () => {
  it('names sender, reader and one-click unsubscribe; its links are sealed for this send alone', async () => {
    const [ref] = await queued(cart('a@example.com', 150));
    await dispatch(context(), [ref!]);
    const [mail] = taken;
    expect(mail).toMatchObject({
      from: { name: 'Quillfin', address: 'hello@quillfin.example' },
      to: { name: '', address: 'a@example.com' },
      messageId: messageIdOf('send', ref!.id, 'hello@quillfin.example'),
    });
    const leave = mail!.unsubscribeUrl!.split('/leave/')[1]!;
    expect(openLink(SECRET, leave, 'leave')).toMatchObject({ personId: ref!.personId, sendId: ref!.id });
    expect(openLink('another-secret-of-32-characters-long', leave, 'leave')).toBeNull();
    const clicks = [...mail!.html.matchAll(/\/go\/([\w.-]+)/g)].map((match) => openLink(SECRET, match[1]!, 'click')!);
    expect(clicks.length).toBeGreaterThan(0);
    for (const click of clicks)
      expect(click).toMatchObject({ personId: ref!.personId, sendId: ref!.id, url: expect.stringMatching(/^http/) });
    expect(Math.abs(mail!.date.getTime() - (await lab.now()))).toBeLessThan(60_000);
  });

  it('of who does not let it be counted neither opening nor click is: no picture, and links lead straight there', async () => {
    const told = cart('a@example.com', 150) as { data: { person: object } };
    const [ref] = await queued({ ...told, data: { ...told.data, person: { ...told.data.person, tracking: 'no' } } });
    await dispatch(context(), [ref!]);
    const [mail] = taken;
    expect(mail!.html).not.toMatch(/\/go\/|\/seen\//);
    expect(mail!.html).toContain('http://shop.example/cart/1');
    expect(mail!.unsubscribeUrl).toContain('/leave/');
    // where the store asks first, nobody is counted who has said nothing
    await writeTracking(lab.db, { of: 'only-yes' }, 't');
    const [other] = await queued(cart('b@example.com', 150));
    await dispatch(context(), [other!]);
    expect(taken.at(-1)!.html).not.toMatch(/\/go\/|\/seen\//);
    await writeTracking(lab.db, { of: 'unless-no' }, 't');
    await expect(writeTracking(lab.db, { of: 'always' }, 't')).rejects.toMatchObject({ status: 422 });
  });

  it('a name with line breaks in it makes no header of its own (RFC 5322 §2.2)', async () => {
    await lab.tell(
      happening('page.viewed', { person: { email: 'a@example.com', firstName: 'Ada\r\nBcc: everybody@example.com', lastName: 'L' } }),
    );
    await dispatch(context(), await queued(cart('a@example.com', 150)));
    expect(taken[0]!.to).toEqual({ name: 'Ada Bcc: everybody@example.com L', address: 'a@example.com' });
    expect(taken[0]!.subject).not.toMatch(/[\r\n]/);
  });

  it('a service message goes to whoever has an address, agreed or not, and has nothing to unsubscribe from', async () => {
    const service: FlowDocument = {
      ...changeStep(
        cartLeftBehind,
        'small-cart',
        (step) =>
          ({
            ...step,
            message: { ...(step as SendStep).message, kind: 'service', blocks: [{ id: 'b', kind: 'text', text: 'Your cart' }] },
          }) as SendStep,
      ),
      entry: null,
    };
    await writeDraft(lab.db, 'cart-left-behind', service, null);
    await publishFlow(lab.db, 'cart-left-behind', 'Marla');
    try {
      await dispatch(
        context(),
        await queued(happening('cart.updated', { cartId: 'k', currency: 'EUR', value: 20, person: { email: 'new@example.com' } })),
      );
      expect(taken).toMatchObject([{ to: { address: 'new@example.com' }, unsubscribeUrl: null }]);
    } finally {
      await writeDraft(lab.db, 'cart-left-behind', cartLeftBehind, null);
      await publishFlow(lab.db, 'cart-left-behind', 'Marla');
    }
  });

  it.each([
    ['<send-12@quillfin.example>', { what: 'send', id: '12' }],
    ['letter-7@x', { what: 'letter', id: '7' }],
    ['<send-@x>', null],
    ['<send-1234567890123456789@x>', null],
    ['<other-1@x>', null],
    ['', null],
  ])('%s belongs to %j', (id, mail) => expect(mailOfMessageId(id)).toEqual(mail));
});

describe('what goes wrong on the way', () => {
  const withText = async (text: string, work: () => Promise<void>) => {
    const original = await query<{ id: number; version: number; document: FlowDocument }>(
      lab.db,
      `select v.flow_id as id, v.version, v.document from flow_versions v join flows f on f.id = v.flow_id and f.version = v.version
        where f.key = 'cart-left-behind'`,
    );
    const [{ id, document } = original[0]!] = original;
    // past the preflight, as a message whose cost lies in what one person has on file
    const changed = changeStep(
      document,
      'small-cart',
      (step) => ({ ...step, message: { ...(step as SendStep).message, blocks: [{ id: 't', kind: 'text', text }] } }) as SendStep,
    );
    await query(
      lab.db,
      `insert into flow_versions (flow_id, version, document, published_at, published_by)
        select flow_id, version + 1, cast(:document as jsonb), published_at, published_by from flow_versions where flow_id = :id order by version desc limit 1`,
      { id, document: JSON.stringify(changed) },
    );
    await query(lab.db, `update flows set version = version + 1 where id = :id`, { id });
    try {
      await work();
    } finally {
      await publishFlow(lab.db, 'cart-left-behind', 'test');
    }
  };

  it('a message that cannot be put together fails at once, in words, and is not tried again; the others go out', async () => {
    await withText('{% if person.firstName == "Loop" %}{% for i in (1..99999999) %}x{% endfor %}{% endif %}Hello', async () => {
      await lab.tell(happening('page.viewed', { person: { email: 'a@example.com', firstName: 'Loop' } }));
      const refs = await queued(cart('a@example.com', 20), cart('b@example.com', 20));
      await dispatch(context(), refs);
      expect(await sends()).toMatchObject([
        { state: 'failed', reason: expect.stringContaining('cannot be put together') },
        { state: 'sent' },
      ]);
    });
  });

  it('a domain whose server does not answer holds no other: its mails are put off, the others go out, and it is tried again later', async () => {
    const refs = await queued(
      ...Array.from({ length: 8 }, (_, i) => cart(`s${i}@slow.example`, 20)),
      ...Array.from({ length: 6 }, (_, i) => cart(`f${i}@fast.example`, 20)),
    );
    const slow: Dispatch = {
      ...context(),
      traffic: openTraffic(),
      mailer: {
        close: () => {},
        send: async (mail) => {
          if (mail.to.address.endsWith('@slow.example')) throw Object.assign(new Error('451 come again'), { responseCode: 451 });
          taken.push(mail);
          return { taken: true };
        },
      },
    };
    await expect(
      dispatch(
        slow,
        refs.map((ref) => ({ ...ref, isService: true })),
      ),
    ).rejects.toThrow('failed for now');
    expect(taken).toHaveLength(6);
    const jobs = await query<{ n: number; waits: boolean; task: string }>(
      lab.db,
      `select json_array_length(j.payload->'sends')::int as n, j.run_at > now() as waits, t.identifier as task
       from graphile_worker._private_jobs j join graphile_worker._private_tasks t on t.id = j.task_id`,
    );
    // what somebody waits for stays in its queue
    expect(jobs).toEqual([{ n: expect.any(Number), waits: true, task: 'dispatch_service' }]);
    expect((await sends()).filter((send) => send.state === 'queued')).toHaveLength(8);
    expect(await query(lab.db, 'select count(*)::int as n from sends where held_by is not null')).toEqual([{ n: 0 }]);
    await query(lab.db, 'delete from graphile_worker._private_jobs');
  });

  it('a server that hangs is given a time, and no transaction of ours stands open meanwhile', async () => {
    const hanging = createServer((socket) => void socket.on('error', () => {}));
    await new Promise<void>((done) => hanging.listen(0, '127.0.0.1', () => done()));
    const mailer = openMailer(`smtp://127.0.0.1:${(hanging.address() as { port: number }).port}`, { longestMs: 700 });
    const refs = await queued(cart('a@example.com', 20), cart('b@example.com', 20));
    try {
      const trying = dispatch({ ...context(), mailer }, refs);
      trying.catch(() => {});
      await new Promise((done) => setTimeout(done, 350));
      expect(
        await query(
          lab.db,
          `select count(*)::int as n from pg_stat_activity where datname = current_database() and state like 'idle in transaction%'`,
        ),
      ).toEqual([{ n: 0 }]);
      expect(await query(lab.db, `select count(*)::int as n from sends where held_by is not null`)).toEqual([{ n: 2 }]);
      await expect(trying).rejects.toThrow('2 of 2 sends failed for now');
      expect((await sends()).map((send) => send.state)).toEqual(['queued', 'queued']);
    } finally {
      mailer.close();
      await new Promise((done) => hanging.close(done));
    }
  });

  it('what a worker that lives has in hand is nobody else’s; with the worker it is free', async () => {
    const refs = await queued(cart('a@example.com', 20));
    const alive = new Client({ connectionString: lab.url });
    await alive.connect();
    const number = await enterWorker(alive);
    expect(await takeSend(lab.db, refs[0]!, number)).not.toBeNull();
    await dispatch({ ...context(), worker: () => number + 1 }, refs);
    expect(taken).toEqual([]);
    await alive.end();
    await expect
      .poll(async () => {
        await dispatch({ ...context(), worker: () => number + 1 }, refs);
        return taken.length;
      })
      .toBe(1);
    await query(lab.db, 'delete from workers');
  });

  it('killed between the server’s yes and our note: what the server reports is what became of it, and it goes out once', async () => {
    const refs = await queued(cart('a@example.com', 20), cart('b@example.com', 20));
    await takeSend(lab.db, refs[0]!, 0);
    await recordOwn(lab.db, {
      personId: refs[0]!.personId,
      type: 'message.delivered',
      eventId: 'd1',
      properties: { sendId: refs[0]!.id },
    });
    // noted after the report
    await takeSend(lab.db, refs[1]!, 0);
    await recordOwn(lab.db, {
      personId: refs[1]!.personId,
      type: 'message.bounced',
      eventId: 'b1',
      properties: { sendId: refs[1]!.id },
    });
    await settleSends(lab.db, [{ id: refs[1]!.id, state: 'sent', at: Date.now(), subject: 'x' }]);
    await dispatch(context(), refs);
    expect(taken).toEqual([]);
    expect(await query(lab.db, `select state, sent_at is not null as sent from sends order by id`)).toEqual([
      { state: 'delivered', sent: true },
      { state: 'bounced', sent: true },
    ]);
  });

  it('noted wherever it stands by now: a merge between taking and noting loses nothing', async () => {
    const [ref] = await queued(cart('a@example.com', 20));
    await takeSend(lab.db, ref!, 0);
    await query(lab.db, `update sends set person_id = 999999 where id = :id`, { id: ref!.id });
    await settleSends(lab.db, [{ id: ref!.id, state: 'sent', at: Date.now(), subject: 'x' }]);
    expect(await sends()).toMatchObject([{ state: 'sent' }]);
  });

  it('what somebody waits for goes before the bulk: it has a queue and connections of its own', async () => {
    await queued(...Array.from({ length: 3 }, (_, i) => cart(`p${i}@example.com`, 20)));
    await queueDispatch(lab.db, [
      { personId: '1', id: '1', isService: true },
      { personId: '1', id: '2' },
    ]);
    expect(
      await query(
        lab.db,
        `select t.identifier as task from graphile_worker._private_jobs j join graphile_worker._private_tasks t on t.id = j.task_id order by 1`,
      ),
    ).toEqual([{ task: 'dispatch' }, { task: 'dispatch_service' }]);
    const queues: readonly (readonly string[])[] = Object.values(QUEUES).map(({ tasks }) => tasks);
    expect(queues.filter((tasks) => tasks.includes('letter') || tasks.includes('dispatch_service'))).toEqual([
      ['letter', 'dispatch_service'],
    ]);
    expect(queues.flat().sort()).toEqual(Object.keys(tasksOf(context())).sort());
    await query(lab.db, 'delete from graphile_worker._private_jobs');
  });
});

describe('what readers do with it', () => {
  it('a click is an opening, too, and every click counts; a made-up link counts nothing', async () => {
    const [ref] = await queued(cart('a@example.com', 150));
    await dispatch(context(), [ref!]);
    const link = { personId: ref!.personId, sendId: ref!.id, url: 'http://shop.example/c' };
    await noteTouch(lab.db, { ...link, purpose: 'click' }, 'message.clicked', PHONE);
    await noteTouch(lab.db, { ...link, purpose: 'click' }, 'message.clicked', PHONE);
    await noteTouch(lab.db, { ...link, purpose: 'open' }, 'message.opened', PHONE);
    await noteTouch(lab.db, { personId: '1', sendId: '99999', purpose: 'open' }, 'message.opened', PHONE);
    expect(await query(lab.db, `select type, count(*)::int as n from events where type like 'message.%' group by 1 order by 1`)).toEqual([
      { type: 'message.clicked', n: 2 },
      { type: 'message.opened', n: 1 },
      { type: 'message.sent', n: 1 },
    ]);
    expect(await query(lab.db, `select properties - 'url' as told from events where type = 'message.opened'`)).toEqual([
      {
        told: {
          sendId: ref!.id,
          flow: 'cart-left-behind',
          step: expect.any(String),
          channel: 'email',
          device: 'phone',
          program: expect.any(String),
        },
      },
    ]);
    const [send] = await query<{ opened_at: Date | null; clicked_at: Date | null }>(lab.db, 'select opened_at, clicked_at from sends');
    expect([send!.opened_at, send!.clicked_at]).toEqual([expect.any(Date), expect.any(Date)]);
  });
});
