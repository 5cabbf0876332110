import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { newForm, formSchema, type Form } from '@/core/forms';
import { confirmLetter, confirmLetterSchema, type Email } from '@/core/messages';
import type { Offer } from '@/core/offers';
import { query } from '@/data/db';
import { findForm } from '@/data/public';
import { archiveOffer, codeView, putOffer } from '../offers';
import { happening, openLab, type Lab } from '../testing/lab';

let lab: Lab;
let forms: typeof import('./forms');
let lists: typeof import('../people/lists');
let letters: typeof import('../messages/letters');
beforeAll(async () => {
  lab = await openLab({ flow: null });
  Object.assign(process.env, {
    VIATIC_DATABASE_URL: lab.url,
    VIATIC_URL: 'http://viatic.example',
    VIATIC_SECRET: 'a-secret-for-tests-of-32-characters!',
    VIATIC_SMTP_URL: 'smtp://127.0.0.1:1',
    VIATIC_MAIL_HOOK_SECRET: 'whsec_MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw',
    VIATIC_TEXT_HOOK_SECRET: 'whsec_MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw',
  });
  [forms, lists, letters] = await Promise.all([import('./forms'), import('../people/lists'), import('../messages/letters')]);
});
afterAll(() => lab.close());
beforeEach(async () => {
  lab.inbox.length = 0;
  await lab.empty('offers');
});

const offer: Offer = {
  schema: 'viatic.offer/1',
  name: 'Welcome',
  gives: { kind: 'percent', percent: 10 },
  currency: 'EUR',
  minimum: 50,
  combines: false,
  expires: { after: 'P3D' },
  comesBack: true,
  who: null,
  guard: {},
  code: { prefix: 'HI', letters: 6 },
};
const own = (more: Partial<Email> = {}): Email => ({
  ...confirmLetter('Is it you, {{ person.firstName | fallback: "friend" }}?', 'Press it.'),
  ...more,
});
const asks = { subject: 'One click', text: 'Press {{ it }} please.' };
let n = 0;
const make = async (change: Partial<Form> = {}) => {
  const key = `asking-${++n}`;
  await forms.writeForm(lab.db, key, { ...newForm(`Form ${n}`), doubleOptIn: asks, ...change }, null, 'test');
  return (await findForm(lab.db, key))!;
};
const submit = async (form: Awaited<ReturnType<typeof make>>, email = 'robin@example.com') => {
  lab.inbox.length = 0;
  await forms.submitForm(lab.db, form, { email, 'first-name': 'Mallory', 'consent-email': 'yes' }, 'http://shop.example');
  await lab.settle();
  const [mail] = lab.inbox;
  return { mail: mail!, token: /\/confirm\/([\w-]+)/.exec(mail!.text!)![1]! };
};

describe('the letter that asks for a click', () => {
  it('is the words of the form as they are, or a letter of one’s own that knows only what is on file', async () => {
    const plain = await submit(await make());
    expect([plain.mail.subject, plain.mail.text]).toEqual(['One click', expect.stringContaining('Press {{ it }} please.')]);
    // what a stranger has typed into the form does not stand in it
    const { mail, token } = await submit(await make({ doubleOptIn: { ...asks, letter: own() } }));
    expect(mail.subject).toBe('Is it you, friend?');
    expect(mail.html).toContain(`http://viatic.example/confirm/${token}`);
    expect((await forms.confirm(lab.db, token)).state).toBe('done');
    const known = await submit(await make({ doubleOptIn: { ...asks, letter: own() } }));
    expect(known.mail.subject).toBe('Is it you, Mallory?');
  });

  it('has the link that confirms in it, and is a service message by mail', () => {
    expect(confirmLetterSchema.safeParse(own()).success).toBe(true);
    expect(confirmLetterSchema.safeParse(own({ blocks: [{ id: 'a', kind: 'text', text: 'Hello' }] })).error?.issues[0]?.message).toContain(
      'no link that confirms',
    );
    expect(confirmLetterSchema.safeParse(own({ kind: 'marketing' })).success).toBe(false);
    expect(
      confirmLetterSchema.safeParse({ schema: 'viatic.message/1', channel: 'sms', kind: 'service', text: '{{ event.confirmUrl }}' })
        .success,
    ).toBe(false);
    expect(formSchema.safeParse({ ...newForm('x'), doubleOptIn: { ...asks, letter: own({ blocks: [] }) } }).success).toBe(false);
  });

  it('of a list is its own, or the program’s; changing the name leaves it', async () => {
    const { key } = await lists.makeList(lab.db, { name: 'Keepers', doubleOptIn: true }, 'Marla');
    await lab.tell(happening('account.created', { id: '1', person: { email: 'kim@example.com' } }));
    const [{ id } = { id: '' }] = await query<{ id: string }>(lab.db, 'select id from people');
    await lists.membership(lab.db, `~${id}`, key, true, 'Marla');
    await lab.settle();
    expect(lab.inbox.map(({ subject }) => subject)).toEqual(['Quillfin: do you want “Keepers”?']);
    await lists.editList(lab.db, key, { name: 'Keepers', doubleOptIn: true, confirmation: own() }, 'Marla');
    const view = await lists.editList(lab.db, key, { name: 'Old keepers', doubleOptIn: true }, 'Marla');
    expect(view.confirmation!.subject).toBe(own().subject);
    await lists.membership(lab.db, `~${id}`, key, true, 'Marla');
    await lab.settle();
    expect(lab.inbox.at(-1)!.subject).toBe('Is it you, friend?');
    await lists.editList(lab.db, key, { name: 'Old keepers', doubleOptIn: true, confirmation: null }, 'Marla');
    expect((await lists.listView(lab.db, key)).confirmation).toBeNull();
  });
});

