import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { cartLeftBehind } from '../../demo/flows';
import { armedRun, asksOf, CALLED, type Run } from '../flows';
import { answer } from '../flows/testing/arrivals';
import { inOrder, type FactEvent } from '../rules';
import { DAY, HOUR, MINUTE } from '../time';
import { gate, isKeptOut, limitsSchema, MESSAGE_SENT, NO_LIMITS, sayLimited, sentNeeded, type Limits, type OwnLimits } from './limits';

// a Tuesday, 13:00 in Amsterdam
const NOW = Date.parse('2026-11-24T12:00:00Z');
const ZONE = 'Europe/Amsterdam';
const limits = (more: Partial<Limits> = {}): Limits => ({ ...NO_LIMITS, ...more, closed: more.closed ?? new Set() });
const sent = (ago: number, kind = 'marketing', channel = 'email'): FactEvent => ({
  id: String(ago),
  type: MESSAGE_SENT,
  time: NOW - ago,
  properties: { kind, channel },
});
const passes = (before: FactEvent[], rules: Limits, own?: OwnLimits) =>
  gate({ personId: '1', kind: 'marketing', channel: 'email', own }, before, rules, NOW, ZONE);
const at = (text: string) => Date.parse(text);

describe('the control group of the store', () => {
  const control = { share: 10, since: '2026-11-01T00:00:00.000Z' };
  const people = Array.from({ length: 10_000 }, (_, n) => String(n));
  const drawn = (share: number) => people.filter((personId) => isKeptOut(personId, { share }));

  it('is about the share that was set, the same each time, and a larger one holds a smaller one', () => {
    // 10,000 draws at 10 %: three standard deviations are 90 (binomial distribution)
    expect(Math.abs(drawn(10).length - 1_000)).toBeLessThan(90);
    expect(drawn(10)).toEqual(drawn(10));
    expect(drawn(20)).toEqual(expect.arrayContaining(drawn(10)));
    expect(isKeptOut('1', null)).toBe(false);
  });

  it('gets no marketing, whatever a message asks for itself, and every service message', () => {
    const [out] = drawn(10);
    const inside = people.find((one) => !drawn(10).includes(one))!;
    const ask = (personId: string, kind: 'marketing' | 'service') =>
      gate({ personId, kind, channel: 'email', own: { gap: false, caps: false, hours: 'any' } }, [], limits({ control }), NOW, ZONE);
    const skipped = ask(out!, 'marketing');
    expect(skipped).toEqual({ to: 'skip', because: { by: 'control', share: 10 } });
    expect(skipped.to === 'skip' && sayLimited(skipped.because)).toBe(
      'they are of the 10 % who get no marketing at all, to see what it brings',
    );
    expect(ask(out!, 'service')).toEqual({ to: 'go' });
    expect(ask(inside, 'marketing')).toEqual({ to: 'go' });
  });

  it('is at least one of a hundred and at most twenty', () => {
    for (const share of [0, 21, 2.5]) expect(limitsSchema.safeParse({ ...NO_LIMITS, control: { share } }).success).toBe(false);
    // what was kept before there was one
    const { control: _, ...before } = NO_LIMITS;
    expect(limitsSchema.parse(before).control).toBeNull();
  });
});

