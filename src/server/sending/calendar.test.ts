import { afterAll, beforeAll, expect, it } from 'vitest';
import { flowWith, letter } from '@/core/flows/testing/asking';
import { NO_LIMITS } from '@/core/limits';
import { localDate } from '@/core/time';
import { query } from '@/data/db';
import { happening, openLab, type Lab } from '../testing/lab';
import { sendCalendar, writeLimits } from '.';

let lab: Lab;
beforeAll(async () => {
  lab = await openLab({ flow: null });
});
afterAll(() => lab.close());

it('tells of each day of half a year what went out, in whole weeks from a Monday on, and on which nothing may', async () => {
  await lab.addFlow(
    'news',
    flowWith({
      name: 'News',
      reentry: 'once',
      triggers: [{ id: 'start', kind: 'event', event: 'form.submitted', key: null }],
      steps: [letter('a'), letter('b')],
    }),
  );
  const tell = (email: string) => lab.tell(happening('form.submitted', { formId: 'f', person: { email, consent: { email: true } } }));
  await tell('kim@example.com');
  await tell('robin@example.com');
  await lab.settle();
  const now = await lab.now();
  const today = localDate(now, 'Europe/Amsterdam');
  await query(lab.db, `update sends set opened_at = sent_at where step_id = 'a'`);
  await writeLimits(lab.db, { ...NO_LIMITS, closed: [today] }, 'Marla');
  const { days } = await sendCalendar(lab.db);
  // ISO 8601: 1 is Monday
  expect(new Date(`${days[0]!.day}T12:00:00Z`).getUTCDay()).toBe(1);
  expect(Math.ceil(days.length / 7)).toBe(26);
  expect(new Set(days.map(({ day }) => day)).size).toBe(days.length);
  expect(days.at(-1)).toEqual({ day: today, sent: 4, people: 2, opened: 2, clicked: 0, isClosed: true });
  expect(days.slice(0, -1).every(({ sent, isClosed }) => sent === 0 && !isClosed)).toBe(true);
});
