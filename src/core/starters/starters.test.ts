import { describe, expect, it } from 'vitest';
import { flowSchema, preflight, stepsOf } from '../flows';
import { runChecks } from '../replay';
import { tryFill } from './testing';
import { STARTERS } from '.';

const NOW = Date.parse('2026-11-24T12:00:00Z');

describe('starters', () => {
  it('have keys and names of their own, and are explained in two sentences', () => {
    expect(new Set(STARTERS.map(({ key }) => key)).size).toBe(STARTERS.length);
    expect(new Set(STARTERS.map(({ name }) => name)).size).toBe(STARTERS.length);
    for (const { key, says } of STARTERS) expect(says.match(/[.?!](?= |$)/g), key).toHaveLength(2);
  });

  it.each(STARTERS.map((one) => [one.key, one] as const))(
    '%s is sound, passes the preflight, and does what its checks say',
    (key, { document, name }) => {
      expect(flowSchema.parse(JSON.parse(JSON.stringify(document)))).toEqual(document);
      expect(document.name).toBe(name);
      expect(preflight(document, null, null, null, key)).toEqual([]);
      for (const checked of runChecks({ key, document, zone: 'Europe/Amsterdam' }, NOW))
        expect(checked, checked.name).toMatchObject({ isWell: true });
    },
  );

  it('are sensible for anybody: each letter can be put together for somebody of whom nothing is known', () => {
    for (const { key, document } of STARTERS)
      for (const step of stepsOf(document))
        if (step.kind === 'send') {
          const { subject, text } = tryFill(step.message);
          expect(subject.trim(), key).not.toBe('');
          expect(`${subject} ${text}`, key).not.toMatch(/undefined|null|\{\{|  |, ,|\s,/);
        }
  });

  it('those that can be checked without the clock have a check', () => {
    const unchecked = STARTERS.filter(({ document }) => !document.checks?.length).map(({ key }) => key);
    // these start by a day, a schedule, a product or a change on file, which no event of a check brings about
    expect(unchecked).toEqual(['birthday', 'there-again', 'costs-less', 'best-customers', 'asleep']);
  });
});