describe('the gate before every message', () => {
  it('lets everything pass where nothing is limited, and a service message always', () => {
    expect(passes([sent(0)], limits())).toEqual({ to: 'go' });
    const all = limits({
      gap: 'P9D',
      caps: [{ channel: 'email', most: 1, per: 'P1W' }],
      hours: { weekdays: [7] },
      closed: new Set(['2026-11-24']),
    });
    expect(gate({ personId: '1', kind: 'service', channel: 'email' }, [sent(0)], all, NOW, ZONE)).toEqual({ to: 'go' });
  });

  it('holds what comes too soon after another until the time is over; service messages keep nobody waiting', () => {
    const gap = limits({ gap: 'PT16H' });
    expect(passes([sent(15 * HOUR), sent(40 * HOUR)], gap)).toMatchObject({ to: 'hold', until: NOW + HOUR });
    expect(passes([sent(16 * HOUR)], gap)).toEqual({ to: 'go' });
    expect(passes([sent(HOUR, 'service')], gap)).toEqual({ to: 'go' });
    expect(passes([sent(HOUR, 'marketing', 'sms')], gap)).toMatchObject({ to: 'hold' });
    expect(passes([sent(HOUR)], gap, { gap: false })).toEqual({ to: 'go' });
  });

  it('skips what is beyond the most of a channel within a time', () => {
    const caps = limits({ caps: [{ channel: 'email', most: 2, per: 'P7D' }] });
    expect(passes([sent(DAY)], caps)).toEqual({ to: 'go' });
    expect(passes([sent(DAY), sent(2 * DAY)], caps)).toMatchObject({ to: 'skip' });
    // the far edge is out, as of every window
    expect(passes([sent(DAY), sent(7 * DAY)], caps)).toEqual({ to: 'go' });
    expect(passes([sent(DAY), sent(2 * DAY, 'marketing', 'sms')], caps)).toEqual({ to: 'go' });
    expect(passes([sent(DAY), sent(2 * DAY)], caps, { caps: false })).toEqual({ to: 'go' });
  });

  it('holds what is due outside of the hours until the next of them, over closed days', () => {
    const hours = { weekdays: [1, 2, 3, 4, 5], from: '09:00', to: '12:00' };
    expect(passes([], limits({ hours }))).toMatchObject({ to: 'hold', until: at('2026-11-25T09:00:00+01:00') });
    expect(passes([], limits({ hours, closed: new Set(['2026-11-25', '2026-11-26', '2026-11-27']) }))).toMatchObject({
      to: 'hold',
      until: at('2026-11-30T09:00:00+01:00'),
    });
    expect(passes([], limits({ closed: new Set(['2026-11-24']) }))).toMatchObject({ to: 'hold', until: at('2026-11-25T00:00:00+01:00') });
    expect(passes([], limits({ hours }), { hours: 'any' })).toEqual({ to: 'go' });
    expect(passes([], limits({ hours }), { hours: { from: '12:00', to: '14:00' } })).toEqual({ to: 'go' });
  });

  it('law: what is held may go at the moment it is held until, as far as hours and gap are concerned', () => {
    const clock = fc.integer({ min: 0, max: 23 }).map((hour) => `${String(hour).padStart(2, '0')}:00`);
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: 0, max: 4 * 24 * 60 }), { maxLength: 6 }),
        fc.constantFrom(null, 'PT1H', 'PT16H', 'P2D'),
        fc.option(fc.record({ from: clock, to: clock }).filter(({ from, to }) => from !== to)),
        fc.array(fc.constantFrom('2026-11-24', '2026-11-25', '2026-11-27'), { maxLength: 3 }),
        (minutes, gap, hours, closed) => {
          const rules = limits({ gap, hours, closed: new Set(closed) });
          const before = minutes.map((minute) => sent(minute * MINUTE));
          let now = NOW;
          // held by the gap first, then by the hours: two holds at most
          for (let n = 0; n < 3; n++) {
            const answer = gate({ personId: '1', kind: 'marketing', channel: 'email' }, before, rules, now, ZONE);
            if (answer.to === 'go') return;
            expect(answer.to).toBe('hold');
            expect(answer.to === 'hold' && answer.until).toBeGreaterThan(now);
            if (answer.to === 'hold') now = answer.until;
          }
          throw new Error('held for ever');
        },
      ),
      { numRuns: 500 },
    );
  });

  it('says what it rests on, and asks for no more than it looks at', () => {
    expect(sayLimited({ by: 'gap', gap: 'PT16H', last: NOW })).toBe('another message went out less than 16 hours before');
    expect(sayLimited({ by: 'cap', channel: 'email', most: 3, per: 'P1W' })).toBe('3 messages in 1 week is the most that anybody gets');
    expect(sayLimited({ by: 'hours', hours: { from: '09:00', to: '20:00' } })).toBe('messages go out between 09:00 and 20:00');
    expect(sayLimited({ by: 'hours', hours: null, closed: '2026-12-25' })).toBe('nothing goes out on 2026-12-25');
    expect(sentNeeded(limits({ hours: { weekdays: [1] } }), NOW, ZONE)).toEqual([]);
    expect(sentNeeded(limits({ gap: 'PT1H', caps: [{ channel: 'email', most: 4, per: 'P7D' }] }), NOW, ZONE)).toEqual([
      { channel: null, from: NOW - HOUR, most: 1 },
      { channel: 'email', from: NOW - 7 * DAY, most: 4 },
    ]);
  });

  it('however much went out by other channels, a cap is judged by its own', () => {
    const rules = limits({ gap: 'PT1H', caps: [{ channel: 'email', most: 2, per: 'P30D' }] });
    const before = [sent(20 * DAY), sent(10 * DAY), ...Array.from({ length: 40 }, (_, n) => sent((n + 2) * HOUR, 'marketing', 'push'))];
    const document = { ...cartLeftBehind, stay: null, entry: null };
    const flow = { key: 'cart', document, isOn: true, zone: ZONE, limits: rules };
    const run: Run = { ...armedRun('1', '1', { trigger: CALLED, key: 'c' }), phase: 'inside', enteredAt: NOW, step: 'small-cart' };
    const seen = answer(before.sort(inOrder), asksOf(flow, run, { now: NOW, dueAt: NOW }));
    expect(passes(seen, rules)).toEqual(passes(before, rules));
    expect(passes(seen, rules)).toMatchObject({ to: 'skip' });
  });

  it('refuses what is no limit', () => {
    for (const wrong of [
      { gap: 'P0D' },
      { gap: 'P2Y' },
      { caps: [{ channel: 'email', most: 0, per: 'P1D' }] },
      { closed: ['2026-02-30'] },
      { holidaysOf: 'nl' },
    ])
      expect(limitsSchema.safeParse({ ...NO_LIMITS, ...wrong }).success, JSON.stringify(wrong)).toBe(false);
  });
});
