import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { flowWith, letter } from '@/core/flows/testing/asking';
import type { Step } from '@/core/flows';
import { linksThatFail } from './links';

let server: Server;
let host: string;
let asked: string[] = [];
beforeAll(async () => {
  server = createServer((request, response) => {
    asked.push(`${request.method} ${request.url}`);
    response.writeHead(request.url === '/gone' ? 404 : request.url === '/broken' ? 500 : request.url === '/moved' ? 301 : 200).end();
  });
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  host = `127.0.0.1:${(server.address() as AddressInfo).port}`;
});
afterAll(async () => {
  server.closeAllConnections();
  await new Promise((done) => server.close(done));
});

const flowOf = (text: string, url = '') => {
  const step = letter('mail');
  const blocks = [{ id: 'b1', kind: 'text' as const, text }, ...(url ? [{ id: 'b2', kind: 'button' as const, label: 'Open', url }] : [])];
  return flowWith({ name: 'Links', steps: [{ ...step, message: { ...step.message, blocks } } as Step] });
};
const says = async (text: string, url?: string, inside = [host]) => (await linksThatFail(flowOf(text, url), inside)).map((one) => one.says);

describe('links of messages', () => {
  it('that lead to nothing are named, each asked once and for its head alone', async () => {
    expect(await says(`See http://${host}/gone. Or http://${host}/well and http://${host}/moved`, `http://${host}/broken`)).toEqual([
      `A link in “mail” leads to http://${host}/gone, which answers 404`,
      `A link in “mail” leads to http://${host}/broken, which answers 500`,
    ]);
    expect(asked.sort()).toEqual(['HEAD /broken', 'HEAD /gone', 'HEAD /moved', 'HEAD /well']);
    asked = [];
    await says(`http://${host}/gone`);
    expect(asked).toEqual([]);
  });

  it('with placeholders, of nobody’s names, and on the inside of our network are left alone', async () => {
    asked = [];
    expect(await says(`http://${host}/x?to={{ person.email }} https://shop.example/gone http://127.0.0.1:1/x`, '', [])).toEqual([]);
    expect(asked).toEqual([]);
  });

  it('to a server that takes no connection say so', async () => {
    expect(await says('http://127.0.0.1:1/nothing', '', ['127.0.0.1:1'])).toEqual([
      'A link in “mail” leads to http://127.0.0.1:1/nothing, which takes no connection',
    ]);
  });
});
