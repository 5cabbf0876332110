import { mkdtempSync, rmSync } from 'node:fs';
import { promises as dns } from 'node:dns';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { openNames } from './names';

let folder: string;
let names: ReturnType<typeof openNames>;
const resolver = new dns.Resolver({ timeout: 2_000 });
beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'viatic-names-'));
  names = openNames({ folder, dnsRecords: [{ name: 'shop.example', text: 'v=spf1 -all' }] });
  await new Promise((done) => setTimeout(done, 100));
  resolver.setServers([`127.0.0.1:${names.port()}`]);
});
afterAll(() => {
  names.close();
  rmSync(folder, { recursive: true, force: true });
});
const post = (form: Record<string, string>) =>
  names.page({
    method: 'POST',
    path: '/outside/dns',
    query: new URLSearchParams(),
    cookies: {},
    form: new URLSearchParams(form),
    body: '',
  });

it('answers a resolver as a name server does (RFC 1035): texts of any length, none of that kind, no such name', async () => {
  expect(await resolver.resolveTxt('shop.example')).toEqual([['v=spf1 -all']]);
  await expect(resolver.resolveTxt('nobody.example')).rejects.toMatchObject({ code: 'ENOTFOUND' });
  await expect(resolver.resolve4('shop.example')).rejects.toMatchObject({ code: 'ENODATA' });
  const key = `v=DKIM1; p=${'A'.repeat(400)}`;
  post({ name: 'S._domainkey.Shop.example.', text: key });
  const [strings] = await resolver.resolveTxt('s._domainkey.shop.example');
  expect([strings!.length, strings!.join('')]).toEqual([2, key]);
  post({ name: 'shop.example', text: 'v=spf1 -all', remove: '1' });
  await expect(resolver.resolveTxt('shop.example')).rejects.toMatchObject({ code: 'ENOTFOUND' });
  expect(
    names.page({ method: 'GET', path: '/outside/dns', query: new URLSearchParams(), cookies: {}, form: new URLSearchParams(), body: '' })
      .body,
  ).toContain('s._domainkey.shop.example');
});
