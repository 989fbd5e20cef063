import { OTLPTraceExporter } from '@opentelemetry/exporter-trace-otlp-http'
import { resourceFromAttributes } from '@opentelemetry/resources'
import { BatchSpanProcessor, WebTracerProvider } from '@opentelemetry/sdk-trace-web'

const at = new URLSearchParams(location.search)
const provider = new WebTracerProvider({
  resource: resourceFromAttributes({ 'service.name': 'quayside', 'service.version': '5.0.0' }),
  spanProcessors: [new BatchSpanProcessor(new OTLPTraceExporter({ url: `${at.get('to')}/v1/traces`, headers: { authorization: `Bearer ${at.get('key')}` } }), { scheduledDelayMillis: 100 })],
})
provider.register()
const tracer = provider.getTracer('berths')

function berthOf(ships) {
  return ships.eider.berth
}

document.getElementById('break').addEventListener('click', () => {
  tracer.startActiveSpan('draw berths', (span) => {
    try {
      berthOf({})
    } catch (e) {
      span.recordException(e)
    }
    span.end()
  })
  void provider.forceFlush().then(() => (document.getElementById('said').textContent = 'sent'))
})
