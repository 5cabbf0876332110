import { expect, it } from 'vitest';
import * as z from 'zod';
import { listInput } from '@/core/api';
import { resolverOf } from './asked';

const read = async (schema: z.ZodType<unknown, Record<string, unknown>>, values: Record<string, unknown>) =>
  resolverOf(schema)(values, undefined, { fields: {}, shouldUseNativeValidation: false });

it('what fits is handed on as the schema reads it', async () => {
  expect(await read(listInput as never, { name: '  Keepers  ', about: '', doubleOptIn: true })).toEqual({
    values: { name: 'Keepers', about: '', doubleOptIn: true },
    errors: {},
  });
});

it('what does not fit stands at its field, in the words in which the interface refuses it', async () => {
  const { errors } = await read(listInput as never, { name: ' ', about: 'x'.repeat(301), doubleOptIn: false });
  expect(errors).toMatchObject({
    name: { message: 'Fill this in.' },
    about: { message: 'This is too large or too long: at most 300 characters.' },
  });
});

it('a check of one’s own says what is right', async () => {
  const schema = z.strictObject({
    sites: z.array(z.string().refine((s) => s !== '', { message: 'is no site', params: { right: 'an address' } })),
  });
  const { errors } = await read(schema as never, { sites: ['https://shop.example', ''] });
  expect(errors).toMatchObject({ sites: [undefined, { message: 'This is no site: an address.' }] });
});
