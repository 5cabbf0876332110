import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { newForm, type Form } from '@/core/forms';
import { query } from '@/data/db';
import { findForm } from '@/data/public';
import { personTimeline } from '../people';
import { happening, openLab, type Lab } from '../testing/lab';

let lab: Lab;
let forms: typeof import('./forms');
let prefs: typeof import('./prefs');
let consent: typeof import('../people/consent');
let lists: typeof import('../people/lists');
let settings: typeof import('../store/settings');
let links: typeof import('../messages/links');
const SECRET = 'a-secret-for-tests-of-32-characters!';
beforeAll(async () => {
  lab = await openLab({ flow: null });
  Object.assign(process.env, {
    VIATIC_DATABASE_URL: lab.url,
    VIATIC_URL: 'http://viatic.example',
    VIATIC_SECRET: SECRET,
    VIATIC_SMTP_URL: 'smtp://127.0.0.1:1',
    VIATIC_MAIL_HOOK_SECRET: 'whsec_MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw',
    VIATIC_TEXT_HOOK_SECRET: 'whsec_MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw',
  });
  [forms, prefs, consent, lists, settings, links] = await Promise.all([
    import('./forms'),
    import('./prefs'),
    import('../people/consent'),
    import('../people/lists'),
    import('../store/settings'),
    import('../messages/links'),
  ]);
});
afterAll(() => lab.close());
beforeEach(async () => {
  lab.inbox.length = 0;
  await lab.empty();
});

let n = 0;
const make = async (change: Partial<Form> = {}) => {
  const key = `form-${++n}`;
  await forms.writeForm(lab.db, key, { ...newForm(`Form ${n}`), ...change }, null, 'test');
  return (await findForm(lab.db, key))!;
};
const given = { email: 'Robin@Example.com', 'first-name': 'Robin', 'consent-email': 'yes' };
const tokenIn = (text: string) => /\/confirm\/([\w-]+)/.exec(text)![1]!;
const reach = () =>
  query(
    lab.db,
    `select p.email, c.state, c.how, c.wording, c.box, c.place from people p left join consents c on c.person_id = p.id order by 1`,
  );

