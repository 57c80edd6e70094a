// A request as JavaScript's SDK tells it, sent by its exporter: node service.cjs ENDPOINT TOKEN proto|http
const { context, SpanKind, SpanStatusCode, trace } = require("@opentelemetry/api");
const { resourceFromAttributes } = require("@opentelemetry/resources");
const { BatchSpanProcessor, NodeTracerProvider } = require("@opentelemetry/sdk-trace-node");

const [url, token, form] = process.argv.slice(2);
const { OTLPTraceExporter } = require(`@opentelemetry/exporter-trace-otlp-${form}`);
const exporter = new OTLPTraceExporter({ url, headers: { Authorization: `Bearer ${token}` } });
const provider = new NodeTracerProvider({
  resource: resourceFromAttributes({ "service.name": "gate-web", "service.version": "5" }),
  spanProcessors: [new BatchSpanProcessor(exporter)],
});
const tracer = provider.getTracer("tests");
const top = tracer.startSpan("GET /gates/:id", {
  kind: SpanKind.SERVER,
  attributes: { "http.request.method": "GET", "http.route": "/gates/:id", "url.path": "/gates/4" },
});
const inside = trace.setSpan(context.active(), top);
for (let i = 0; i < 5; i += 1) {
  const attributes = { "db.system.name": "postgresql", "db.query.text": `SELECT * FROM gate WHERE mail = 'ada@quay.example' AND id = ${i}` };
  tracer.startSpan("SELECT gate", { kind: SpanKind.CLIENT, attributes }, inside).end();
}
top.recordException(new TypeError("no such gate"));
top.setStatus({ code: SpanStatusCode.ERROR });
top.end();
provider.forceFlush().then(() => provider.shutdown());
