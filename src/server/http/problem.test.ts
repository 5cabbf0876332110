import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import * as z from 'zod';
import { problemsOf } from '@/core/api';
import { Problem } from './problem';
import { readJson, unstorable } from './read';

const wrong = (schema: z.ZodType, value: unknown) =>
  problemsOf(schema.safeParse(value).error!).map((one) => `${one.field} ${one.wrong}: ${one.right}`);

describe('problems', () => {
  it('name the field, what was wrong, and what is right', () => {
    const schema = z.strictObject({
      name: z.string().min(1).max(5),
      age: z.number().min(0),
      tags: z.array(z.string()),
      kind: z.enum(['a', 'b']),
    });
    expect(wrong(schema, { name: '', age: -1, tags: [1], kind: 'c', extra: 1 }).sort()).toEqual([
      'age is too small: at least 0',
      'extra is not a field here: leave it out',
      'kind is none of the possible values: a, b',
      'name is empty: at least 1 character',
      'tags[0] is of the wrong type: a text',
    ]);
    expect(wrong(schema, { name: 'abcdef', tags: 'x' }).sort()).toEqual([
      'age is missing: a number',
      'kind is none of the possible values: a, b',
      'name is too large or too long: at most 5 characters',
      'tags is of the wrong type: a list',
    ]);
  });

  it('of several possible forms, tell about the one that fits best', () => {
    const schema = z.union([z.strictObject({ all: z.array(z.number()) }), z.strictObject({ one: z.string() })]);
    expect(wrong(schema, { all: [1, 'x'] })).toEqual(['all[1] is of the wrong type: a number']);
  });

  it('are answered as problem details (RFC 9457 §3)', async () => {
    const answer = new Problem(422, 'Not a flow', 'Nothing was stored.', [
      { field: 'steps[0].for', wrong: 'is no duration', right: 'PT1H' },
    ]).response();
    expect(answer.headers.get('content-type')).toBe('application/problem+json');
    expect(await answer.json()).toEqual({
      type: 'about:blank#not-a-flow',
      title: 'Not a flow',
      status: 422,
      detail: 'Nothing was stored.',
      errors: [{ field: 'steps[0].for', wrong: 'is no duration', right: 'PT1H' }],
    });
  });
});

describe('what cannot be stored', () => {
  it.each([
    [{ a: [{ b: 'x\u0000' }] }, 'a[0].b'],
    [{ a: '\udc00' }, 'a'],
    [{ a: Infinity }, 'a'],
    [{ 'x\u0000': 1 }, ''],
    [
      Array.from({ length: 40 }).reduce<unknown>((inner) => [inner], 1),
      '[0][0][0][0][0][0][0][0][0][0][0][0][0][0][0][0][0][0][0][0][0][0][0][0]',
    ],
  ])('%j is found, with its place', (value, place) => {
    expect(unstorable(value, '')?.field).toBe(place);
  });

  it('everything else is left alone', () => {
    expect(unstorable({ a: ['x', 1, true, null, { b: '😀' }], c: -0 }, '')).toBeNull();
  });

  it('a name that holds a dot or a bracket is told as it is, under the place where the caller stands', () => {
    expect(unstorable([{ 'b[0]': '\ud800' }], 'rule')?.field).toBe('rule[0].b[0]');
    expect(unstorable({ '': '\u0000' }, 'rule')?.field).toBe('rule');
  });

  it('the tally is never less than the JSON is long, whatever the value', () => {
    const hard = fc.string({ unit: fc.constantFrom('a', '"', '\\', '\u0001', '\u2028', 'é', '😀') });
    fc.assert(
      fc.property(
        fc.jsonValue(),
        fc.dictionary(hard, fc.oneof(hard, fc.double({ noNaN: true, noDefaultInfinity: true }), fc.array(hard)), { maxKeys: 5 }),
        (value, more) => {
          const tally = { characters: 0 };
          const both = [value, { ...more }];
          expect(unstorable(both, '', tally)).toBeNull();
          expect(tally.characters).toBeGreaterThanOrEqual(JSON.stringify(both).length);
        },
      ),
      { numRuns: 500 },
    );
  });
});

describe('bodies', () => {
  const request = (body: string, headers: Record<string, string> = {}) => new Request('http://x', { method: 'POST', body, headers });
  it('are read up to their limit, whatever the length header says', async () => {
    expect(await readJson(request('{"a":1}'))).toEqual({ a: 1 });
    await expect(readJson(request(`"${'x'.repeat(100)}"`), 50)).rejects.toMatchObject({ status: 413 });
    await expect(readJson(request('{}', { 'content-length': '99999999' }), 50)).rejects.toMatchObject({ status: 413 });
    await expect(readJson(request('{"a":}'))).rejects.toMatchObject({ status: 400, detail: expect.stringContaining('not JSON') as string });
  });
});