describe('a form', () => {
  it('with double opt-in counts after the click, once, and keeps words, place and box', async () => {
    const form = await make({
      list: null,
      hidden: [{ name: 'campaign', value: 'spring' }],
      promise: { kind: 'link', url: 'http://shop.example/guide.pdf', label: 'The guide' },
    });
    expect(await forms.submitForm(lab.db, form, given, 'http://shop.example/page')).toEqual({ kind: 'asked' });
    await lab.settle();
    expect(await reach()).toEqual([]);
    expect(lab.inbox.map((mail) => mail.subject)).toEqual(['One click and you are on the list']);
    const token = tokenIn(lab.inbox[0]!.text!);
    expect((await forms.confirmationOf(lab.db, token)).state).toBe('ask');
    expect(await reach()).toEqual([]);
    expect((await forms.confirm(lab.db, token)).state).toBe('done');
    await forms.confirm(lab.db, token);
    expect(await reach()).toMatchObject([
      {
        email: 'robin@example.com',
        state: 'given',
        how: expect.stringContaining('confirmed by mail'),
        wording: 'Yes, send me news by email. I can stop at any time.',
        box: 'unticked',
        place: 'http://shop.example/page',
      },
    ]);
    expect(await query(lab.db, `select properties from events where type = 'form.submitted'`)).toMatchObject([
      { properties: { formId: form.key, campaign: 'spring', download: 'http://shop.example/guide.pdf', isConfirmed: true } },
    ]);
  });

  it('counts as a whole or not at all: what fails half-way can be confirmed again', async () => {
    const form = await make({ tag: 'spring' });
    await forms.submitForm(lab.db, form, given, 'http://shop.example/page');
    await lab.settle();
    const token = tokenIn(lab.inbox[0]!.text!);
    await query(lab.db, `create function full_disk() returns trigger language plpgsql as $$ begin raise exception 'no space left'; end $$`);
    await query(lab.db, 'create trigger full_disk before insert on person_tags for each row execute function full_disk()');
    try {
      await expect(forms.confirm(lab.db, token)).rejects.toThrow('no space left');
      expect((await forms.confirmationOf(lab.db, token)).state).toBe('ask');
      expect(
        await query(lab.db, 'select (select count(*)::int from events) as events, (select count(*)::int from people) as people'),
      ).toEqual([{ events: 0, people: 0 }]);
    } finally {
      await query(lab.db, 'drop function full_disk() cascade');
    }
    expect((await forms.confirm(lab.db, token)).state).toBe('done');
    expect(
      await query(
        lab.db,
        `select (select tag from person_tags), (select state from consents), (select count(*)::int from events where type = 'form.submitted') as events`,
      ),
    ).toEqual([{ tag: 'spring', state: 'given', events: 1 }]);
  });

  it('a link that is too old, or made up, confirms nothing', async () => {
    const form = await make();
    await forms.submitForm(lab.db, form, given, 'x');
    await lab.settle();
    await query(lab.db, `update confirmations set expires_at = now() - interval '1 day'`);
    expect((await forms.confirm(lab.db, tokenIn(lab.inbox[0]!.text!))).state).toBe('late');
    expect((await forms.confirm(lab.db, 'made-up')).state).toBe('unknown');
    expect(await reach()).toEqual([]);
  });

  it('fills nobody’s inbox: after three mails in an hour the same address gets none, and the page says the same', async () => {
    const form = await make();
    for (let i = 0; i < 6; i++) expect(await forms.submitForm(lab.db, form, given, 'x')).toEqual({ kind: 'asked' });
    await lab.settle();
    expect(lab.inbox).toHaveLength(3);
  });

  it('a program that fills in what people do not see is thanked and forgotten', async () => {
    const form = await make({ doubleOptIn: null });
    expect(await forms.submitForm(lab.db, form, { ...given, 'your-website': 'http://spam.example' }, 'x')).toEqual({
      kind: 'done',
    });
    expect(await reach()).toEqual([]);
  });

  it('without double opt-in a stranger fills gaps of somebody on file, but changes nothing and lifts nothing', async () => {
    await lab.tell(happening('page.viewed', { person: { email: 'robin@example.com', firstName: 'Robin', consent: { email: true } } }));
    const [row] = await query<{ id: string }>(lab.db, 'select id from people');
    await consent.unsubscribe(lab.db, row!.id, 'test');
    const form = await make({
      doubleOptIn: null,
      fields: [...newForm('x').fields, { id: 'litres', attribute: 'tankLitres', type: 'number', label: 'Litres', required: false }],
    });
    await forms.submitForm(lab.db, form, { ...given, 'first-name': 'Mallory', litres: '60' }, 'x');
    expect(await query(lab.db, `select attributes from people`)).toEqual([
      { attributes: { email: 'robin@example.com', firstName: 'Robin', tankLitres: 60 } },
    ]);
    expect(await query(lab.db, 'select reason from suppressions')).toEqual([{ reason: 'unsubscribed' }]);
  });

  it('says what is wrong by field, and takes HTML for text', async () => {
    const form = await make({
      fields: [
        ...newForm('x').fields,
        { id: 'size', attribute: 'size', type: 'choice', label: 'Size', required: true, options: ['small', 'big'] },
      ],
    });
    expect(await forms.submitForm(lab.db, form, { email: 'no', size: 'huge' }, 'x')).toEqual({
      kind: 'wrong',
      problems: {
        email: expect.stringContaining('not an email address'),
        size: 'Please choose one of these.',
        'consent-email': 'Please tick this box to sign up.',
      },
    });
    const page = forms.formPage(form, 'Quillfin', { given: { 'first-name': '"><script>alert(1)</script>' }, isEmbedded: false });
    expect(page).not.toContain('<script>alert');
    expect(page).not.toContain(' checked');
  });

  it('flows listen to one, to several or to all: what is made later too', async () => {
    const listening = (key: string, where?: object[]) =>
      lab.addFlow(key, {
        schema: 'viatic.flow/1',
        name: key,
        triggers: [{ id: 'start', kind: 'event', event: 'form.submitted', key: null, ...(where && { where: where as never }) }],
        entry: null,
        stay: null,
        reentry: 'always',
        goal: null,
        steps: [{ id: 'end', kind: 'end' }],
      });
    const one = await make({ doubleOptIn: null });
    await listening('to-all');
    await listening('to-one', [{ property: 'formId', op: 'oneOf', value: [one.key] }]);
    const later = await make({ doubleOptIn: null });
    await forms.submitForm(lab.db, one, given, 'x');
    await forms.submitForm(lab.db, later, { ...given, email: 'kim@example.com' }, 'x');
    await lab.settle();
    expect(
      await query(
        lab.db,
        `select f.key, p.email from runs r join flows f on f.id = r.flow_id join people p on p.id = r.person_id order by 1, 2`,
      ),
    ).toEqual([
      { key: 'to-all', email: 'kim@example.com' },
      { key: 'to-all', email: 'robin@example.com' },
      { key: 'to-one', email: 'robin@example.com' },
    ]);
    expect((await forms.formView(lab.db, later.key)).flows).toEqual([{ key: 'to-all', name: 'to-all', listensTo: 'all' }]);
  });

  it('a promised file is kept as what no browser runs', async () => {
    await expect(forms.keepFile(lab.db, 'evil.html', Buffer.from('<script>'), 'test')).rejects.toThrow('may be pdf');
    const kept = await forms.keepFile(lab.db, 'guide.pdf', Buffer.from('%PDF-1.7'), 'test');
    expect(await forms.promisedFile(lab.db, kept.key)).toMatchObject({ type: 'application/pdf' });
    expect(await forms.promisedFile(lab.db, 'guess')).toBeNull();
  });
});

