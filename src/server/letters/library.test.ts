import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import type { SendStep } from '@/core/flows';
import { flowWith } from '@/core/flows/testing/asking';
import { checkMessage, plainBrand, type Block, type Email } from '@/core/messages';
import { query } from '@/data/db';
import { findFlow } from '@/data/flows';
import { sealLink } from '../messages/links';
import { noteRating } from '../messages';
import { putProducts } from '../products';
import { keepFile } from '../public';
import { happening, openLab, type Lab } from '../testing/lab';
import {
  brands,
  confirmSender,
  entriesOf,
  feeds,
  keepInLibrary,
  keepRelations,
  library,
  libraryRevision,
  libraryView,
  putBrand,
  putFeed,
  putSender,
  putInLibrary,
  readFeeds,
  removeBrand,
  removeSender,
  renderAs,
  replaceWords,
  senders,
  sendTest,
  tellingFor,
} from '.';

let lab: Lab;
beforeAll(async () => {
  lab = await openLab({ flow: null });
});
afterAll(() => lab.close());
beforeEach(async () => {
  lab.inbox.length = 0;
  await lab.empty(
    'flows',
    'flow_versions',
    'brands',
    'senders',
    'library',
    'library_versions',
    'feeds',
    'products',
    'product_pairs',
    'product_days',
    'product_relations_state',
  );
});

const letter = (blocks: Block[], more: Partial<Email> = {}): Email => ({
  schema: 'viatic.message/1',
  channel: 'email',
  kind: 'marketing',
  subject: 'News',
  preview: '',
  blocks,
  ...more,
});
const text = (words: string, more: object = {}): Block => ({ id: 'b1', kind: 'text', text: words, ...more }) as Block;
const send = (message: Email): SendStep => ({ id: 'news', kind: 'send', name: 'News', message });
const known = (email: string, more: object = {}, type = 'account.created', data: object = {}) =>
  happening(type, { id: email, ...data, person: { email, consent: { email: true }, ...more } });

describe('a condition of a message', () => {
  const german = { id: 'c1', name: 'In Germany', rule: { test: 'attribute' as const, name: 'country', op: 'is' as const, value: 'DE' } };
  const message = letter(
    [
      text('Hallo', { id: 'b1', only: 'c1' }),
      text('Hello', { id: 'b2', unless: 'c1' }),
      text('We send {% if holds.c1 %}by van{% else %}by ship{% endif %}.', { id: 'b3' }),
      {
        id: 'b4',
        kind: 'columns',
        columns: [
          { id: 'b4-1', only: 'c1', blocks: [text('seaside', { id: 'b4-1-1' }) as never] },
          { id: 'b4-2', blocks: [text('hillside', { id: 'b4-2-1' }) as never] },
        ],
      },
    ],
    { conditions: [german] },
  );

  it('is decided as the message is let go, and shows each their part, in both forms of the mail', async () => {
    await lab.addFlow(
      'news',
      flowWith({ name: 'News', triggers: [{ id: 'start', kind: 'event', event: 'account.created', key: 'id' }], steps: [send(message)] }),
    );
    await lab.tell([known('de@example.com', { country: 'DE' }), known('nl@example.com', { country: 'NL' })]);
    await lab.settle();
    const to = (address: string) => lab.inbox.find((mail) => mail.to && 'text' in mail.to && mail.to.text.includes(address))!;
    const [de, nl] = [to('de@'), to('nl@')];
    for (const form of ['text', 'html'] as const) {
      expect(de[form]).toContain('Hallo');
      expect(de[form]).not.toContain('Hello');
      expect(de[form]).toContain('by van');
      expect(de[form]).toContain('seaside');
      expect(nl[form]).toContain('Hello');
      expect(nl[form]).not.toContain('Hallo');
      expect(nl[form]).toContain('by ship');
      expect(nl[form]).not.toContain('seaside');
      expect(nl[form]).toContain('hillside');
    }
    expect(await query(lab.db, 'select holds from sends order by array_length(holds, 1) nulls last')).toEqual([
      { holds: ['c1'] },
      { holds: [] },
    ]);
  });

  it('is looked at for whoever a letter is shown as, made up or on file', async () => {
    await lab.tell(known('de@example.com', { country: 'DE' }));
    const [{ id }] = (await query<{ id: string }>(lab.db, 'select id from people')) as [{ id: string }];
    expect(await renderAs(lab.db, { message, person: `~${id}` })).toMatchObject({
      holds: ['c1'],
      text: expect.stringContaining('Hallo') as string,
    });
    expect(await renderAs(lab.db, { message, person: { country: 'NL' } })).toMatchObject({
      holds: [],
      text: expect.stringContaining('Hello') as string,
    });
    expect((await renderAs(lab.db, { message, person: {}, holds: ['c1'] })).text).toContain('Hallo');
  });
});

