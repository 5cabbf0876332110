import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import type { SendStep } from '@/core/flows';
import { flowWith } from '@/core/flows/testing/asking';
import { checkMessage, type Block, type Email } from '@/core/messages';
import { localClock } from '@/core/time';
import { query } from '@/data/db';
import { moveClockTo } from '@/data/store';
import { noteDownload, openLink } from '../messages';
import { files, keepFile } from '../public';
import { writeTracking } from '../sending';
import { happening, openLab, type Lab } from '../testing/lab';
import { putWarmUp, renderAs, senders } from '.';

const SECRET = 'a-secret-for-tests-of-32-characters!';
let lab: Lab;
beforeAll(async () => {
  lab = await openLab({ flow: null });
});
afterAll(() => lab.close());
beforeEach(async () => {
  lab.inbox.length = 0;
  await lab.empty('flows', 'flow_versions', 'senders', 'warm_ups', 'sender_days', 'files');
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
const news = (message: Email) => {
  const send: SendStep = { id: 'news', kind: 'send', name: 'News', message };
  return lab.addFlow(
    'news',
    flowWith({ name: 'News', triggers: [{ id: 'start', kind: 'event', event: 'account.created', key: 'id' }], steps: [send] }),
  );
};
const known = (email: string, more: object = {}) =>
  happening('account.created', { id: email, person: { email, consent: { email: true }, ...more } });

describe('a file that a letter leads to', () => {
  const block = (file: string, more: object = {}): Block => ({ id: 'f', kind: 'download', file, label: 'The guide', ...more }) as Block;
  const linkIn = (text: string) => /\/fetch\/([^\s")]+)/.exec(text)?.[1] ?? null;

  it('is fetched by a link of one’s own, for as long as was said, and counted for the file and for the person', async () => {
    const guide = await keepFile(lab.db, 'guide.pdf', Buffer.from('%PDF-1.4 guide'), 'Marla');
    await news(letter([block(guide.key, { days: 3 })]));
    await lab.tell(known('robin@example.com'));
    await lab.settle();
    const [mail] = lab.inbox;
    expect(mail!.html).toContain('>The guide</a>');
    expect(mail!.text).toContain('The guide (for 3 days): http');
    const token = linkIn(mail!.html as string)!;
    expect(linkIn(mail!.text!)).toBe(token);
    const link = openLink(SECRET, token, 'file')!;
    expect(link.file!.key).toBe(guide.key);
    const lasts = link.file!.until * 1000 - (await lab.now());
    expect(lasts).toBeGreaterThan(3 * 86_400_000 - 60_000);
    expect(lasts).toBeLessThanOrEqual(3 * 86_400_000 + 1000);
    expect(openLink(SECRET, token, 'click')).toBeNull();
    await noteDownload(lab.db, link, 'guide.pdf', null);
    await noteDownload(lab.db, link, 'guide.pdf', null);
    expect((await files(lab.db)).map(({ key, downloads }) => [key, downloads])).toEqual([[guide.key, 2]]);
    const told = await query(lab.db, `select properties from events where type = 'file.downloaded'`);
    expect(told).toHaveLength(2);
    expect(told[0]).toMatchObject({ properties: { flow: 'news', step: 'news', file: guide.key, name: 'guide.pdf' } });
  });

  it('for good has no end; without a file or words it is told of', async () => {
    const guide = await keepFile(lab.db, 'guide.pdf', Buffer.from('%PDF-1.4 guide'), 'Marla');
    await news(letter([block(guide.key)]));
    await lab.tell(known('robin@example.com'));
    await lab.settle();
    expect(lab.inbox[0]!.text!.match(/The guide/g)).toHaveLength(1);
    expect(openLink(SECRET, linkIn(lab.inbox[0]!.text!)!, 'file')!.file!.until).toBe(0);
    expect(checkMessage(letter([block('')])).map(({ code, level }) => [code, level])).toEqual([['no-file', 'stops']]);
    expect(checkMessage(letter([block(guide.key, { label: ' ' })])).map(({ code }) => code)).toContain('file-without-words');
    const shown = await renderAs(lab.db, { message: letter([block(guide.key, { days: 1 })]) });
    expect(shown.text).toContain('The guide (for one day): https://store.example/fetch');
  });

  it('of who is not to be counted it is counted for nobody, and ends all the same', async () => {
    const guide = await keepFile(lab.db, 'guide.pdf', Buffer.from('%PDF-1.4 guide'), 'Marla');
    await writeTracking(lab.db, { of: 'only-yes' }, 'Marla');
    await news(letter([block(guide.key, { days: 3 })]));
    await lab.tell(known('robin@example.com'));
    await lab.settle();
    const link = openLink(SECRET, linkIn(lab.inbox[0]!.text!)!, 'file')!;
    expect(link.file!.until).toBeGreaterThan(0);
    expect([link.personId, link.sendId]).toEqual(['0', '0']);
    await noteDownload(lab.db, link, 'guide.pdf', null);
    expect((await files(lab.db))[0]!.downloads).toBe(1);
    expect(await query(lab.db, `select 1 from events where type = 'file.downloaded'`)).toEqual([]);
    await writeTracking(lab.db, { of: 'unless-no' }, 'Marla');
  });
});

describe('a link that does not answer', () => {
  it('is told of beside its button, of the stand-ins alone: nobody else is asked', async () => {
    const asked: string[] = [];
    const server = createServer((request, response) => {
      asked.push(request.url!);
      response.writeHead(request.url === '/outside/there' ? 200 : 404).end();
    });
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', () => resolve()));
    const base = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
    const button = (id: string, url: string): Block => ({ id, kind: 'button', label: 'Go', url });
    const message = letter([button('a', `${base}/outside/there`), button('b', `${base}/outside/gone`), button('c', `${base}/elsewhere`)]);
    const found = async (standIns: string | null) =>
      (await renderAs(lab.db, { message }, standIns)).problems.map(({ code, block, field, says }) => [code, block, field, says]);
    expect(await found(`${base}/outside`)).toEqual([['link-unanswered', 'b', 'url', `What it leads to answers 404: ${base}/outside/gone`]]);
    expect(asked).toEqual(['/outside/there', '/outside/gone']);
    expect(await found(null)).toEqual([]);
    await new Promise((resolve) => server.close(resolve));
    expect(await found(`${base}/outside`)).toHaveLength(2);
  });
});

describe('a sender that mail servers do not know yet', () => {
  const people = Array.from({ length: 7 }, (_, n) => known(`p${n}@example.com`));
  const sent = () => query<{ n: number }>(lab.db, `select count(*)::int as n from sends where state = 'sent'`).then((rows) => rows[0]!.n);

  it('hands over so many letters on its first day, more on the next, and then as many as are due; service always goes', async () => {
    await putWarmUp(lab.db, 'own', { first: 2, growth: 100, until: 8 }, 'Marla');
    await news(letter([{ id: 'b1', kind: 'text', text: 'Hello' }]));
    await lab.tell(people);
    await lab.settle();
    expect(await sent()).toBe(2);
    expect((await senders(lab.db)).store.warmUp).toMatchObject({ first: 2, today: { handed: 2, most: 2 }, daysLeft: 2 });
    // what waits goes at the beginning of the next day of the store, and no more of it than that day may have
    const [kept] = await query<{ at: Date }>(lab.db, `select min(not_before) as at from sends where state = 'queued'`);
    expect(localClock(kept!.at.getTime(), 'Europe/Amsterdam').minutes).toBe(0);
    await moveClockTo(lab.db, kept!.at.getTime() + 60_000);
    await lab.settle();
    expect(await sent()).toBe(6);
    await lab.addFlow(
      'service',
      flowWith({
        name: 'Service',
        triggers: [{ id: 'start', kind: 'event', event: 'order.placed', key: 'orderId' }],
        steps: [
          { id: 'thanks', kind: 'send', name: 'Thanks', message: letter([{ id: 'b1', kind: 'text', text: 'x' }], { kind: 'service' }) },
        ],
      }),
    );
    await lab.tell(happening('order.placed', { orderId: 'o1', value: 10, currency: 'EUR', person: { email: 'p0@example.com' } }));
    await lab.settle();
    expect(await sent()).toBe(7);
    const [later] = await query<{ at: Date }>(lab.db, `select min(not_before) as at from sends where state = 'queued'`);
    await moveClockTo(lab.db, later!.at.getTime() + 60_000);
    await lab.tell(Array.from({ length: 20 }, (_, n) => known(`q${n}@example.com`)));
    await lab.settle();
    expect(await sent()).toBe(28);
    expect((await senders(lab.db)).store.warmUp!.today.most).toBeNull();
  });

  it('without its plan hands over what is due; a plan that is none is refused, and so is one of a sender that is not there', async () => {
    await putWarmUp(lab.db, 'own', { first: 1, growth: 100, until: 8 }, 'Marla');
    await putWarmUp(lab.db, 'own', null, 'Marla');
    await news(letter([{ id: 'b1', kind: 'text', text: 'Hello' }]));
    await lab.tell(people);
    await lab.settle();
    expect(await sent()).toBe(7);
    await expect(putWarmUp(lab.db, 'own', { first: 100, growth: 50, until: 20 }, 'Marla')).rejects.toThrow('Not a plan');
    await expect(putWarmUp(lab.db, 'nobody', null, 'Marla')).rejects.toThrow();
  });
});