describe('the preference page', () => {
  const robin = async (more: object = {}) => {
    await lab.tell(
      happening('page.viewed', {
        person: { email: 'robin@example.com', phone: '+447700900123', consent: { email: true, sms: true }, ...more },
      }),
    );
    return (await query<{ id: string }>(lab.db, 'select id from people'))[0]!.id;
  };

  it('opens by a sealed link only, and shows its owner enough of the address and a stranger nothing', async () => {
    const id = await robin();
    const token = links.sealLink(SECRET, { purpose: 'prefs', personId: id, sendId: '0' });
    expect(await prefs.personOfLink(lab.db, token)).toBe(id);
    expect(
      await prefs.personOfLink(
        lab.db,
        token.replace(/.$/, (c) => (c === 'A' ? 'B' : 'A')),
      ),
    ).toBeNull();
    expect(
      await prefs.personOfLink(
        lab.db,
        links.sealLink('another-secret-of-32-characters-long', { purpose: 'prefs', personId: id, sendId: '0' }),
      ),
    ).toBeNull();
    expect(await prefs.personOfLink(lab.db, links.sealLink(SECRET, { purpose: 'open', personId: id, sendId: '0' }))).toBeNull();
    const page = prefs.prefsPage((await prefs.choicesOf(lab.db, id))!, null);
    expect(page).toContain('r…@example.com');
    expect(page).not.toContain('robin@example.com');
  });

  it('keeps channels, topics and a pause; the pause ends by itself; leaving everything can be taken back by their own word', async () => {
    const id = await robin();
    await settings.storeTopics(
      lab.db,
      {
        topics: [
          { key: 'plants', name: 'Plants', about: '' },
          { key: 'offers', name: 'Offers', about: '' },
        ],
      },
      'test',
    );
    await prefs.saveChoices(lab.db, id, { act: 'save', 'channel-email': 'yes', 'topic-plants': 'yes', pause: '14' });
    const { personView } = await import('../people');
    let view = await personView(lab.db, `~${id}`);
    // the box about counting was left empty: that is their word, too
    expect(view.attributes.tracking).toBe(false);
    expect((await prefs.choicesOf(lab.db, id))!.isTracked).toBe(false);
    await prefs.saveChoices(lab.db, id, { act: 'save', 'channel-email': 'yes', 'topic-plants': 'yes', pause: '14', tracking: 'yes' });
    expect((await prefs.choicesOf(lab.db, id))!.isTracked).toBe(true);
    expect(view.channels.map((one) => [one.channel, one.state])).toEqual([
      ['email', 'given'],
      ['sms', 'withdrawn'],
      ['push', 'unknown'],
    ]);
    expect(view).toMatchObject({ declined: ['offers'], consent: { email: { because: 'asked for a pause that still lasts' } } });
    await lab.pass('P15D');
    expect((await personView(lab.db, `~${id}`)).consent.email.reachable).toBe(true);
    await prefs.saveChoices(lab.db, id, { act: 'leave' });
    view = await personView(lab.db, `~${id}`);
    expect(view.consent.email).toMatchObject({ state: 'withdrawn', suppressed: 'unsubscribed' });
    await prefs.saveChoices(lab.db, id, { act: 'save', 'channel-email': 'yes', pause: '0' });
    expect((await personView(lab.db, `~${id}`)).consent.email.reachable).toBe(true);
    expect(
      (await query<{ how: string }>(lab.db, `select how from consent_log where channel = 'email' order by id`)).map((one) => one.how),
    ).toEqual(['page.viewed from test', 'preference page', 'preference page']);
  });

  it('speaks the language on file, and keeps on record the very words that were agreed to', async () => {
    const { leavePage, notCompletePage, speechFor } = await import('.');
    const id = await robin({ language: 'nl-BE' });
    const choices = (await prefs.choicesOf(lab.db, id))!;
    const page = prefs.prefsPage(choices, null);
    expect(page).toContain('<html lang="nl">');
    expect(page).toContain(' mag me per e-mail schrijven.');
    expect(page).toContain('Voor alles afmelden');
    expect(await prefs.saveChoices(lab.db, id, { act: 'save', 'channel-email': 'yes', pause: '14', tracking: 'yes' })).toBe(
      'Dat is bewaard.',
    );
    const words = await query<{ wording: string }>(lab.db, 'select wording from consent_log order by id desc limit 1');
    expect(words[0]!.wording).toMatch(/ mag me per sms schrijven\.$/);
    expect(prefs.prefsPage((await prefs.choicesOf(lab.db, id))!, null)).toMatch(/tot \d+ [a-z]+ 20\d\d, zoals het staat/);
    const dutch = await speechFor(lab.db, id);
    expect(leavePage(dutch, 'done', 'x')).toMatch(/Je bent afgemeld.*\/prefs\/x/s);
    // whose language we do not know is spoken to in the store's, and in English where that is not known either
    await query(lab.db, `update people set attributes = attributes || '{"language": "cy"}'`);
    expect((await speechFor(lab.db, id)).language).toBe('en');
    await query(lab.db, `update store set languages = '{de,en}'`);
    expect([(await speechFor(lab.db, id)).language, (await speechFor(lab.db, null)).language]).toEqual(['de', 'de']);
    expect(notCompletePage(await speechFor(lab.db, null))).toContain('Dieser Link ist nicht vollständig');
    await query(lab.db, `update store set languages = '{en}'`);
  });

  it('a declined topic keeps a message back, and the trace says so', async () => {
    const id = await robin();
    await settings.storeTopics(lab.db, { topics: [{ key: 'offers', name: 'Offers', about: '' }] }, 'test');
    await prefs.saveChoices(lab.db, id, { act: 'save', 'channel-email': 'yes', 'channel-sms': 'yes', pause: '0' });
    await lab.addFlow('offers', {
      schema: 'viatic.flow/1',
      name: 'Offers',
      triggers: [{ id: 'start', kind: 'event', event: 'app.asked', key: null }],
      entry: null,
      stay: null,
      reentry: 'always',
      goal: null,
      steps: [
        {
          id: 'send',
          kind: 'send',
          name: 'An offer',
          message: {
            schema: 'viatic.message/1',
            channel: 'email',
            kind: 'marketing',
            topic: 'offers',
            subject: 'Less',
            preview: '',
            blocks: [{ id: 'text', kind: 'text', text: 'Less' }],
          },
        },
      ],
    });
    await lab.tell(happening('app.asked', { person: { email: 'robin@example.com' } }));
    await lab.settle();
    expect(lab.inbox).toEqual([]);
    expect((await personTimeline(lab.db, `~${id}`, new URL('http://x/'))).items.map((item) => item.says)).toContain(
      'Did not send “An offer”: does not want to read about offers',
    );
  });
});