describe('products by a rule', () => {
  const products = (from: object, more: object = {}) => letter([{ id: 'p', kind: 'products', from, most: 2, ...more } as Block]);
  const order = (email: string, id: string, skus: string[]) =>
    happening('order.placed', {
      orderId: id,
      currency: 'EUR',
      value: 10,
      items: skus.map((sku) => ({ sku, name: sku, quantity: 1, price: 10 })),
      person: { email, consent: { email: true } },
    });
  beforeEach(async () => {
    await putProducts(
      lab.db,
      {
        products: [
          ...['tank', 'filter', 'food', 'net'].map((sku) => ({
            sku,
            name: `The ${sku}`,
            price: 12,
            compareAt: 15,
            url: `https://shop.example/${sku}`,
            categories: ['Gear'],
          })),
          { sku: 'gone', name: 'The gone', price: 1, stock: 0, url: 'https://shop.example/gone', categories: ['Gear'] },
        ],
      },
      'Marla',
    );
    // of five orders with a tank three have a filter, two what is gone, one food
    await lab.tell([
      order('a@example.com', '1', ['tank', 'filter', 'gone']),
      order('b@example.com', '2', ['tank', 'filter', 'gone']),
      order('c@example.com', '3', ['tank', 'filter']),
      order('d@example.com', '4', ['tank', 'food']),
      order('e@example.com', '5', ['tank']),
      order('f@example.com', '6', ['net', 'food']),
    ]);
    expect(await keepRelations(lab.db)).toBe(true);
    expect(await keepRelations(lab.db)).toBe(false);
  });
  const seen = async (message: Email, person: unknown = {}, event: object = {}) =>
    (await renderAs(lab.db, { message, person, event })).products.p!;
  const about = { items: [{ sku: 'tank', name: 'Tank' }] };

  it('bought together: by how many of its orders have both, with confidence and support, never what is out of stock', async () => {
    expect(await seen(products({ by: 'bought-with' }), {}, about)).toEqual([
      { name: 'The filter', why: 'in 3 of the 5 orders with The tank (confidence 60%, support 50%)' },
      { name: 'The food', why: 'in 1 of the 5 orders with The tank (confidence 20%, support 17%)' },
    ]);
  });

  it('never what somebody has bought lately, nor what is in the cart', async () => {
    const [{ id }] = (await query<{ id: string }>(lab.db, `select id from people where attributes ->> 'email' = 'a@example.com'`)) as [
      { id: string },
    ];
    expect((await seen(products({ by: 'bought-with' }), `~${id}`, about)).map(({ name }) => name)).toEqual(['The food']);
    expect((await seen(products({ by: 'best-sold', days: 30 }), {}, about)).map(({ name }) => name)).toEqual(['The filter', 'The food']);
  });

  it('falls back where nothing is found, and shows no product twice in a letter', async () => {
    expect(await seen(products({ by: 'viewed' }))).toEqual([]);
    expect(
      (await seen(products({ by: 'viewed' }, { otherwise: { by: 'chosen', skus: ['net', 'gone', 'nothing'] } }))).map(({ name, why }) => [
        name,
        why,
      ]),
    ).toEqual([['The net', 'chosen by hand']]);
    const two = letter([
      { id: 'p', kind: 'products', from: { by: 'category', category: 'Gear' }, most: 1 },
      { id: 'q', kind: 'products', from: { by: 'category', category: 'gear' }, most: 1 },
    ]);
    const { products: found } = await renderAs(lab.db, { message: two });
    expect(found.p![0]!.name).not.toBe(found.q![0]!.name);
  });

  it('stand in the mail with picture, price and the price before, each with its link', async () => {
    await lab.addFlow(
      'after',
      flowWith({
        name: 'After',
        triggers: [{ id: 'start', kind: 'event', event: 'order.placed', key: 'orderId' }],
        steps: [send(products({ by: 'bought-with' }))],
      }),
    );
    await lab.tell(order('new@example.com', '7', ['tank']));
    await lab.settle();
    const [mail] = lab.inbox;
    expect(mail!.text).toMatch(/- The filter, €12\.00: http:\/\/localhost:4400\/go\//);
    expect(mail!.html).toContain('€15.00');
    expect(mail!.html).not.toContain('The gone');
  });
});

describe('the library', () => {
  it('keeps revisions, refuses to store over one that was not seen, and says where a message is used', async () => {
    const first = await putInLibrary(lab.db, 'hello', { name: 'Hello', tags: ['a'], message: letter([text('One')]) }, null, 'Marla');
    expect(first).toMatchObject({ revision: 1, kind: 'message', uses: [] });
    const second = await putInLibrary(lab.db, 'hello', { name: 'Hello', message: letter([text('Two')]) }, 1, 'Kim');
    expect(second.revision).toBe(2);
    await expect(putInLibrary(lab.db, 'hello', { name: 'Hello', message: letter([text('Late')]) }, 1, 'Marla')).rejects.toMatchObject({
      status: 409,
    });
    expect(((await libraryRevision(lab.db, 'hello', 1)).document as Email).blocks).toEqual([text('One')]);
    await lab.addFlow(
      'news',
      flowWith({
        name: 'News',
        triggers: [{ id: 'start', kind: 'event', event: 'account.created', key: 'id' }],
        steps: [send({ ...letter([text('One')]), from: { key: 'hello', revision: 1 } })],
      }),
    );
    expect((await libraryView(lab.db, 'hello')).uses).toMatchObject([{ flow: 'news', step: 'news', revision: 1, isOn: true }]);
    await keepInLibrary(lab.db, 'hello', true, 'Marla');
    expect((await library(lab.db, 'message')).items).toMatchObject([{ key: 'hello', isArchived: true }]);
    await expect(putInLibrary(lab.db, 'hello', { name: 'Part', blocks: [text('x')] }, null, 'Marla')).rejects.toMatchObject({
      status: 409,
    });
  });

  it('what one person stores within minutes is one revision; the first stays', async () => {
    for (const words of ['One', 'Two', 'Three', 'Four'])
      await putInLibrary(lab.db, 'hello', { name: 'Hello', message: letter([text(words)]) }, null, 'Marla');
    expect((await libraryView(lab.db, 'hello')).versions.map(({ revision }) => revision)).toEqual([4, 1]);
  });

  it('puts other words in the place of some everywhere, but where it is told not to, and only tells when it is a trial', async () => {
    await putInLibrary(lab.db, 'hello', { name: 'Hello', message: letter([text('Spring sale! Spring sale!')]) }, null, 'Marla');
    await lab.addFlow(
      'news',
      flowWith({
        name: 'News',
        triggers: [{ id: 'start', kind: 'event', event: 'account.created', key: 'id' }],
        steps: [send(letter([text('The Spring sale is on')], { subject: 'Spring sale' }))],
      }),
    );
    const trial = await replaceWords(lab.db, { find: 'Spring', put: 'Summer', isTrial: true }, 'Marla');
    expect(trial).toMatchObject({
      changed: 0,
      places: [
        { id: 'library/hello', times: 2 },
        { id: 'flow/news/news/', times: 2 },
      ],
    });
    const done = await replaceWords(lab.db, { find: 'Spring', put: 'Summer', without: ['library/hello'] }, 'Marla');
    expect(done.changed).toBe(1);
    const flow = (await findFlow(lab.db, 'news'))!;
    expect((flow.draft.steps[0] as SendStep).message).toMatchObject({
      subject: 'Summer sale',
      blocks: [{ text: 'The Summer sale is on' }],
    });
    expect(((await libraryView(lab.db, 'hello')).message as Email).blocks[0]).toMatchObject({ text: 'Spring sale! Spring sale!' });
  });
});

describe('a brand', () => {
  it('is followed by every letter, and the first one cannot be deleted', async () => {
    expect((await brands(lab.db)).brands).toMatchObject([{ isFirst: true, changedAt: null, brand: { name: 'Quillfin' } }]);
    const green = { ...plainBrand('Green'), colours: { ...plainBrand('').colours, accent: '#2F6B3D' }, footer: 'Registered in Waterstad' };
    await putBrand(lab.db, 'one', { brand: plainBrand('One') }, 'Marla');
    await putBrand(lab.db, 'green', { brand: green }, 'Marla');
    const button: Block = { id: 'b', kind: 'button', label: 'Go', url: 'https://shop.example/' };
    expect((await renderAs(lab.db, { message: letter([button], { brand: 'green' }) })).html).toMatch(
      /#2F6B3D[\s\S]*Registered in Waterstad/,
    );
    expect((await renderAs(lab.db, { message: letter([button]) })).html).not.toContain('#2F6B3D');
    await expect(removeBrand(lab.db, 'one', 'Marla')).rejects.toMatchObject({ status: 409 });
    await putBrand(lab.db, 'green', { brand: green, isFirst: true }, 'Marla');
    await removeBrand(lab.db, 'one', 'Marla');
    // a letter that names a brand that is gone is set in the first
    expect((await renderAs(lab.db, { message: letter([button], { brand: 'one' }) })).html).toContain('#2F6B3D');
  });

  it('that cannot be read well is told of (WCAG 2.2: black on white is 21, #777777 on white 4.48)', async () => {
    const pale = { ...plainBrand('Pale'), colours: { ...plainBrand('').colours, ink: '#777777' } };
    const { problems } = await renderAs(lab.db, { message: letter([text('x')]), brand: pale });
    expect(problems).toMatchObject([{ code: 'contrast', says: expect.stringContaining('the contrast is 4.5') as string }]);
  });
});

describe('trying a letter out', () => {
  it('goes to who is named, as the person chosen, marked, and stands nowhere', async () => {
    await lab.tell(known('robin@example.com', { firstName: 'Robin' }));
    const [{ id }] = (await query<{ id: string }>(lab.db, 'select id from people')) as [{ id: string }];
    const message = letter([text('Hello {{ person.firstName }}, take {{ offer.code }}')]);
    expect(
      await sendTest(lab.db, { message, person: `~${id}`, to: ['me@example.com', 'you@example.com', 'me@example.com'] }, 'Marla'),
    ).toEqual({ sent: 2 });
    await lab.settle();
    expect(lab.inbox.map(({ subject }) => subject)).toEqual(['[Test] News', '[Test] News']);
    expect(lab.inbox[0]!.text).toContain('Hello Robin, take QF-7K2M9X');
    expect(await query(lab.db, `select 1 from events where type like 'message.%'`)).toEqual([]);
    expect(await query(lab.db, 'select filled from letters where filled is not null')).toEqual([]);
    await expect(sendTest(lab.db, { message, to: [] }, 'Marla')).rejects.toMatchObject({ status: 422 });
  });

  it('finds who shows something: without a name, with the longest, with most items, in another language', async () => {
    const cart = (email: string, items: number, more: object) =>
      known(email, more, 'cart.updated', {
        cartId: email,
        currency: 'EUR',
        value: 1,
        items: Array.from({ length: items }, (_, n) => ({ sku: `s${n}`, name: `S${n}` })),
      });
    await lab.tell([
      cart('a@example.com', 1, { language: 'en' }),
      cart('b@example.com', 9, { firstName: 'Bo', language: 'en' }),
      cart('c@example.com', 1, { firstName: 'Wilhelmina-Charlotte', language: 'en' }),
      cart('d@example.com', 0, { firstName: 'Di', language: 'de' }),
    ]);
    const found = await tellingFor(lab.db, 'cart.updated');
    expect(found.map(({ name, tells }) => [name, tells])).toEqual([
      ['a@example.com', 'no first name'],
      ['Wilhelmina-Charlotte', 'longest first name'],
      ['Bo', 'most items: 9'],
      ['Di', 'no items'],
    ]);
  });
});

describe('a file that goes with a message', () => {
  it('is attached to service messages, up to 5 MB; marketing carries none; one that is gone keeps it back, said why', async () => {
    const guide = await keepFile(lab.db, 'guide.pdf', Buffer.from('%PDF-1.4 guide'), 'Marla');
    const large = await keepFile(lab.db, 'large.zip', Buffer.alloc(5_000_001), 'Marla');
    const flows = [
      ['service', letter([text('Here it is')], { kind: 'service', attachments: [guide.key] })],
      ['marketing', letter([text('News')], { attachments: [guide.key] })],
      ['large', letter([text('Too large')], { kind: 'service', attachments: [large.key] })],
      ['gone', letter([text('Gone')], { kind: 'service', attachments: ['nothing-of-the-kind'] })],
    ] as const;
    // what stops a publishing is told of, with its place
    expect(checkMessage(flows[1][1]).map(({ code, field }) => [code, field])).toEqual([['files-in-marketing', 'attachments']]);
    for (const [key, message] of flows)
      if (key !== 'marketing')
        await lab.addFlow(
          key,
          flowWith({
            name: key,
            triggers: [{ id: 'start', kind: 'event', event: 'account.created', key: 'id' }],
            steps: [send({ ...message, subject: key })],
          }),
        );
    await lab.tell(known('robin@example.com'));
    await lab.settle();
    expect(
      lab.inbox.map(({ subject, attachments }) => [subject, attachments.map(({ filename, content }) => [filename, content.toString()])]),
    ).toEqual([['service', [['guide.pdf', '%PDF-1.4 guide']]]]);
    expect(await query(lab.db, `select reason from sends where state = 'failed' order by reason`)).toEqual([
      { reason: 'a file that goes with it is gone: nothing-of-the-kind' },
      { reason: 'what goes with it has 5.0 MB, and at most 5 MB do' },
    ]);
  });
});

describe('a sender', () => {
  it('is asked by mail whether its address may be used; until then, and when it is gone, the store’s name stands there', async () => {
    const links: string[] = [];
    const linkTo = (key: string, address: string) => {
      links.push(`${key} ${address}`);
      return `http://localhost:4400/sender/${key}`;
    };
    const put = (address: string, more = {}) =>
      putSender(lab.db, 'marla', { name: 'Marla of Quillfin', address, ...more }, linkTo, 'Marla');
    expect(await put('Marla@Quillfin.example')).toMatchObject({ address: 'marla@quillfin.example', verifiedAt: null });
    await put('marla@quillfin.example');
    expect(links).toEqual(['marla marla@quillfin.example']);
    await lab.settle();
    expect(lab.inbox.map(({ subject }) => subject)).toEqual(['Quillfin: may letters go out in the name of this address?']);
    const message = letter([text('x')], { sender: 'marla', replyTo: 'answers@quillfin.example' });
    await lab.addFlow(
      'news',
      flowWith({ name: 'News', triggers: [{ id: 'start', kind: 'event', event: 'account.created', key: 'id' }], steps: [send(message)] }),
    );
    const from = async (to: string) => {
      lab.inbox.length = 0;
      await lab.tell(known(to));
      await lab.settle();
      return [lab.inbox[0]!.from!.text, lab.inbox[0]!.replyTo?.text];
    };
    expect(await from('a@example.com')).toEqual(['"Quillfin" <hello@quillfin.example>', 'answers@quillfin.example']);
    expect(await confirmSender(lab.db, 'marla', 'other@quillfin.example')).toBe(false);
    expect(await confirmSender(lab.db, 'marla', 'marla@quillfin.example')).toBe(true);
    expect((await from('b@example.com'))[0]).toBe('"Marla of Quillfin" <marla@quillfin.example>');
    // another address is another question
    expect((await put('new@quillfin.example')).verifiedAt).toBeNull();
    expect((await from('c@example.com'))[0]).toBe('"Quillfin" <hello@quillfin.example>');
    await removeSender(lab.db, 'marla', 'Marla');
    expect((await senders(lab.db)).senders).toEqual([]);
    expect((await from('d@example.com'))[0]).toBe('"Quillfin" <hello@quillfin.example>');
  });
});

describe('an answer to a question of a letter', () => {
  it('is an event of whoever got it, once, and with the words that go with it', async () => {
    const message = letter([{ id: 'q', kind: 'rating', question: 'How was it?', scale: 'five' }]);
    await lab.addFlow(
      'news',
      flowWith({ name: 'News', triggers: [{ id: 'start', kind: 'event', event: 'account.created', key: 'id' }], steps: [send(message)] }),
    );
    await lab.tell(known('robin@example.com'));
    await lab.settle();
    const links = [...(lab.inbox[0]!.html as string).matchAll(/\/rate\/([^"]+)"/g)].map(([, token]) => token!);
    expect(links).toHaveLength(5);
    const { openLink } = await import('../messages');
    const link = openLink('a-secret-for-tests-of-32-characters!', links[3]!, 'rate')!;
    expect(link.rating).toEqual({ block: 'q', value: 4 });
    expect(openLink('a-secret-for-tests-of-32-characters!', sealLink('another-secret-of-32-characters!!', link), 'rate')).toBeNull();
    await noteRating(lab.db, link, '');
    await noteRating(lab.db, link, 'It floats');
    const events = await query<{ type: string; properties: object }>(
      lab.db,
      `select type, properties from events where type like 'rating.%' order by time, type`,
    );
    expect(events).toMatchObject([
      { type: 'rating.given', properties: { flow: 'news', block: 'q', value: 4 } },
      { type: 'rating.explained', properties: { words: 'It floats' } },
    ]);
  });
});

describe('a feed', () => {
  let server: Server;
  let body = '';
  let host = '';
  beforeAll(async () => {
    server = createServer((request, response) => {
      if (request.url === '/on') return void response.writeHead(302, { location: '/feed' }).end();
      if (request.url === '/inside') return void response.writeHead(302, { location: 'http://169.254.1.1/' }).end();
      if (request.url === '/endless') {
        response.writeHead(200);
        const more = setInterval(() => response.write('x'.repeat(200_000)), 1);
        return void response.on('close', () => clearInterval(more));
      }
      response.writeHead(200).end(body);
    });
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', () => resolve()));
    host = `127.0.0.1:${(server.address() as AddressInfo).port}`;
  });
  afterAll(() => new Promise((resolve) => server.close(resolve)));

  const atom = (entries: string) => `<?xml version="1.0"?><feed xmlns="http://www.w3.org/2005/Atom"><title>Blog</title>${entries}</feed>`;
  const entry = (id: string, at: string) =>
    `<entry><id>${id}</id><title>Entry &lt;b&gt;${id}&lt;/b&gt;</title><updated>${at}</updated><link href="https://blog.example/${id}"/><summary>About ${id}</summary></entry>`;

  it('is read at once and as often as is said, newest first; where it breaks, what was there stays', async () => {
    body = atom(entry('a', '2026-11-01T10:00:00Z') + entry('b', '2026-11-03T10:00:00Z'));
    const feed = await putFeed(lab.db, 'blog', { name: 'Blog', url: `http://${host}/on` }, [host], 'Marla');
    expect(feed).toMatchObject({
      title: 'Blog',
      problem: null,
      entries: [{ name: 'Entry b', url: 'https://blog.example/b' }, { name: 'Entry a' }],
    });
    const message = letter([{ id: 'f', kind: 'feed', feed: 'blog', most: 1 }]);
    expect((await renderAs(lab.db, { message })).text).toContain('- Entry b: https://blog.example/b');
    body = 'nothing of the kind';
    await lab.pass('PT30M');
    await readFeeds(lab.db, [host]);
    expect((await feeds(lab.db)).feeds[0]!.problem).toBeNull();
    await lab.pass('PT31M');
    await readFeeds(lab.db, [host]);
    expect((await feeds(lab.db)).feeds[0]).toMatchObject({
      problem: 'it is no feed: RSS, Atom, RDF and JSON feeds are read',
      entries: [{ name: 'Entry b' }, {}],
    });
  });

  it('reads RSS and JSON too, and nothing of it becomes markup', () => {
    const rss = `<rss version="2.0"><channel><title>News</title><item><title>One &amp; &lt;script&gt;alert(1)&lt;/script&gt;two</title><link>javascript:alert(1)</link><description>&lt;p&gt;Words&lt;/p&gt;</description><pubDate>Tue, 03 Nov 2026 10:00:00 GMT</pubDate></item></channel></rss>`;
    expect(entriesOf(rss)).toMatchObject({
      title: 'News',
      entries: [{ name: 'One & two', url: null, words: 'Words', at: '2026-11-03T10:00:00.000Z' }],
    });
    const json = JSON.stringify({
      version: 'https://jsonfeed.org/version/1.1',
      title: 'J',
      items: [{ id: '1', title: 'T', url: 'https://j.example/1', content_text: 'w' }],
    });
    expect(entriesOf(json)).toMatchObject({ title: 'J', entries: [{ name: 'T', url: 'https://j.example/1' }] });
  });

  it('that means harm is refused: entities, the inside of the network, a stream without end', async () => {
    const laughs = `<?xml version="1.0"?><!DOCTYPE lolz [<!ENTITY lol "lol"><!ENTITY lol2 "&lol;&lol;">]><rss><channel><title>&lol2;</title></channel></rss>`;
    expect(entriesOf(laughs)).toEqual({ problem: 'it has a document type, which feeds have no need of' });
    body = `<!DOCTYPE x [<!ENTITY e SYSTEM "file:///etc/passwd">]><rss/>`;
    expect((await putFeed(lab.db, 'evil', { name: 'E', url: `http://${host}/` }, [host], 'M')).problem).toMatch(/document type/);
    expect((await putFeed(lab.db, 'evil', { name: 'E', url: `http://${host}/feed` }, [], 'M')).problem).toMatch(/inside of our network/);
    expect((await putFeed(lab.db, 'evil', { name: 'E', url: `http://${host}/inside` }, [host], 'M')).problem).toMatch(
      /inside of our network/,
    );
    expect((await putFeed(lab.db, 'evil', { name: 'E', url: `http://${host}/endless` }, [host], 'M')).problem).toBe('is larger than 2 MB');
    await expect(putFeed(lab.db, 'evil', { name: 'E', url: 'file:///etc/passwd' }, [], 'M')).rejects.toMatchObject({ status: 422 });
  });
});
