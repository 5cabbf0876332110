import { createECDH, randomBytes } from 'node:crypto';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import ece from 'http_ece';
import { importJWK, jwtVerify } from 'jose';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import webpush from 'web-push';
import { subscriptionOf } from '@/core/messages';
import { GatewayBusy, openGateway } from './gateway';
import { byAddress, openWebPush } from './webpush';

// the example of RFC 8291 §5 (values from memory; that it opens shows that they are right)
const RFC = {
  receiver: 'q1dXpw3UpT5VOmu_cf_v6ih07Aems3njxI-JWgLcM94',
  p256dh: 'BCVxsr7N_eNgVRqvHtD0zTZsEc6-VV-JvLexhqUzORcxaOzi6-AYWXvTBHm4bjyPjs7Vd8pZGH6SRpkNtoIAiw4',
  auth: 'BTBZMqHH6r4Tts7J_aSIgg',
  body:
    'DGv6ra1nlYgDCS1FRnbzlwAAEABBBP4z9KsN6nGRTbVYI_c7VJSPQTBtkgcy27mlmlMoZIIgDll6e3vCYLocInmYWAmS6TlzAC8w' +
    'EqKK6PBru3jl7A_yl95bQpu6cVPTpK4Mqgkf1CXztLVBSt2Ks3oZwbuwXPXLWyouBWLVWGNWQexSgSxsj_Qulcy4a-fN',
};
const browser = (privateKey: string) => {
  const pair = createECDH('prime256v1');
  pair.setPrivateKey(Buffer.from(privateKey, 'base64url'));
  return pair;
};
const opened = (body: Buffer, privateKey: string, authSecret: string): string =>
  ece.decrypt(body, { version: 'aes128gcm', privateKey: browser(privateKey), authSecret }).toString();

const keys = webpush.generateVAPIDKeys();
let server: Server;
let host = '';
let answer = 201;
let came: { headers: Record<string, unknown>; body: Buffer }[] = [];
beforeAll(async () => {
  server = createServer((request, response) => {
    const chunks: Buffer[] = [];
    request.on('data', (chunk: Buffer) => chunks.push(chunk));
    request.on('end', () => {
      came.push({ headers: request.headers, body: Buffer.concat(chunks) });
      response.writeHead(answer).end();
    });
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', () => resolve()));
  host = `127.0.0.1:${(server.address() as AddressInfo).port}`;
});
afterAll(() => new Promise((resolve) => server.close(resolve)));
beforeEach(() => {
  came = [];
  answer = 201;
});
const token = (endpoint = `http://${host}/push/1`) =>
  JSON.stringify({ endpoint, expirationTime: null, keys: { p256dh: RFC.p256dh, auth: RFC.auth } });
const text = (to: string) => ({
  id: 'send-1',
  to,
  from: 'Quillfin',
  contact: 'shop@example.com',
  title: 'On its way',
  text: 'Order 7, Zoë’s 🐠',
  url: 'https://shop.example/7',
});

describe('a message for a browser', () => {
  it('is sealed so that only the browser can read it (RFC 8291): by its keys another library opens it', async () => {
    expect(opened(Buffer.from(RFC.body, 'base64url'), RFC.receiver, RFC.auth)).toBe('When I grow up, I want to be a watermelon');
    expect(await openWebPush(keys, [host]).send(text(token()))).toEqual({ taken: true });
    const [{ headers, body }] = came as [(typeof came)[number]];
    expect(headers).toMatchObject({ 'content-encoding': 'aes128gcm', ttl: '86400', urgency: 'normal' });
    expect(JSON.parse(opened(body, RFC.receiver, RFC.auth))).toEqual({
      title: 'On its way',
      text: 'Order 7, Zoë’s 🐠',
      url: 'https://shop.example/7',
    });
    expect(body.toString('latin1')).not.toContain('Order');
    expect(() => opened(body, RFC.receiver, randomBytes(16).toString('base64url'))).toThrow();
  });

  it('is in our name (RFC 8292): a token for that service alone, signed by the key that it names, for a day at most', async () => {
    await openWebPush(keys, [host]).send(text(token()));
    const [, jwt, key] = /^vapid t=([^,]+), k=(.+)$/.exec(String(came[0]!.headers.authorization))!;
    expect(key).toBe(keys.publicKey);
    const point = Buffer.from(key!, 'base64url');
    const jwk = { kty: 'EC', crv: 'P-256', x: point.subarray(1, 33).toString('base64url'), y: point.subarray(33).toString('base64url') };
    const { payload } = await jwtVerify(jwt!, await importJWK(jwk, 'ES256'), { algorithms: ['ES256'] });
    expect(payload).toMatchObject({ aud: `http://${host}`, sub: 'mailto:shop@example.com' });
    expect(payload.exp! - Date.now() / 1000).toBeLessThanOrEqual(24 * 3600);
  });

  it.each([
    [404, { taken: false, reason: 'the browser takes no more messages', isGone: true }],
    [410, { taken: false, reason: 'the browser takes no more messages', isGone: true }],
    [403, { taken: false, reason: 'the push service answered 403' }],
  ])('that the service refuses with %i is not tried again', async (status, handed) => {
    answer = status;
    expect(await openWebPush(keys, [host]).send(text(token()))).toEqual(handed);
  });

  it.each([429, 503])('that the service does not take for now (%i) is tried again', async (status) => {
    answer = status;
    await expect(openWebPush(keys, [host]).send(text(token()))).rejects.toThrow(GatewayBusy);
  });

  it('goes nowhere on the inside of the network, whatever address somebody has told', async () => {
    await expect(openWebPush(keys, []).send(text(token()))).resolves.toMatchObject({
      taken: false,
      reason: 'the push service lies on the inside of our network and must not be called',
    });
    expect(came).toEqual([]);
  });

  it('goes to the app’s own gateway where the address is no subscription', async () => {
    const both = byAddress(openWebPush(keys, [host]), openGateway('', 'x', 'push'));
    expect(await both.send(text('app-token-1'))).toEqual({ taken: false, reason: 'no gateway for push is set up' });
    expect(await both.send(text(token()))).toEqual({ taken: true });
    expect(await openWebPush(null, [host]).send(text(token()))).toMatchObject({ taken: false });
  });
});

describe('the subscription of a browser', () => {
  it.each([
    ['{', 'no JSON'],
    ['app-token', 'a token'],
    [JSON.stringify({ endpoint: 'javascript:alert(1)', keys: { p256dh: RFC.p256dh, auth: RFC.auth } }), 'no web address'],
    [JSON.stringify({ endpoint: 'https://push.example/1', keys: { p256dh: 'short', auth: RFC.auth } }), 'a key that is none'],
    [JSON.stringify({ endpoint: 'https://push.example/1', keys: null }), 'no keys'],
    ['null', 'nothing'],
  ])('is read where it is one: %s is %s', (said) => {
    expect(subscriptionOf(said)).toBeNull();
    expect(subscriptionOf(token())).toEqual({ endpoint: `http://${host}/push/1`, keys: { p256dh: RFC.p256dh, auth: RFC.auth } });
  });
});