describe('bounces', () => {
  it('soft ones put the address out of use after three in a row without a delivery; a delivery in between begins anew', async () => {
    await lab.tell(happening('page.viewed', { person: { email: 'robin@example.com' } }));
    const id = (await query<{ id: string }>(lab.db, 'select id from people'))[0]!.id;
    const { recordOwn } = await import('../ingest/ingest');
    const bounce = async (name: string) => {
      await recordOwn(lab.db, {
        personId: id,
        type: 'message.bounced',
        eventId: `bounce/${name}`,
        properties: { sendId: '0', class: 'soft' },
      });
      await consent.noteSoftBounce(lab.db, id);
      return (await query(lab.db, 'select 1 from suppressions')).length;
    };
    expect([await bounce('1'), await bounce('2')]).toEqual([0, 0]);
    await recordOwn(lab.db, { personId: id, type: 'message.delivered', eventId: 'delivered/1', properties: { sendId: '0' } });
    await new Promise((done) => setTimeout(done, 5));
    expect([await bounce('3'), await bounce('4'), await bounce('5')]).toEqual([0, 0, 1]);
    expect(await query(lab.db, 'select reason, note from suppressions')).toEqual([{ reason: 'bounced', note: '3 soft bounces in a row' }]);
  });
});

describe('a form that nobody has confirmed', () => {
  const plain = () =>
    make({
      doubleOptIn: null,
      consents: [
        { channel: 'email', wording: 'Yes', required: true },
        { channel: 'sms', wording: 'Yes, by SMS', required: false },
      ],
      fields: [...newForm('x').fields, { id: 'phone', attribute: 'phone', type: 'phone', label: 'Phone', required: false }],
    });
  const states = () => query(lab.db, `select c.channel, c.state from consents c join people p on p.id = c.person_id order by 1`);

  it('never lifts a withdrawal: a box that a stranger ticks is not its owner’s word', async () => {
    const form = await plain();
    await lab.tell(happening('page.viewed', { person: { email: 'robin@example.com', consent: { email: false } } }));
    const log = () => query(lab.db, 'select count(*)::int as n from consent_log');
    const before = await log();
    expect(await forms.submitForm(lab.db, form, { ...given, phone: '+31612345678', 'consent-sms': 'yes' }, 'http://shop.example/')).toEqual(
      { kind: 'done' },
    );
    expect(await states()).toEqual([
      { channel: 'email', state: 'withdrawn' },
      { channel: 'sms', state: 'given' },
    ]);
    expect(await log()).toEqual([{ n: (before[0] as { n: number }).n + 1 }]);
  });

  it.each(['unsubscribed', 'complained', 'bounced', 'by hand'])(
    'nor a suppression (%s), and an address out of use counts as not agreed',
    async (reason) => {
      const form = await plain();
      await query(lab.db, `insert into suppressions (channel, address, reason, at) values ('email', 'robin@example.com', :reason, now())`, {
        reason,
      });
      await forms.submitForm(lab.db, form, given, 'http://shop.example/');
      expect(await query(lab.db, 'select reason from suppressions')).toEqual([{ reason }]);
      expect(await states()).toEqual([]);
    },
  );

  it('while the click in the mail does lift what they themselves had asked for', async () => {
    const form = await make();
    await lab.tell(happening('page.viewed', { person: { email: 'robin@example.com', consent: { email: false } } }));
    await forms.submitForm(lab.db, form, given, 'http://shop.example/');
    await lab.settle();
    await forms.confirm(lab.db, tokenIn(lab.inbox.at(-1)!.text!));
    expect(await states()).toEqual([{ channel: 'email', state: 'given' }]);
  });

  it('confirmed, it joins the device in whose page it stood; unconfirmed it does not', async () => {
    const device = 'device-of-a-browser-7';
    await lab.tell(happening('product.viewed', { sku: 'x', person: { device } }));
    const ownerOf = () =>
      query(lab.db, `select p.email from identifiers i join people p on p.id = i.person_id where i.kind = 'device' and i.value = :device`, {
        device,
      });
    await forms.submitForm(lab.db, await plain(), { ...given, device }, 'http://shop.example/');
    expect(await ownerOf()).toEqual([{ email: null }]);
    await forms.submitForm(lab.db, await make(), { ...given, device }, 'http://shop.example/');
    await lab.settle();
    await forms.confirm(lab.db, tokenIn(lab.inbox.at(-1)!.text!));
    expect(await ownerOf()).toEqual([{ email: 'robin@example.com' }]);
  });

  it('many of one name at once are made under names of their own', async () => {
    const made = await Promise.all(Array.from({ length: 6 }, () => forms.makeForm(lab.db, { name: 'The same' }, 'test')));
    expect(new Set(made.map(({ key }) => key)).size).toBe(6);
    const all = await Promise.all(Array.from({ length: 6 }, () => lists.makeList(lab.db, { name: 'The same' }, 'test')));
    expect(new Set(all.map(({ key }) => key)).size).toBe(6);
  });
});

