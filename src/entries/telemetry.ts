/**
 * Tracing and metrics of a guarded store with OpenTelemetry.
 * @module
 */

export type { CallOutcome, ObservedCall, ObservedResult, Observer } from '../store/observer.js'
export { type TelemetryOptions, telemetry } from '../store/telemetry.js'
