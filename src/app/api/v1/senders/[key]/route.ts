import { env } from '@/server/base';
import { readJson } from '@/server/http';
import { done, route, written } from '@/server/door';
import { putSender, removeSender } from '@/server/letters';
import { sealLink } from '@/server/messages';

export const dynamic = 'force-dynamic';
export const PUT = route(async ({ db, params, request, caller }) => {
  const { url, secret } = env();
  const linkTo = (key: string, address: string) =>
    `${url}/sender/${sealLink(secret, { purpose: 'sender', personId: '0', sendId: '0', url: `${key} ${address}` })}`;
  return written(await putSender(db, params.key!, await readJson(request), linkTo, caller.name), { key: params.key });
});
export const DELETE = route(async ({ db, params, caller }) => {
  await removeSender(db, params.key!, caller.name);
  return done();
});