describe('a list with double opt-in', () => {
  it('takes who has agreed at once, and asks the others by mail first', async () => {
    const list = await lists.makeList(lab.db, { name: 'Plant letter', doubleOptIn: true }, 'test');
    await lab.tell([
      happening('page.viewed', { person: { email: 'agreed@example.com', consent: { email: true } } }),
      happening('page.viewed', { person: { email: 'asked@example.com' } }),
    ]);
    const [agreed, asked] = (await query<{ id: string }>(lab.db, 'select id from people order by email')).map((one) => `~${one.id}`);
    expect(await lists.membership(lab.db, agreed!, list.key, true, 'test')).toEqual({ state: 'on' });
    expect(await lists.membership(lab.db, asked!, list.key, true, 'test')).toEqual({ state: 'asked' });
    expect(await lists.listView(lab.db, list.key)).toMatchObject({ people: 1, waiting: 1 });
    await lab.settle();
    await forms.confirm(lab.db, tokenIn(lab.inbox[0]!.text!));
    expect(await lists.listView(lab.db, list.key)).toMatchObject({ people: 2, waiting: 0 });
    expect((await lists.growth(lab.db, list.key)).days.at(-1)).toMatchObject({ joined: 2, left: 0, people: 2 });
    // who has not answered within the week is not waited for any more
    await lab.tell(happening('page.viewed', { person: { email: 'silent@example.com' } }, { subject: 'silent' }));
    await lists.membership(lab.db, 'silent', list.key, true, 'test');
    expect(await lists.listView(lab.db, list.key)).toMatchObject({ waiting: 1 });
    await lab.pass('P8D');
    expect(await lists.listView(lab.db, list.key)).toMatchObject({ people: 2, waiting: 0 });
  });
});

