import { afterAll, beforeAll, expect, it } from 'vitest';
import { query } from '@/data/db';
import { keepCatalogue } from '../sources';
import { cart, happening, openLab, type Lab } from '../testing/lab';
import { metrics } from '.';

let lab: Lab;
beforeAll(async () => {
  lab = await openLab();
});
afterAll(() => lab.close());

const read = async () => {
  const { text, type } = await metrics(lab.db);
  // the text format of Prometheus, version 0.0.4: a line of help, one of the type, then a sample a line
  expect(type).toContain('text/plain; version=0.0.4');
  const samples = text.split('\n').filter((line) => line && !line.startsWith('#'));
  for (const line of samples) expect(line).toMatch(/^viatic_[a-z_]+(\{[a-z]+="[^"]*"\})? -?[\d.e+]+$/);
  return Object.fromEntries(samples.map((line) => [line.slice(0, line.lastIndexOf(' ')), Number(line.slice(line.lastIndexOf(' ') + 1))]));
};

it('tells what waits, what is late and what failed, as it stands', async () => {
  const before = await read();
  expect(before).toMatchObject({ viatic_workers: 0, viatic_runs_due: 0, viatic_messages_queued: 0 });
  expect(before).not.toHaveProperty('viatic_ledger_differences');
  await lab.tell([
    cart('kim@example.com', 60),
    happening('order.placed', { orderId: 'x', currency: 'none', value: 1, person: { email: 'robin@example.com' } }),
  ]);
  await query(lab.db, `update runs set wake_at = now() - interval '2 minutes'`);
  // arrivals are counted by the worker
  await keepCatalogue(lab.db, false);
  const due = await read();
  expect(due.viatic_runs_due).toBe(1);
  expect(due.viatic_runs_due_seconds).toBeGreaterThanOrEqual(120);
  expect(due['viatic_events_last_hour{became="taken"}']! + due['viatic_events_last_hour{became="refused"}']!).toBe(2);
  await query(lab.db, `select graphile_worker.add_job('letter', '{"id": "0"}'::json)`);
  expect((await read())['viatic_jobs_waiting{task="letter"}']).toBe(1);
});
