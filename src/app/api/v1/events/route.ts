import { ingest } from '@/server/ingest';
import { Problem, readAnyJson } from '@/server/http';
import { json, route } from '@/server/door';

export const dynamic = 'force-dynamic';

/** CloudEvents binary mode (HTTP binding 1.0.2 §3.1): the attributes are headers, the body is the data. */
function binaryMode(headers: Headers, data: unknown): unknown {
  const of = (name: string) => headers.get(`ce-${name}`) ?? undefined;
  return {
    specversion: of('specversion'),
    id: of('id'),
    source: of('source'),
    type: of('type'),
    subject: of('subject'),
    time: of('time'),
    data,
  };
}

export const POST = route(async ({ request, db, caller }) => {
  const type = request.headers.get('content-type') ?? '';
  if (!/json/i.test(type))
    throw new Problem(415, 'Not JSON', 'Send application/json, application/cloudevents+json or application/cloudevents-batch+json.', [
      { field: 'content-type', wrong: `is "${type.slice(0, 60)}"`, right: 'application/json' },
    ]);
  const body = await readAnyJson(request);
  return json(
    await ingest(db, request.headers.has('ce-specversion') ? binaryMode(request.headers, body) : body, {
      sourceId: caller.sourceId,
    }),
    202,
  );
}, 'events');
