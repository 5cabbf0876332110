import { createECDH, randomBytes, randomUUID } from 'node:crypto';
import ece from 'http_ece';
import { createLocalJWKSet, jwtVerify } from 'jose';
import type { Config } from './config';
import { openJournal, type Journal } from './journal';
import type { Answer } from './page';
import type { Text } from './texts';

/** A browser that takes push messages, with the keys that it keeps to itself. */
interface Device {
  readonly id: string;
  readonly owner: string;
  readonly privateKey: string;
  readonly publicKey: string;
  readonly auth: string;
  /** whose messages it takes: the public key that was given as it subscribed (RFC 8292 §4) */
  readonly of: string;
  readonly isGone?: boolean;
}

const base64url = (bytes: Buffer): string => bytes.toString('base64url');

/**
 * A push service with the browsers behind it (RFC 8030): what comes must be in the name of whom the browser subscribed to (RFC 8292),
 * and is opened with the browser's own keys (RFC 8291). What it shows is told to `show`.
 */
export function openDevices(
  config: Pick<Config, 'folder' | 'viaticUrl'>,
  show: (text: Text) => void,
): {
  journal: Journal<Device>;
  /** what a browser does as somebody lets a page write to them: answers with the subscription, as the page gets it */
  subscribe: (owner: string, applicationServerKey: string) => string;
  /** gives a subscription up, as a browser does whose owner takes the permission back */
  giveUp: (id: string) => void;
  take: (id: string, headers: Record<string, string>, body: Buffer) => Promise<Answer>;
} {
  const journal = openJournal<Device>(`${config.folder}/devices.ndjson`);
  const devices = new Map(journal.entries.map((device) => [device.id, device]));
  const { origin } = new URL(config.viaticUrl);
  const keep = (device: Device): void => {
    devices.set(device.id, device);
    journal.add(device);
  };
  return {
    journal,
    subscribe(owner, of) {
      const pair = createECDH('prime256v1');
      pair.generateKeys();
      const device: Device = {
        id: randomUUID(),
        owner,
        privateKey: base64url(pair.getPrivateKey()),
        publicKey: base64url(pair.getPublicKey()),
        auth: base64url(randomBytes(16)),
        of,
      };
      keep(device);
      return JSON.stringify({
        endpoint: `${config.viaticUrl}/outside/browsers/${device.id}`,
        keys: { p256dh: device.publicKey, auth: device.auth },
      });
    },
    giveUp(id) {
      const device = devices.get(id);
      if (device) keep({ ...device, isGone: true });
    },
    async take(id, headers, body) {
      const device = devices.get(id);
      if (!device || device.isGone) return { status: 410, body: 'the browser takes no more' };
      // RFC 8030 §5.2: for how long it is kept has to be said
      if (!/^\d+$/.test(headers.ttl ?? '')) return { status: 400, body: 'no TTL' };
      if (body.length > 4096) return { status: 413, body: 'too large' };
      if (headers['content-encoding'] !== 'aes128gcm') return { status: 400, body: 'not sealed as RFC 8188 says' };
      const [, token, key] = /^vapid t=([^,\s]+),\s*k=([A-Za-z0-9_-]+)$/.exec(headers.authorization ?? '') ?? [];
      if (!token || key !== device.of) return { status: 403, body: 'not in the name of whom it subscribed to' };
      try {
        await jwtVerify(token, createLocalJWKSet({ keys: [jwkOf(key)] }), { algorithms: ['ES256'], audience: origin });
      } catch (error) {
        return { status: 403, body: `the signature does not hold: ${(error as Error).message}` };
      }
      let said: { title?: unknown; text?: unknown; url?: unknown; picture?: unknown };
      try {
        const own = createECDH('prime256v1');
        own.setPrivateKey(Buffer.from(device.privateKey, 'base64url'));
        const opened = ece.decrypt(body, { version: 'aes128gcm', privateKey: own, authSecret: device.auth });
        said = JSON.parse(opened.toString('utf8')) as typeof said;
      } catch {
        return { status: 400, body: 'cannot be opened' };
      }
      const text = (value: unknown): string | undefined => (typeof value === 'string' && value ? value : undefined);
      show({
        id: randomUUID(),
        to: device.owner,
        from: 'browser',
        text: text(said.text) ?? '',
        ...(text(said.title) && { title: text(said.title)! }),
        ...(text(said.url) && { url: text(said.url)! }),
        ...(text(said.picture) && { picture: text(said.picture)! }),
        receivedAt: new Date().toISOString(),
      });
      return { status: 201 };
    },
  };
}

/** A public key as VAPID writes it (an uncompressed point) as a JSON Web Key. */
function jwkOf(key: string) {
  const point = Buffer.from(key, 'base64url');
  return { kty: 'EC', crv: 'P-256', x: base64url(point.subarray(1, 33)), y: base64url(point.subarray(33, 65)) };
}
