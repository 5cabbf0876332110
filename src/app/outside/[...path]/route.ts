import { env } from '@/server/base';

export const dynamic = 'force-dynamic';

/** Cookies of our own screens. The page snippet's are the shop's: it sets them on the shop's pages. */
const OURS = /^viatic_(session|theme)=/;

/** Passes requests for the stand-ins on to their own program, which knows nothing of this one. */
async function pass(request: Request): Promise<Response> {
  const { outsideUrl } = env();
  if (!outsideUrl) return new Response('There are no stand-ins here.', { status: 404, headers: { 'content-type': 'text/plain' } });
  const { pathname, search } = new URL(request.url);
  const headers = new Headers(request.headers);
  // the stand-ins are strangers: what signs people in here is not for them
  const cookie = headers
    .get('cookie')
    ?.split(/; */)
    .filter((one) => !OURS.test(one))
    .join('; ');
  headers.delete('cookie');
  if (cookie) headers.set('cookie', cookie);
  for (const name of ['host', 'connection', 'content-length', 'transfer-encoding', 'expect']) headers.delete(name);
  // keys of our own are not for strangers; what signs a push message (RFC 8292) is
  if (!/^vapid /i.test(headers.get('authorization') ?? '')) headers.delete('authorization');
  try {
    const answer = await fetch(outsideUrl + pathname + search, {
      method: request.method,
      headers,
      redirect: 'manual',
      ...(['GET', 'HEAD'].includes(request.method) ? {} : { body: await request.arrayBuffer() }),
    });
    const back = new Headers(answer.headers);
    for (const name of ['content-encoding', 'content-length', 'transfer-encoding', 'connection', 'keep-alive']) back.delete(name);
    return new Response(answer.body, { status: answer.status, headers: back });
  } catch {
    return new Response('The stand-ins do not answer; see whether their program is running.', {
      status: 502,
      headers: { 'content-type': 'text/plain' },
    });
  }
}

export const GET = pass;
export const POST = pass;
export const PUT = pass;
export const DELETE = pass;
