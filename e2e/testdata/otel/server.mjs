// A gate server that reports by OpenTelemetry: a span for the request, one
// below it for the work, the exception on both and in the log.
// node server.mjs json|proto
import http from 'node:http'
import { context, diag, DiagLogLevel, SpanKind, SpanStatusCode, trace } from '@opentelemetry/api'
import { SeverityNumber } from '@opentelemetry/api-logs'
import { OTLPLogExporter as LogsJSON } from '@opentelemetry/exporter-logs-otlp-http'
import { OTLPLogExporter as LogsProto } from '@opentelemetry/exporter-logs-otlp-proto'
import { OTLPTraceExporter as SpansJSON } from '@opentelemetry/exporter-trace-otlp-http'
import { OTLPTraceExporter as SpansProto } from '@opentelemetry/exporter-trace-otlp-proto'
import { resourceFromAttributes } from '@opentelemetry/resources'
import { BatchLogRecordProcessor, LoggerProvider } from '@opentelemetry/sdk-logs'
import { BatchSpanProcessor, NodeTracerProvider } from '@opentelemetry/sdk-trace-node'

const said = []
const note = (...words) => said.push(words.map(String).join(' '))
diag.setLogger({ error: note, warn: note, info() {}, debug() {}, verbose() {} }, DiagLogLevel.WARN)

const json = process.argv[2] === 'json'
const resource = resourceFromAttributes({ 'service.name': 'gangway', 'service.version': '3.0.0', 'deployment.environment.name': 'production' })
const tracing = new NodeTracerProvider({ resource, spanProcessors: [new BatchSpanProcessor(new (json ? SpansJSON : SpansProto)(), { scheduledDelayMillis: 100 })] })
tracing.register()
const logging = new LoggerProvider({ resource, processors: [new BatchLogRecordProcessor({ exporter: new (json ? LogsJSON : LogsProto)(), scheduledDelayMillis: 150 })] })
const logger = logging.getLogger('gates')
const tracer = tracing.getTracer('gates')

class ScanError extends Error {
  name = 'ScanError'
}

function scan(ticket) {
  throw new ScanError(`ticket ${ticket} is not known`)
}

const server = http.createServer((req, res) => {
  const url = new URL(req.url, 'http://gangway.example')
  tracer.startActiveSpan(`${req.method} ${url.pathname}`, { kind: SpanKind.SERVER, attributes: { 'http.method': req.method, 'url.path': url.pathname, 'http.route': '/scan', 'enduser.id': req.headers['x-gate'] ?? '' } }, (outer) => {
    tracer.startActiveSpan('scan', (inner) => {
      try {
        scan(url.searchParams.get('ticket'))
      } catch (e) {
        inner.recordException(e)
        inner.setStatus({ code: SpanStatusCode.ERROR })
        const attributes = { 'exception.type': e.name, 'exception.message': e.message, 'exception.stacktrace': e.stack, lane: 3 }
        if (url.searchParams.has('huge')) attributes.huge = 'x'.repeat(10 << 20)
        if (url.searchParams.has('long')) attributes['exception.stacktrace'] = `${e.stack}\n${'x'.repeat(3 << 20)}`
        logger.emit({ severityNumber: SeverityNumber.ERROR, severityText: 'ERROR', body: 'the gate stays shut', attributes, context: context.active() })
        outer.recordException(e)
      }
      inner.end()
    })
    logger.emit({ severityNumber: SeverityNumber.INFO, body: 'request done' })
    outer.setAttribute('http.status_code', 500)
    outer.end()
  })
  res.writeHead(500)
  res.end()
})
server.listen(0, '127.0.0.1', () => console.log(server.address().port))
process.on('SIGTERM', () => {
  server.close()
  void Promise.allSettled([tracing.shutdown(), logging.shutdown()]).then(() => {
    console.log(JSON.stringify(said))
    process.exit(0)
  })
})