describe('a letter that comes back', () => {
  it('a hard bounce or a complaint puts its address out of use at once, be it of somebody on file or not', async () => {
    const { mailReport } = await import('../messages/mailhook');
    const { Webhook } = await import('standardwebhooks');
    const report = async (type: string, id: string, more: object = {}) => {
      const body = JSON.stringify({ type, messageId: `<letter-${id}@quillfin.example>`, ...more });
      const at = new Date();
      await mailReport(
        lab.db,
        new Headers({
          'webhook-id': 'm',
          'webhook-timestamp': String(Math.floor(at.getTime() / 1000)),
          'webhook-signature': new Webhook(process.env.VIATIC_MAIL_HOOK_SECRET!).sign('m', at, body),
        }),
        body,
      );
    };
    await lab.tell(happening('page.viewed', { person: { email: 'known@example.com' } }));
    const form = await make();
    for (const email of ['known@example.com', 'stranger@example.com', 'fine@example.com', 'full@example.com'])
      await forms.submitForm(lab.db, form, { ...given, email }, 'http://shop.example/');
    await lab.settle();
    const letters = new Map(
      (await query<{ id: string; address: string }>(lab.db, 'select id, address from letters')).map((row) => [row.address, row.id]),
    );
    await report('message.bounced', letters.get('known@example.com')!, { class: 'hard' });
    await report('message.complained', letters.get('stranger@example.com')!);
    await report('message.delivered', letters.get('fine@example.com')!);
    await report('message.bounced', letters.get('full@example.com')!, { class: 'soft' });
    expect(await query(lab.db, 'select address, reason from suppressions order by 1')).toEqual([
      { address: 'known@example.com', reason: 'bounced' },
      { address: 'stranger@example.com', reason: 'complained' },
    ]);
    expect(await query(lab.db, 'select address, state from letters order by 1')).toEqual([
      { address: 'fine@example.com', state: 'delivered' },
      { address: 'full@example.com', state: 'bounced' },
      { address: 'known@example.com', state: 'bounced' },
      { address: 'stranger@example.com', state: 'sent' },
    ]);
    expect(
      await query(lab.db, `select p.email, e.type from events e join people p on p.id = e.person_id where e.type like 'message.%'`),
    ).toEqual([{ email: 'known@example.com', type: 'message.bounced' }]);
    await expect(report('message.bounced', '999999')).rejects.toMatchObject({ status: 404 });
  });
});

