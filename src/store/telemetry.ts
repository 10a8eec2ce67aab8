import type { Attributes, Meter, Tracer } from '@opentelemetry/api'
import type { Observer } from './observer.js'

/** Where the signals go. */
export interface TelemetryOptions {
  /** For a span of each call. */
  readonly tracer?: Tracer
  /** For a counter of verdicts, and a histogram of how long calls take. */
  readonly meter?: Meter
}

/** `SpanStatusCode.ERROR` of `@opentelemetry/api`, which is not loaded for one number. */
const ERROR = 2

/**
 * Signals of OpenTelemetry: a span for each call of a guarded store, the counter `pachter.verdicts`, and the histogram
 * `pachter.call.duration` in seconds. Their attributes are the record type, the action, the outcome, the clause and the routine. No key, no
 * value and no person is in them.
 *
 * @example
 * import { metrics, trace } from '@opentelemetry/api'
 * const observe = telemetry({ tracer: trace.getTracer('pachter'), meter: metrics.getMeter('pachter') })
 * const store = openStore(book, backend, { observe })
 */
export function telemetry({ tracer, meter }: TelemetryOptions): Observer {
  const verdicts = meter?.createCounter('pachter.verdicts', {
    unit: '{verdict}',
    description: 'Calls by record type, action, outcome and clause',
  })
  const duration = meter?.createHistogram('pachter.call.duration', { unit: 's', description: 'How long calls of the guarded store take' })
  return async ({ action, type, within, trusted }, run) => {
    const about: Attributes = {
      'pachter.type': type,
      'pachter.action': action,
      ...(within === undefined ? {} : { 'pachter.routine': within }),
      ...(trusted ? { 'pachter.trusted': true } : {}),
    }
    const measured = async () => {
      const begun = performance.now()
      const { outcome, clause, code } = await run()
      const ended = { ...about, 'pachter.outcome': outcome }
      verdicts?.add(1, { ...ended, ...(clause === undefined ? {} : { 'pachter.clause': clause }) })
      duration?.record((performance.now() - begun) / 1000, ended)
      return { outcome, clause, code }
    }
    if (tracer === undefined) return measured()
    return tracer.startActiveSpan(`${action} ${type}`, { attributes: about }, async (span) => {
      try {
        const { outcome, clause, code } = await measured()
        span.setAttributes({
          'pachter.outcome': outcome,
          ...(clause === undefined ? {} : { 'pachter.clause': clause }),
          ...(code === undefined ? {} : { 'error.type': code }),
        })
        // A refusal is an answer. Only what failed is an error.
        if (outcome === 'failed') span.setStatus({ code: ERROR })
      } finally {
        span.end()
      }
    })
  }
}
