import { createSocket, type Socket } from 'node:dgram';
import { generateKeyPairSync } from 'node:crypto';
import { decode, encode } from 'dns-packet';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { openLab, type Lab } from '../testing/lab';
import { senderRecords } from '.';

let lab: Lab;
let server: Socket;
const zone = new Map<string, string>();
/** how the name server answers a name it does not know; null: not at all */
let otherwise: number | null = 3;
beforeAll(async () => {
  lab = await openLab({ flow: null });
  server = createSocket('udp4');
  server.on('message', (message, from) => {
    const asked = decode(message);
    const [question] = asked.questions!;
    const text = zone.get(question!.name.toLowerCase());
    if (text === undefined && otherwise === null) return;
    const flags = text === undefined ? otherwise! : 0;
    const answers = text === undefined ? [] : [{ type: 'TXT' as const, name: question!.name, data: text.match(/.{1,200}/g)! }];
    server.send(encode({ type: 'response', id: asked.id!, flags, questions: [question!], answers }), from.port, from.address);
  });
  await new Promise<void>((done) => server.bind(0, '127.0.0.1', () => done()));
});
afterAll(async () => {
  server.close();
  await lab.close();
});

it('says which records the domain of a sender is to have, what stands there, and when nobody could be asked', async () => {
  const { privateKey, publicKey } = generateKeyPairSync('rsa', {
    modulusLength: 2048,
    privateKeyEncoding: { type: 'pkcs8', format: 'pem' },
    publicKeyEncoding: { type: 'spki', format: 'der' },
  });
  const of = {
    dkim: { privateKey, keySelector: 'viatic' },
    spf: 'include:mail.viatic.example',
    nameServers: [`127.0.0.1:${server.address().port}`],
  };
  const states = async () => (await senderRecords(lab.db, 'own', of)).records.map(({ kind, state }) => `${kind} ${state}`);
  expect(await states()).toEqual(['dkim none', 'spf none', 'dmarc none']);

  const { domain, records } = await senderRecords(lab.db, 'own', of);
  expect(domain).toBe('quillfin.example');
  // what it says is to stand there is right once it stands there, and the key is that of the signatures
  for (const { name, value } of records) zone.set(name, value);
  expect(await states()).toEqual(['dkim there', 'spf there', 'dmarc there']);
  expect(zone.get('viatic._domainkey.quillfin.example')).toContain(`p=${publicKey.toString('base64')}`);
  zone.set('quillfin.example', 'v=spf1 mx -all');
  expect((await senderRecords(lab.db, 'own', of)).records[1]).toMatchObject({ state: 'wrong', found: ['v=spf1 mx -all'] });

  await expect(senderRecords(lab.db, 'nosuch', of)).rejects.toMatchObject({ status: 404 });
  zone.clear();
  otherwise = 2;
  await expect(senderRecords(lab.db, 'own', of)).rejects.toMatchObject({ status: 503, title: 'Nobody answers' });
});