describe('the list of those never written to', () => {
  it('flows that wait look again at everybody concerned, however many: when put on, and when taken off', async () => {
    await query(
      lab.db,
      `insert into people (id, attributes, stamped, created_at, seen_at) select 1000000 + n, jsonb_build_object('email', 'n' || n || '@example.com'),
        '{}', now(), now() from generate_series(1, 1200) n`,
    );
    await query(
      lab.db,
      `insert into identifiers (kind, value, person_id, first_at) select 'email', 'n' || n || '@example.com', 1000000 + n, now()
        from generate_series(1, 1200) n`,
    );
    await query(
      lab.db,
      `insert into flows (key, name, state, draft, created_at, changed_at) values ('waits', 'Waits', 'archived', '{}', now(), now())`,
    );
    await query(
      lab.db,
      `insert into runs (person_id, flow_id, version, key, phase, armed_at, entered_at, wakes_on) select 1000000 + n, (select id from flows
        where key = 'waits'), 1, '', 'inside', now(), now(), '{reach/email}' from generate_series(1, 1200) n`,
    );
    const woken = async () => (await query<{ n: number }>(lab.db, `select count(*)::int as n from runs where wake_at is not null`))[0]!.n;
    await settings.addSuppressions(lab.db, { addresses: Array.from({ length: 1200 }, (_, n) => `n${n + 1}@example.com`) }, 'test');
    expect(await woken()).toBe(1200);
    await query(lab.db, 'update runs set wake_at = null');
    await settings.lift(lab.db, 'email', 'n7@example.com', 'they asked on the phone', 'test');
    expect(await woken()).toBe(1);
    await query(lab.db, 'truncate runs');
    await query(lab.db, `delete from flows where key = 'waits'`);
  });

  it('takes many at once, says which are no addresses, and is only left with a reason', async () => {
    expect(
      await settings.addSuppressions(lab.db, { addresses: ['A@example.com', 'a@example.com', 'nonsense', 'b@example.com'] }, 'test'),
    ).toEqual({ added: 2, known: 0, wrong: ['nonsense'] });
    await expect(settings.lift(lab.db, 'email', 'a@example.com', '', 'test')).rejects.toThrow('Say why');
    await settings.lift(lab.db, 'email', 'a@example.com', 'they asked on the phone', 'test');
    expect((await settings.suppressions(lab.db, new URL('http://x/'))).suppressions.map((one) => one.address)).toEqual(['b@example.com']);
  });
});
