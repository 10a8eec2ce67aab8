import { context, type HrTime, type Meter, type Tracer, trace } from '@opentelemetry/api'
import { AsyncLocalStorageContextManager } from '@opentelemetry/context-async-hooks'
import { AggregationTemporality, InMemoryMetricExporter, MeterProvider, PeriodicExportingMetricReader } from '@opentelemetry/sdk-metrics'
import { BasicTracerProvider, InMemorySpanExporter, SimpleSpanProcessor } from '@opentelemetry/sdk-trace-base'
import { expect } from 'chai'
import { inMemory, openStore } from 'pachter/store'
import { type Observer, telemetry } from 'pachter/telemetry'
import { book } from '../../examples/world/rulebook.js'
import { ground, options, records } from '../support/world.js'

const ines = ground.people.ines as { id: string; email: string }
const codeOf = (work: Promise<unknown>) =>
  work.then(
    () => 'done',
    (error: { code?: string }) => error.code ?? 'own',
  )
const openWith = (observe: Observer) => openStore(book, inMemory(records), { now: options.now, observe })

/** What a person does: something allowed, refused, hidden and invalid. */
async function act(store: ReturnType<typeof openWith>): Promise<string[]> {
  const mine = store.for(ines)
  return [
    await codeOf(mine.list('plot')),
    await codeOf(mine.update('plot', 'p-01', { planting: 'leeks' })),
    await codeOf(mine.update('plot', 'p-01', { rentDue: 0 })),
    await codeOf(mine.get('plot', 'p-02')),
    await codeOf(mine.create('entry', { plotId: 'p-01', audience: 'moon', text: 'x' } as never)),
  ]
}
const DONE = ['done', 'done', 'REFUSED', 'NOT_FOUND', 'INVALID']

describe('telemetry of a guarded store', () => {
  const spans = new InMemorySpanExporter()
  const tracer = new BasicTracerProvider({ spanProcessors: [new SimpleSpanProcessor(spans)] }).getTracer('test') as Tracer
  const metrics = new InMemoryMetricExporter(AggregationTemporality.CUMULATIVE)
  const reader = new PeriodicExportingMetricReader({ exporter: metrics, exportIntervalMillis: 3_600_000 })
  const provider = new MeterProvider({ readers: [reader] })
  const manager = new AsyncLocalStorageContextManager()
  before(() => void context.setGlobalContextManager(manager.enable()))
  after(async () => {
    context.disable()
    await provider.shutdown()
  })
  beforeEach(() => spans.reset())

  it('is a span for each call, within that of the request, and a count of verdicts', async () => {
    const store = openWith(telemetry({ tracer, meter: provider.getMeter('test') as Meter }))
    await tracer.startActiveSpan('request', async (request) => {
      expect(await act(store)).to.deep.equal(DONE)
      request.end()
    })
    const all = spans.getFinishedSpans()
    const request = all.find(({ name }) => name === 'request')
    const calls = all.filter(({ name }) => name !== 'request')
    expect(calls.map(({ name, attributes }) => [name, attributes['pachter.outcome']])).to.deep.equal([
      ['read plot', 'allowed'],
      ['update plot', 'allowed'],
      ['update plot', 'refused'],
      ['read plot', 'not found'],
      ['create entry', 'invalid'],
    ])
    expect(calls[1]?.attributes['pachter.clause']).to.equal('holder; only planting')
    expect(calls[2]?.attributes['error.type']).to.equal('REFUSED')
    for (const call of calls) {
      const { parentSpanContext, status, duration } = call
      expect(parentSpanContext?.spanId).to.equal(request?.spanContext().spanId)
      expect(status.code, 'a refusal is no error').to.equal(0)
      expect((duration as HrTime)[1]).to.be.above(0)
      expect(call.spanContext().traceId).to.equal(request?.spanContext().traceId)
    }
    await reader.forceFlush()
    const found = metrics.getMetrics()[0]?.scopeMetrics[0]?.metrics ?? []
    const points = (name: string) => found.find(({ descriptor }) => descriptor.name === name)?.dataPoints ?? []
    const counts = points('pachter.verdicts').map(({ attributes, value }) => [
      attributes['pachter.action'],
      attributes['pachter.outcome'],
      value,
    ])
    expect(counts).to.deep.include.members([
      ['update', 'refused', 1],
      ['read', 'not found', 1],
    ])
    expect(points('pachter.call.duration').length).to.be.above(3)
  })

  it('has no key, no value and no person in it', async () => {
    const store = openWith(telemetry({ tracer, meter: provider.getMeter('test') as Meter }))
    await act(store)
    await codeOf(store.asSystem('a secret reason').update('plot', 'p-03', { planting: 'rare orchids' }))
    await reader.forceFlush()
    const said = JSON.stringify([
      spans.getFinishedSpans().map(({ name, attributes, events }) => [name, attributes, events]),
      metrics.getMetrics(),
    ])
    for (const secret of ['p-01', 'p-02', 'p-03', ines.id, ines.email, 'leeks', 'orchids', 'secret reason', 'moon'])
      expect(said).not.to.include(secret)
    expect(said).to.include('pachter.trusted')
  })
})

describe('an observer of a store', () => {
  const ODD: { readonly [what: string]: Observer } = {
    'does nothing': () => undefined,
    throws: () => {
      throw new Error('no disk')
    },
    'throws later': async (_call, run) => {
      await run()
      throw new Error('no disk')
    },
    'never ends': () => new Promise(() => {}),
    'runs it late, and twice': async (_call, run) => {
      await new Promise((resolve) => setTimeout(resolve, 5))
      await Promise.all([run(), run()])
    },
  }
  for (const [what, observe] of Object.entries(ODD))
    it(`that ${what} changes nothing`, async () => {
      const store = openWith(observe)
      expect(await act(store)).to.deep.equal(DONE)
      expect((await store.asSystem('look').list('entry', { where: (entry) => entry.text.is('x') })).length).to.equal(0)
    })

  it('is told how calls ended, within routines and transactions too', async () => {
    const told: string[] = []
    const store = openWith(async ({ action, type, within, trusted }, run) => {
      const { outcome } = await run()
      told.push(`${trusted ? 'system ' : ''}${action} ${type}${within === undefined ? '' : ` within ${within}`}: ${outcome}`)
    })
    await store.for(ground.people.kofi as never).routine('handOver', (inside) => inside.list('plot'))
    await codeOf(store.for(ines).routine('handOver', async () => {}))
    expect(told).to.include.members(['call handOver: allowed', 'read plot within handOver: allowed', 'call handOver: refused'])
    // Nothing is held open by what nobody waits for.
    expect(trace.getActiveSpan()).to.equal(undefined)
  })
})
