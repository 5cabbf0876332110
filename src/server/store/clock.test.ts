import { Pool } from 'pg';
import { afterEach, beforeEach, expect, it } from 'vitest';
import { query } from '@/data/db';
import { advanceClock } from './clock';
import type { Mailer } from '../messages';
import { startJobs, type Jobs } from '../program';
import { cart, openLab, type Lab } from '../testing/lab';

let lab: Lab;
let pool: Pool;
let jobs: Jobs;
beforeEach(async () => {
  lab = await openLab();
  pool = new Pool({ connectionString: lab.url, max: 12 });
  // a mail server that reports each mail delivered in the moment it takes it
  const mailer: Mailer = { send: async () => ({ taken: true }), close: () => undefined };
  jobs = await startJobs({ db: lab.db, mailer, url: 'http://localhost:4400', secret: 'x'.repeat(32) }, pool, () => undefined);
});
afterEach(async () => {
  await jobs.stop();
  await pool.end();
  await lab.close();
});

it('what falls due on the way happens at its moment, not all at the end', async () => {
  const began = await lab.now();
  await lab.tell([cart('a@example.com', 20), cart('b@example.com', 200)]);
  const { now, moved } = await advanceClock(lab.db, { advance: 'P2D' }, 'test');
  expect(now - began).toBeGreaterThanOrEqual(2 * 86_400_000);
  expect(moved).toBeGreaterThanOrEqual(4);
  const sent = await query<{ step_id: string; state: string; after: number }>(
    lab.db,
    `select step_id, state, round(extract(epoch from queued_at - to_timestamp(${began / 1000})) / 60)::int as after from sends order by queued_at, step_id`,
  );
  expect(sent.map((one) => one.step_id)).toEqual(['big-cart', 'small-cart', 'reminder', 'reminder']);
  expect(sent.every((one) => one.state === 'sent')).toBe(true);
  // strides over two days are six minutes long at most
  for (const [index, minutes] of [60, 60, 24 * 60, 24 * 60].entries())
    expect(Math.abs(sent[index]!.after - minutes)).toBeLessThanOrEqual(12);
});

it('when what fell due is not done in time it says how far it came, and can be asked again for the rest', async () => {
  await jobs.stop();
  const began = await lab.now();
  await lab.tell([cart('a@example.com', 20)]);
  const short = await advanceClock(lab.db, { advance: 'P2D' }, 'test', 400);
  expect([short.isThere, short.now < short.target, short.target - began >= 2 * 86_400_000]).toEqual([false, true, true]);
  jobs = await startJobs(
    {
      db: lab.db,
      mailer: { send: async () => ({ taken: true }), close: () => undefined },
      url: 'http://localhost:4400',
      secret: 'x'.repeat(32),
    },
    pool,
    () => undefined,
  );
  const rest = await advanceClock(lab.db, { to: new Date(short.target).toISOString() }, 'test');
  expect([rest.isThere, rest.now >= short.target, rest.now - short.target < 60_000]).toEqual([true, true, true]);
  expect((await query<{ n: number }>(lab.db, `select count(*)::int as n from sends where state = 'sent'`))[0]!.n).toBe(2);
});

it('two who move it at once: one is told to wait; it is written down who moved it', async () => {
  const both = await Promise.allSettled([
    advanceClock(lab.db, { advance: 'PT1H' }, 'Marla'),
    advanceClock(lab.db, { advance: 'PT1H' }, 'Kim'),
  ]);
  expect(both.map((one) => one.status).sort()).toEqual(['fulfilled', 'rejected']);
  expect(both.find((one) => one.status === 'rejected')).toMatchObject({ reason: { status: 409 } });
  expect(await query(lab.db, `select what, detail from acts where what = 'clock.moved'`)).toEqual([
    { what: 'clock.moved', detail: { advance: 'PT1H' } },
  ]);
});
