import { describe, expect, it } from 'vitest';
import { openLanes } from './lanes';

describe('lanes', () => {
  it('a domain that fails three times in a row is closed, longer each time, then tried with one at a time; the others go on', () => {
    let now = 0;
    const lanes = openLanes({ now: () => now });
    for (let i = 0; i < 3; i++) lanes.enter('slow.example')('badly');
    expect([lanes.wait('slow.example'), lanes.wait('other.example')]).toEqual([5000, 0]);
    now = 5000;
    const leave = lanes.enter('slow.example');
    expect(lanes.wait('slow.example')).toBeNull();
    leave('badly');
    expect(lanes.wait('slow.example')).toBe(10_000);
    now = 15_000;
    lanes.enter('slow.example')('well');
    expect(lanes.wait('slow.example')).toBe(0);
  });

  it('many that fail at once close it once', () => {
    const lanes = openLanes({ now: () => 0 });
    const leave = Array.from({ length: 12 }, () => lanes.enter('slow.example'));
    for (const one of leave) one('badly');
    expect(lanes.wait('slow.example')).toBe(5000);
  });

  it('no domain takes all places, however well it is', () => {
    const lanes = openLanes({ most: 2 });
    const leave = [lanes.enter('big.example'), lanes.enter('big.example')];
    expect([lanes.wait('big.example'), lanes.wait('other.example')]).toEqual([null, 0]);
    leave[0]!('well');
    expect(lanes.wait('big.example')).toBe(0);
  });

  it('no more go in a second than is said, however many wait; a second of them at once, then evenly', () => {
    let now = 1_000_000;
    const lanes = openLanes({ now: () => now, perSecond: 5, most: Infinity });
    const goes = (): number => {
      let count = 0;
      while (lanes.wait('a.example') === 0 && count < 100) {
        lanes.enter('a.example')('well');
        count += 1;
      }
      return count;
    };
    expect(goes()).toBe(5);
    expect(lanes.wait('a.example')).toBeNull();
    // another domain has a pace of its own
    expect(lanes.wait('b.example')).toBe(0);
    let sent = 5;
    for (let tick = 0; tick < 100; tick++) {
      now += 100;
      sent += goes();
    }
    expect(sent).toBe(5 + 50);
    now += 60_000;
    expect(goes()).toBe(5);
    // two who share it hand over half of it each
    let workers = 1;
    const shared = openLanes({ now: () => now, perSecond: 10, most: Infinity, workers: () => workers });
    const half = (): number => {
      let count = 0;
      for (let tick = 0; tick < 100; tick++, now += 100)
        while (shared.wait('a.example') === 0) {
          shared.enter('a.example')('well');
          count += 1;
        }
      return count;
    };
    expect(half()).toBeGreaterThanOrEqual(100);
    workers = 2;
    expect(half()).toBeLessThanOrEqual(51);
    // one in ten seconds: put off, not waited for
    const slow = openLanes({ now: () => now, perSecond: 0.1 });
    slow.enter('a.example')('well');
    expect(slow.wait('a.example')).toBe(10_000);
  });
});
