import { context, propagation, type Attributes, SpanKind, SpanStatusCode, trace, type Span } from '@opentelemetry/api';

/** Under which name what is traced here stands. Where nothing collects (no `startTraces`), all of this does nothing. */
const tracer = () => trace.getTracer('viatic');

export interface Traced {
  /** numbers and names of our own: never what people are called, or what they are reached by */
  readonly attributes?: Attributes;
  readonly kind?: SpanKind;
  /** headers of a request that may say of which trace it is a part (W3C Trace Context) */
  readonly headers?: Headers;
}

/** Does some work as a span of a trace; what it throws is noted by its name alone, since a message may hold somebody's words. */
export function traced<T>(
  name: string,
  { attributes = {}, kind = SpanKind.INTERNAL, headers }: Traced,
  work: (span: Span) => Promise<T>,
): Promise<T> {
  const parent = headers ? propagation.extract(context.active(), Object.fromEntries(headers)) : context.active();
  return tracer().startActiveSpan(name, { attributes, kind }, parent, async (span) => {
    try {
      return await work(span);
    } catch (error) {
      span.setStatus({ code: SpanStatusCode.ERROR, message: (error as Error).name });
      throw error;
    } finally {
      span.end();
    }
  });
}

/** What a statement does, in two words: its verb and the first table it names. The values it is given are never part of it. */
const nameOf = (statement: string): string => {
  const [, verb = 'sql'] = /^\s*([a-z]+)/i.exec(statement) ?? [];
  const [, table] = /\b(?:from|into|update)\s+([a-z_]+)/i.exec(statement) ?? [];
  return table ? `${verb.toLowerCase()} ${table}` : verb.toLowerCase();
};

/** Asks the database as a span, if something is being traced here: what nobody looks at stays out. */
export function tracedStatement<T>(statement: string, ask: () => Promise<T>): Promise<T> {
  if (!trace.getActiveSpan()?.isRecording()) return ask();
  const attributes = { 'db.system.name': 'postgresql', 'db.query.text': statement.replace(/\s+/g, ' ').trim().slice(0, 500) };
  return traced(nameOf(statement), { attributes, kind: SpanKind.CLIENT }, ask);
}
