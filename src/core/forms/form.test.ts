import { describe, expect, it } from 'vitest';
import { formSchema, newForm, readSubmission, type Form } from '.';

const form = (change: Partial<Form> = {}): Form => formSchema.parse({ ...newForm('Letter'), ...change });
const field = (id: string, type: Form['fields'][number]['type'], more: object = {}) => ({
  id,
  attribute: id === 'email' ? 'email' : id,
  type,
  label: id,
  required: false,
  ...more,
});

describe('the form document', () => {
  it.each([
    ['nobody is asked for their address', { fields: [field('name', 'text')] }],
    [
      'an attribute is asked for twice',
      { fields: [field('email', 'email'), { ...field('a', 'text'), attribute: 'x' }, { ...field('b', 'text'), attribute: 'x' }] },
    ],
    ['a choice has nothing to choose', { fields: [field('email', 'email'), field('size', 'choice')] }],
    ['consent to SMS is asked for without a phone number', { consents: [{ channel: 'sms', wording: 'Yes', required: false }] }],
    ['it leads on to what is no web address', { after: { kind: 'redirect', url: 'javascript:alert(1)' } }],
    ['it promises what is no web address', { promise: { kind: 'link', url: 'file:///etc/passwd', label: 'x' } }],
  ] as [string, object][])('is refused when %s', (_what, change) => {
    expect(formSchema.safeParse({ ...newForm('Letter'), ...change }).success).toBe(false);
  });

  it('to begin with asks for address and consent, with double opt-in and no box ticked', () => {
    expect(form()).toMatchObject({ consents: [{ channel: 'email', required: true }], doubleOptIn: { subject: expect.any(String) } });
  });
});

describe('what is filled in', () => {
  const everything = form({
    fields: [
      field('email', 'email'),
      field('phone', 'phone'),
      field('country', 'country'),
      field('litres', 'number'),
      field('born', 'date'),
      field('size', 'choice', { options: ['small', 'big'] }),
      field('fish', 'yesno'),
      field('name', 'text'),
    ],
    consents: [],
  });

  it('is read by the kind of each field: numbers, dates, countries and phones in their standard forms', () => {
    expect(
      readSubmission(everything, {
        email: ' Robin@Example.com ',
        phone: '07700 900123',
        country: 'GB',
        litres: '1,250.5',
        born: '3/4/1990',
        size: 'big',
        fish: 'yes',
        name: ' Robin ',
      }),
    ).toEqual({
      email: 'robin@example.com',
      attributes: {
        email: 'robin@example.com',
        phone: '+447700900123',
        country: 'GB',
        litres: 1250.5,
        born: '1990-04-03',
        size: 'big',
        fish: true,
        name: 'Robin',
      },
      agreed: [],
    });
  });

  it('is answered field by field where it is wrong, and what is empty and not needed is left out', () => {
    const read = readSubmission(everything, {
      email: 'robin@example.com',
      phone: '1',
      country: 'Atlantis',
      litres: 'many',
      born: '31/31/1990',
      size: 'huge',
    });
    expect('problems' in read && Object.keys(read.problems).sort()).toEqual(['born', 'country', 'litres', 'phone', 'size']);
    expect(readSubmission(everything, { email: 'robin@example.com' })).toMatchObject({ attributes: { email: 'robin@example.com' } });
  });

  it('needs the boxes that are needed, and agrees to nothing by itself', () => {
    expect(readSubmission(form(), { email: 'robin@example.com' })).toEqual({
      problems: { 'consent-email': 'Please tick this box to sign up.' },
    });
    expect(
      readSubmission(form({ consents: [{ channel: 'email', wording: 'Yes', required: false }] }), { email: 'robin@example.com' }),
    ).toMatchObject({ agreed: [] });
    expect(readSubmission(form(), { email: 'robin@example.com', 'consent-email': 'yes' })).toMatchObject({
      agreed: [{ channel: 'email', wording: 'Yes, send me news by email. I can stop at any time.' }],
    });
  });

  it('takes no text without end, and none that the database cannot keep', () => {
    for (const name of ['x'.repeat(501), 'a\u0000b', 'half \ud83d', '\udc20 half'])
      expect(readSubmission(everything, { email: 'robin@example.com', name })).toMatchObject({ problems: { name: 'This is too long.' } });
    expect(readSubmission(everything, { email: 'robin@example.com', name: 'whole 🐠' })).not.toMatchObject({
      problems: { name: expect.anything() },
    });
  });
});
