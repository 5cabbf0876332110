import { createServer, type Server } from 'node:http';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { BatchSpanProcessor, InMemorySpanExporter, NodeTracerProvider, type ReadableSpan } from '@opentelemetry/sdk-trace-node';
import { flowWith, letter } from '@/core/flows/testing/asking';
import { query } from '@/data/db';
import { createKey } from '@/data/sources';
import { json, route, routeOf } from '../door';
import { hashKey } from '../access';
import { happening, openLab, type Lab } from '../testing/lab';
import { endOf, startWorker, until } from '../testing/worker';

let lab: Lab;
const told = new InMemorySpanExporter();
const processor = new BatchSpanProcessor(told);
beforeAll(async () => {
  lab = await openLab({ flow: null });
  Object.assign(process.env, {
    VIATIC_DATABASE_URL: lab.url,
    VIATIC_URL: 'http://localhost:4400',
    VIATIC_SECRET: 'x'.repeat(32),
    VIATIC_SMTP_URL: 'smtp://127.0.0.1:1',
    VIATIC_MAIL_HOOK_SECRET: 'whsec_x',
    VIATIC_TEXT_HOOK_SECRET: 'whsec_x',
  });
  new NodeTracerProvider({ spanProcessors: [processor] }).register();
});
afterAll(() => lab.close());
const spans = async (): Promise<ReadableSpan[]> => {
  await processor.forceFlush();
  return told.getFinishedSpans();
};

it('a request is a span of the trace that its sender is in, with its statements below, and nothing of whom it is about', async () => {
  await createKey(lab.db, { name: 'Shop', hash: hashKey('vk_trace'), hint: 'vk', scopes: ['read'] });
  const handler = route(async ({ db, params }) =>
    json(await query(db, 'select id from people where external_id = :who', { who: params.id! })),
  );
  const email = 'robin@example.com';
  const answer = await handler(
    new Request(`http://localhost:4400/api/v1/people/${encodeURIComponent(email)}`, {
      headers: {
        authorization: 'Bearer vk_trace',
        // W3C Trace Context, §3.2.2: an example of its own
        traceparent: '00-0af7651916cd43dd8448eb211c80319c-b7ad6b7169203331-01',
      },
    }),
    { params: Promise.resolve({ id: email }) },
  );
  expect(answer.status).toBe(200);
  const all = await spans();
  const request = all.find(({ name }) => name === 'GET /api/v1/people/{id}')!;
  expect(request.spanContext().traceId).toBe('0af7651916cd43dd8448eb211c80319c');
  expect(request.parentSpanContext?.spanId).toBe('b7ad6b7169203331');
  expect(request.attributes).toMatchObject({ 'http.response.status_code': 200, 'http.route': '/api/v1/people/{id}' });
  const asked = all.find(({ name }) => name === 'select people')!;
  expect(asked.parentSpanContext?.spanId).toBe(request.spanContext().spanId);
  expect(JSON.stringify(all.map(({ name, attributes, status, events }) => [name, attributes, status, events]))).not.toMatch(/robin/);
});

it('an address is told by its names, or not at all', () => {
  expect(routeOf('/api/v1/people/a%40b.c/runs/12', { id: 'a@b.c', run: '12' })).toBe('/api/v1/people/{id}/runs/{run}');
  expect(routeOf('/fetch/a/b', { path: ['a', 'b'] })).toBe('/fetch/{path}/{path}');
  expect(routeOf('/api/v1/flows', {})).toBe('/api/v1/flows');
  // where a part cannot be found again nothing of the address is said
  expect(routeOf('/api/v1/people/%E0%A4%A', { id: 'robin@example.com' })).toBe('/…');
});

it('a worker hands what it did over by OTLP, and the rest as it ends', async () => {
  const taken: { service: string; names: string[] }[] = [];
  const collector: Server = createServer((request, answer) => {
    const chunks: Buffer[] = [];
    request.on('data', (chunk: Buffer) => chunks.push(chunk));
    request.on('end', () => {
      type Body = {
        resourceSpans: {
          resource: { attributes: { key: string; value: { stringValue: string } }[] };
          scopeSpans: { spans: { name: string }[] }[];
        }[];
      };
      if (request.url === '/v1/traces')
        for (const one of (JSON.parse(Buffer.concat(chunks).toString()) as Body).resourceSpans)
          taken.push({
            service: one.resource.attributes.find(({ key }) => key === 'service.name')!.value.stringValue,
            names: one.scopeSpans.flatMap((scope) => scope.spans.map(({ name }) => name)),
          });
      answer.setHeader('content-type', 'application/json');
      answer.end('{}');
    });
  });
  await new Promise<void>((done) => collector.listen(0, '127.0.0.1', () => done()));
  const { port } = collector.address() as { port: number };
  await lab.addFlow('hello', flowWith({ steps: [letter('hello')] }));
  const worker = startWorker(lab.url, 1, { OTEL_EXPORTER_OTLP_ENDPOINT: `http://127.0.0.1:${port}` });
  await lab.tell([
    happening('order.placed', {
      orderId: 'o1',
      currency: 'EUR',
      value: 50,
      person: { email: 'robin@example.com', consent: { email: true } },
    }),
  ]);
  // the mail server does not answer: the job is tried all the same
  await until(async () => (await query(lab.db, 'select 1 from runs where entered_at is not null')).length > 0);
  await new Promise((done) => setTimeout(done, 2_000));
  const gone = endOf(worker);
  worker.kill('SIGTERM');
  expect(await gone).toBe(0);
  const names = new Set(taken.flatMap((one) => one.names));
  expect(taken[0]?.service).toBe('viatic-worker');
  expect([...names]).toEqual(expect.arrayContaining(['move runs', 'job dispatch', 'update runs']));
  collector.close();
});
