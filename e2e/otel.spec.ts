import { context, trace, SpanStatusCode } from '@opentelemetry/api'
import { OTLPTraceExporter } from '@opentelemetry/exporter-trace-otlp-http'
import { OTLPTraceExporter as ProtobufExporter } from '@opentelemetry/exporter-trace-otlp-proto'
import { CompressionAlgorithm } from '@opentelemetry/otlp-exporter-base'
import { resourceFromAttributes } from '@opentelemetry/resources'
import { BasicTracerProvider, SimpleSpanProcessor } from '@opentelemetry/sdk-trace-base'
import { expect, test } from '@playwright/test'
import { auth, signIn } from './demo'

// Outside sender: the OpenTelemetry JavaScript SDK with its own OTLP/HTTP exporters, unchanged.
const EXPORTERS = {
  JSON: (url: string) => new OTLPTraceExporter({ url, headers: auth() }),
  'protobuf with gzip': (url: string) => new ProtobufExporter({ url, headers: auth(), compression: CompressionAlgorithm.GZIP }),
}
for (const [form, make] of Object.entries(EXPORTERS))
  test(`the OpenTelemetry SDK sends a logon as ${form}, and its story is there`, async ({ page, baseURL }) => {
    const exporter = make(`${baseURL}/v1/traces`)
    const provider = new BasicTracerProvider({
      resource: resourceFromAttributes({ 'host.name': 'TH-Q1-02' }),
      spanProcessors: [new SimpleSpanProcessor(exporter)],
    })
    const tracer = provider.getTracer('e2e')
    const at = Date.now() - 120_000
    const root = tracer.startSpan('logon', {
      startTime: at,
      attributes: { 'user.name': 'LARKMERE\\sdk.sender', 'logon.pool': 'ticket-hall', 'logon.network': 'office' },
    })
    const under = trace.setSpan(context.active(), root)
    tracer.startSpan('whatever', { startTime: at, attributes: { 'logon.phase': 'sign-on' } }, under).end(at + 2500)
    const container = tracer.startSpan('container', { startTime: at + 2500 }, under)
    container.addEvent('open refused', { code: '0xC0000022' }, at + 3000)
    container.setStatus({ code: SpanStatusCode.ERROR })
    container.end(at + 4000)
    root.setStatus({ code: SpanStatusCode.ERROR, message: 'no container' })
    root.end(at + 4200)
    await provider.forceFlush()
    await provider.shutdown()
    await signIn(page, 'Hedda Vaas', `/logons/${root.spanContext().traceId}`)
    await expect(page.getByRole('heading', { level: 1 })).toContainText('could not log on, after 4.2 s')
    await expect(page.getByRole('complementary', { name: 'The cause' })).toContainText('may not open or create their container')
    await expect(page.getByRole('complementary', { name: 'The cause' })).toContainText('STATUS_ACCESS_DENIED')
  })

test('traces: no token, wrong type, partial success', async ({ request }) => {
  expect((await request.post('/v1/traces', { data: {} })).status()).toBe(401)
  const send = async (type: string, bytes: number[]) =>
    (await request.post('/v1/traces', { headers: { ...auth(), 'content-type': type }, data: Buffer.from(bytes) })).status()
  expect([await send('text/html', [60]), await send('application/x-protobuf', [10, 0]), await send('application/x-protobuf', [10, 9])]).toEqual([
    415, 200, 400,
  ])
  const span = {
    traceId: '5b8efff798038103d269b633813fc60c',
    spanId: 'eee19b7ec3c1b174',
    name: 'logon',
    startTimeUnixNano: `${Date.now()}000000`,
    endTimeUnixNano: `${Date.now() + 10}000000`,
  }
  const answer = await request.post('/v1/traces', {
    headers: auth(),
    data: { resourceSpans: [{ scopeSpans: [{ spans: [span, { ...span, spanId: 'zz' }] }] }] },
  })
  expect(answer.status()).toBe(200)
  expect(await answer.json()).toMatchObject({ partialSuccess: { rejectedSpans: '1' } })
})
