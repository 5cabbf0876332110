import { notFound, Problem } from '@/server/http/problem';
import { readRaw } from '@/server/http/read';
import { json, route } from '@/server/http/route';
import { collect, siteOf } from '@/server/sources';
import { tooOften } from '@/server/throttle';

export const dynamic = 'force-dynamic';
const LARGEST = 256 * 1024;

/** What the page snippet has gathered. Only pages of the source's own sites may send; the body is plain text so that no preflight is needed. */
export const POST = route(async ({ request, db, scope, params }) => {
  const site = await siteOf(db, params.key!, request.headers.get('origin'));
  if (!site) throw notFound('snippet for this site');
  if (tooOften(`collect ${params.key} ${request.headers.get('x-forwarded-for') ?? ''}`, 300, 60_000)) throw new Problem(429, 'Too often', 'This page sends more than it should. Wait a minute.');
  const answer = json(await collect(db, scope, site.row, await readRaw(request, LARGEST)), 202);
  answer.headers.set('access-control-allow-origin', site.origin);
  answer.headers.set('vary', 'origin');
  return answer;
}, 'anyone');

export const OPTIONS = route(async ({ request, db, params }) => {
  const site = await siteOf(db, params.key!, request.headers.get('origin'));
  if (!site) throw notFound('snippet for this site');
  return new Response(null, { status: 204, headers: { 'access-control-allow-origin': site.origin, 'access-control-allow-methods': 'POST', 'access-control-allow-headers': 'content-type', 'access-control-max-age': '86400', vary: 'origin' } });
}, 'anyone');