describe('a code for who confirms', () => {
  it('is issued once, shown after the click, and told as an event; whoever fills it in again is shown the same', async () => {
    await putOffer(lab.db, 'welcome', offer, 'Marla');
    const form = await make({ offer: 'welcome' });
    const first = await submit(form);
    expect(await query(lab.db, 'select 1 from codes')).toEqual([]);
    const { code } = await forms.confirm(lab.db, first.token);
    expect(code).toMatchObject({
      code: expect.stringMatching(/^HI/),
      terms: expect.stringContaining('10 %'),
      expires: expect.stringMatching(/\d/),
    });
    expect(await codeView(lab.db, code!.code)).toMatchObject({ state: 'open', by: `form “${form.name}”`, person: { name: 'Mallory' } });
    expect(await query(lab.db, `select properties ->> 'code' as code from events where type = 'code.issued'`)).toEqual([
      { code: code!.code },
    ]);
    expect((await forms.confirm(lab.db, first.token)).code).toBeUndefined();
    expect((await forms.confirm(lab.db, (await submit(form)).token)).code).toEqual(code);
    await query(lab.db, `update codes set expires_at = now() - interval '1 day'`);
    expect((await forms.confirm(lab.db, (await submit(form)).token)).code).toBeNull();
    expect(await query(lab.db, 'select 1 from codes')).toHaveLength(1);
  });

  it('is not issued where the offer has ended, and confirming works all the same', async () => {
    await putOffer(lab.db, 'welcome', offer, 'Marla');
    const form = await make({ offer: 'welcome' });
    await archiveOffer(lab.db, 'welcome', 'Marla');
    const done = await forms.confirm(lab.db, (await submit(form)).token);
    expect([done.state, done.code]).toEqual(['done', null]);
  });

  it('needs a confirmed address', () => {
    const { error } = formSchema.safeParse({ ...newForm('x'), doubleOptIn: null, offer: 'welcome' });
    expect(error!.issues.map(({ path }) => path.join('.'))).toEqual(['offer']);
  });
});

describe('a letter to one person', () => {
  let who = '';
  const composed = (message: Email) => letters.writeTo(lab.db, who, { message }, 'Marla');
  const letter = (blocks: Email['blocks'], more: Partial<Email> = {}): Email => ({
    ...own({ kind: 'marketing', subject: 'For you' }),
    blocks,
    ...more,
  });

  it('is written with all its parts, by the same press; what stops a publishing stops it', async () => {
    await lab.tell(
      happening('account.created', {
        id: '1',
        person: { email: 'robin@example.com', firstName: 'Robin', consent: { email: true } },
      }),
    );
    who = `~${(await query<{ id: string }>(lab.db, 'select id from people'))[0]!.id}`;
    await composed(
      letter([
        { id: 'h', kind: 'heading', text: 'Hello {{ person.firstName }}' },
        { id: 'b', kind: 'button', label: 'Look', url: 'https://shop.example/new' },
      ]),
    );
    await lab.settle();
    expect(lab.inbox[0]!.html).toMatch(/<h2[^>]*>Hello Robin<\/h2>/);
    expect(lab.inbox[0]!.html).toContain('href="https://shop.example/new"');
    expect(lab.inbox[0]!.headers.has('list')).toBe(true);
    await expect(composed(letter([{ id: 'b', kind: 'button', label: 'Look', url: '' }]))).rejects.toThrow('Something is to be mended');
    await expect(
      letters.writeTo(lab.db, who, { message: { schema: 'viatic.message/1', channel: 'sms', kind: 'service', text: 'x' } }, 'M'),
    ).rejects.toThrow('Not a letter');
  });
});
