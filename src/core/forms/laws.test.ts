import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { FIELD_TYPES, formSchema, newForm, readSubmission, type Form, type FormField } from '.';

const filled = fc.oneof(
  fc.constantFrom(
    '',
    ' ',
    'robin@example.com',
    ' Robin@Example.COM ',
    'a@b@c.example',
    '+31612345678',
    '07700 900123',
    '12',
    '1.250,5',
    '-0',
    '1e5',
    '3/4/1990',
    '31/31/1990',
    '2026-02-29',
    'NL',
    'Netherlands',
    'Atlantis',
    'yes',
    'no',
    'big',
    'small',
    '<script>',
    "' or 1=1",
    'x'.repeat(600),
    'a\u0000b',
    '🐠',
  ),
  fc.string({ maxLength: 20 }),
);
const field = (type: FormField['type'], index: number, required: boolean): FormField => ({
  id: `f${index}`,
  attribute: type === 'email' ? 'email' : `attribute${index}`,
  type,
  label: `Field ${index}`,
  required,
  ...(type === 'choice' && { options: ['small', 'big'] }),
});
const form: fc.Arbitrary<Form> = fc
  .record({
    kinds: fc.array(fc.tuple(fc.constantFrom(...FIELD_TYPES.filter((type) => type !== 'email')), fc.boolean()), { maxLength: 7 }),
    isNeeded: fc.boolean(),
    consents: fc.subarray([
      { channel: 'email' as const, wording: 'Yes, by mail' },
      { channel: 'push' as const, wording: 'Yes, to my phone' },
    ]),
    required: fc.boolean(),
  })
  .map(({ kinds, isNeeded, consents, required }) => ({
    ...newForm('Any'),
    fields: [field('email', 0, isNeeded), ...kinds.map(([type, needed], index) => field(type, index + 1, needed))],
    consents: consents.map((one) => ({ ...one, required })),
  }));
const submission = fc
  .tuple(
    fc.array(filled, { minLength: 8, maxLength: 8 }),
    fc.constantFrom(undefined, 'yes', 'no', 'on'),
    fc.dictionary(fc.constantFrom('f99', 'attribute1', '__proto__', 'constructor', 'email'), filled, { maxKeys: 2 }),
  )
  .map(([list, box, more]) => ({
    ...more,
    ...Object.fromEntries(list.map((one, index) => [`f${index}`, one])),
    ...(box !== undefined && { 'consent-email': box, 'consent-push': box }),
  }));

describe('any submission of any form', () => {
  it('is read by its fields or answered field by field, and never both', () => {
    fc.assert(
      fc.property(form, submission, (one, given) => {
        expect(formSchema.safeParse(one).success).toBe(true);
        const read = readSubmission(one, given);
        const ids = new Set([...one.fields.map(({ id }) => id), ...one.consents.map(({ channel }) => `consent-${channel}`)]);
        if ('problems' in read) {
          expect(Object.keys(read.problems).length).toBeGreaterThan(0);
          for (const [id, words] of Object.entries(read.problems)) {
            expect(ids.has(id)).toBe(true);
            expect(words).toMatch(/^(This|Please|One)\b.*\.$/);
          }
          return;
        }
        // nothing but what the form asks for
        const asked = new Map(one.fields.map((each) => [each.attribute, each]));
        for (const [name, value] of Object.entries(read.attributes)) {
          expect(asked.has(name), name).toBe(true);
          const { type } = asked.get(name)!;
          if (type === 'number') expect(Number.isFinite(value)).toBe(true);
          if (type === 'yesno') expect(typeof value).toBe('boolean');
          if (type === 'choice') expect(['small', 'big']).toContain(value);
          if (type === 'country') expect(value).toMatch(/^[A-Z]{2}$/);
          if (type === 'date') expect(value).toMatch(/^\d{4}-\d{2}-\d{2}$/);
          if (type === 'phone') expect(value).toMatch(/^\+[1-9]\d{6,14}$/);
          if (typeof value === 'string') expect(value.length).toBeLessThanOrEqual(500);
        }
        for (const each of one.fields) if (each.required) expect(read.attributes[each.attribute], each.id).toBeDefined();
      }),
      { numRuns: 2000 },
    );
  });

  it('agrees to a channel only by the word that its box sends, in the wording that was shown', () => {
    fc.assert(
      fc.property(form, submission, (one, given) => {
        const read = readSubmission(one, given);
        if ('problems' in read) return;
        for (const { channel, wording } of read.agreed) {
          expect((given as Record<string, string>)[`consent-${channel}`]).toBe('yes');
          expect(one.consents.find((consent) => consent.channel === channel)!.wording).toBe(wording);
        }
        for (const consent of one.consents)
          if (consent.required) expect(read.agreed.some(({ channel }) => channel === consent.channel)).toBe(true);
      }),
      { numRuns: 1000 },
    );
  });

  it('an address is one person’s, however it is written', () => {
    fc.assert(
      fc.property(
        fc.emailAddress({ size: 'small' }),
        fc.constantFrom(
          (text: string) => text,
          (text: string) => ` ${text} `,
          (text: string) => text.toUpperCase(),
        ),
        (address, as) => {
          const [plain, written] = [address.toLowerCase(), as(address)].map((text) =>
            readSubmission({ ...newForm('x'), consents: [] }, { email: text }),
          );
          expect(written).toEqual(plain);
        },
      ),
    );
  });
});
