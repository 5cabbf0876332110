import fc from 'fast-check';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { anyFlow } from '@/core/flows/testing/anyflow';
import { changesPeople, drawsAndAsks, rises } from '@/core/flows/testing/asking';
import { cartLeftBehind } from '../../demo/flows';
import type { Value } from '@/core/rules';
import { query } from '@/data/db';
import { writeDraft } from '../flows';
import { Problem, unstorable } from '../http';
import { openLab, type Lab } from '../testing/lab';
import { rehearse } from './rehearse';

/** How many documents are tried; the ten thousand by VIATIC_HOSTILE. */
const DOCUMENTS = Number(process.env.VIATIC_HOSTILE ?? 400);
/** What one of them may take, generously: never a hang. */
const LONGEST_MS = 5_000;

let lab: Lab;
beforeAll(async () => {
  lab = await openLab({ flow: null });
});
afterAll(() => lab.close());

const deep = (n: number): unknown => (n ? { all: [deep(n - 1)] } : { test: 'did', event: 'x.y', since: 'ever' });
const HOSTILE: readonly unknown[] = [
  null,
  '',
  -1,
  1e308,
  NaN,
  'x'.repeat(100_000),
  '{{ person.email',
  '{% for a in (1..99999999) %}{% for b in (1..99999999) %}x{% endfor %}{% endfor %}',
  '\u0000',
  '\ud800',
  '__proto__',
  [],
  {},
  Array.from({ length: 300 }, () => ({})),
  deep(50),
  'P99999999Y',
  'PT0S',
  'P1D',
  'FREQ=SECONDLY;BYSETPOS=1;COUNT=999999999',
  '2026-13-45T99:99',
  { rule: deep(7) },
  { test: 'attribute', name: 'x', op: 'oneOf', value: Array.from({ length: 500 }, (_, n) => n) },
  { test: 'answer', step: 'nowhere', property: 'x', op: 'known' },
  true,
];

/** A document with some of its places holding something else, or nothing. */
function spoilt(document: unknown, picks: readonly { at: number; what: number }[]): unknown {
  const copy: unknown = structuredClone(document);
  for (const { at, what } of picks) {
    const places: [Record<string, unknown>, string][] = [];
    const walk = (value: unknown): void => {
      if (value === null || typeof value !== 'object' || places.length > 2000) return;
      for (const name of Object.keys(value)) {
        places.push([value as Record<string, unknown>, name]);
        walk((value as Record<string, unknown>)[name]);
      }
    };
    walk(copy);
    const place = places[at % Math.max(1, places.length)];
    if (!place) continue;
    if (what % 7 === 0) delete place[0][place[1]];
    // a part of the document itself, in another place
    else if (what % 7 === 1) place[0][place[1]] = structuredClone(places[what % places.length]![0][places[what % places.length]![1]]);
    else place[0][place[1]] = HOSTILE[what % HOSTILE.length];
  }
  return copy;
}

it(
  'whatever stands in a document, putting and rehearsing it is answered in words, soon, and never by our own mistake',
  { timeout: 3_600_000 },
  async () => {
    const seen = { taken: 0, refused: 0, rehearsed: 0 };
    const answered = async (work: () => Promise<unknown>): Promise<boolean> => {
      const began = Date.now();
      try {
        await work();
        return true;
      } catch (error) {
        if (!(error instanceof Problem)) throw error;
        expect(error.status).toBeLessThan(500);
        return false;
      } finally {
        expect(Date.now() - began).toBeLessThan(LONGEST_MS);
      }
    };
    let n = 0;
    await fc.assert(
      fc.asyncProperty(
        fc.oneof(fc.constantFrom<unknown>(cartLeftBehind, drawsAndAsks, changesPeople, rises), anyFlow, fc.jsonValue()),
        fc.array(fc.record({ at: fc.nat(5000), what: fc.nat(1000) }), { maxLength: 4 }),
        fc.array(fc.record({ type: fc.constantFrom('cart.updated', 'order.placed', 'app.opened'), hours: fc.nat(400) }), { maxLength: 6 }),
        async (plain, picks, events) => {
          const document = spoilt(plain, picks);
          // the door lets nothing in that no text on file can hold
          if (unstorable(document as Value, '')) return;
          n += 1;
          const isTaken = await answered(() => writeDraft(lab.db, `hostile-${n % 20}`, document, null));
          seen[isTaken ? 'taken' : 'refused'] += 1;
          const happens = events
            .map(({ type, hours }, index) => ({
              type,
              after: `PT${hours}H`,
              data: { cartId: `c${index % 2}`, orderId: `o${index}`, value: hours },
            }))
            .map((one) => (picks[0]?.what === 3 ? { ...one, after: 'P999Y' } : one));
          const isDone = await answered(() => rehearse(lab.db, 'hostile-0', { document, madeUp: {}, events: happens }));
          if (isDone) seen.rehearsed += 1;
        },
      ),
      { numRuns: DOCUMENTS },
    );
    // it was not only refused
    expect(seen.taken).toBeGreaterThan(DOCUMENTS / 10);
    expect(seen.refused).toBeGreaterThan(DOCUMENTS / 10);
    expect(seen.rehearsed).toBeGreaterThan(DOCUMENTS / 10);
    // what was stored can be read again
    expect(await query(lab.db, `select count(*)::int as n from flows where draft ->> 'schema' <> 'viatic.flow/1'`)).toEqual([{ n: 0 }]);
  },
);
