import { log } from './log';

/**
 * Begins to collect traces and to hand them over by OTLP over HTTP, where an address is set: `OTEL_EXPORTER_OTLP_ENDPOINT`, as the
 * standard names it, with the other variables of the exporter. Answers with what hands over the rest and ends it.
 */
export async function startTraces(program: 'web' | 'worker'): Promise<() => Promise<void>> {
  if (!process.env.OTEL_EXPORTER_OTLP_ENDPOINT && !process.env.OTEL_EXPORTER_OTLP_TRACES_ENDPOINT) return () => Promise.resolve();
  const [
    { BatchSpanProcessor, NodeTracerProvider, ParentBasedSampler, TraceIdRatioBasedSampler },
    { OTLPTraceExporter },
    { resourceFromAttributes },
  ] = await Promise.all([
    import('@opentelemetry/sdk-trace-node'),
    import('@opentelemetry/exporter-trace-otlp-http'),
    import('@opentelemetry/resources'),
  ]);
  const share = Number(process.env.OTEL_TRACES_SAMPLER_ARG ?? 1);
  const provider = new NodeTracerProvider({
    resource: resourceFromAttributes({ 'service.name': process.env.OTEL_SERVICE_NAME ?? `viatic-${program}` }),
    sampler: new ParentBasedSampler({ root: new TraceIdRatioBasedSampler(share >= 0 && share <= 1 ? share : 1) }),
    spanProcessors: [new BatchSpanProcessor(new OTLPTraceExporter())],
  });
  provider.register();
  log.info('traces are collected');
  return () => provider.shutdown();
}
