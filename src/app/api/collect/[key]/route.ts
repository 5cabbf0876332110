import { brake } from '@/server/access';
import { callerAddress, notFound, readRaw } from '@/server/http';
import { json, route } from '@/server/door';
import { collect, siteOf } from '@/server/sources';

export const dynamic = 'force-dynamic';
const LARGEST = 256 * 1024;

/** What the page snippet has gathered. Only pages of the source's own sites may send; the body is plain text so that no preflight is needed. */
export const POST = route(async ({ request, db, params }) => {
  const site = await siteOf(db, params.key!, request.headers.get('origin'));
  if (!site) throw notFound('snippet for this site');
  await brake(
    'collect',
    `${params.key} ${callerAddress(request.headers)}`,
    { times: 300, seconds: 60 },
    'This page sends more than it should.',
  );
  const answer = json(await collect(db, site.row, await readRaw(request, LARGEST)), 202);
  answer.headers.set('access-control-allow-origin', site.origin);
  answer.headers.set('vary', 'origin');
  return answer;
}, 'anyone');

export const OPTIONS = route(async ({ request, db, params }) => {
  const site = await siteOf(db, params.key!, request.headers.get('origin'));
  if (!site) throw notFound('snippet for this site');
  return new Response(null, {
    status: 204,
    headers: {
      'access-control-allow-origin': site.origin,
      'access-control-allow-methods': 'POST',
      'access-control-allow-headers': 'content-type',
      'access-control-max-age': '86400',
      vary: 'origin',
    },
  });
}, 'anyone');
