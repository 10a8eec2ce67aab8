import { isPachterError } from '../condition/index.js'
import type { Key } from '../rulebook/index.js'
import { DeniedError } from './errors.js'
import { type CallOutcome, type Observer, observed } from './observer.js'
import { BulkError } from './write/bulk.js'

/** One entry of the verdict log. It holds names and keys, and never a value of a record. */
export interface LogEntry {
  /** The instant, as RFC 3339 text in UTC. */
  readonly time: string
  /** The key of the asker; null for a visitor, `system` for trusted code. Check `trusted`, because a person's key may be "system" too. */
  readonly who: Key | null | 'system'
  /** The key of the person who acted as `who`; null if nobody had signed in, as in development. */
  readonly actor?: Key | null
  /** Trusted code acted. */
  readonly trusted?: true
  /** Why trusted code acted. */
  readonly reason?: string
  /** The routine of the call. */
  readonly within?: string
  readonly action: string
  readonly type: string
  readonly key?: Key
  /** The record types that a query of the asker's own read. Its action is `query`. */
  readonly types?: readonly string[]
  /** How long it took. */
  readonly milliseconds?: number
  /** `allowed`, a kind of refusal (`sign in`, `not found`, `refused`, `invalid`), or `failed` for an unexpected error. */
  readonly outcome: CallOutcome
  /** The clause that allowed it. */
  readonly clause?: string
  /** The code of the error. */
  readonly code?: string
  /** The fields that may not be sent, or that are invalid. */
  readonly fields?: readonly string[]
  /** For a bulk change: the keys of the refused records. */
  readonly refused?: readonly Key[]
}

/** The receiver of the verdict log: a function, for example one that calls a logger. Errors in it are ignored. */
export type VerdictLog = (entry: LogEntry) => void

/** What is logged. */
export interface LogOptions {
  readonly log?: VerdictLog | undefined
  /** Also logs what was allowed. Refusals are always logged. */
  readonly logAllowed?: boolean | undefined
  /** Runs each call, for tracing and metrics. */
  readonly observe?: Observer | undefined
}

/** The asker in a log entry. */
export type AboutAsker = Pick<LogEntry, 'who' | 'actor' | 'trusted' | 'reason' | 'within'>

/** The call in a log entry. */
export type AboutCall = Pick<LogEntry, 'action' | 'type' | 'key' | 'types'>

/** Writes entries, each with the time and the asker. */
export interface Logger {
  readonly asker: AboutAsker
  /** Runs the work and logs its result. The work can note the clause that allowed it and the key of a created record. */
  about<T>(call: AboutCall, work: (note: (clause: string | undefined, key?: Key) => void) => Promise<T>): Promise<T>
  /** Logs an error that is not a verdict. */
  failed(call: AboutCall, error: unknown): void
  within(routine: string): Logger
  entry(entry: Omit<LogEntry, 'time' | 'who' | 'trusted'>): void
}

/** A logger for one asker. */
export function loggerFor(asker: AboutAsker, now: () => number, { log, logAllowed = false, observe }: LogOptions): Logger {
  // What one person does as another is always logged.
  const all = logAllowed || (asker.actor !== undefined && asker.actor !== null)
  const entry = (said: Omit<LogEntry, 'time' | 'who' | 'trusted'>) => {
    try {
      log?.(Object.freeze({ time: new Date(now()).toISOString(), ...asker, ...said }))
    } catch {
      // A log that throws must neither refuse a call nor undo it.
    }
  }
  return {
    asker,
    entry,
    within: (routine) => loggerFor({ ...asker, within: routine }, now, { log, logAllowed, observe }),
    failed(call, error) {
      const out = wayOut(error)
      if (out.outcome === 'failed') entry({ ...call, ...out })
    },
    about(call, work) {
      const { action, type } = call
      const { within, trusted = false } = asker
      return observed(observe, { action, type, trusted, ...(within === undefined ? {} : { within }) }, () => ended(call, work))
    },
  }

  async function ended<T>(call: AboutCall, work: Parameters<Logger['about']>[1]) {
    let clause: string | undefined
    let made: Key | undefined
    const begun = performance.now()
    const took = () => (call.types === undefined ? {} : { milliseconds: Math.round(performance.now() - begun) })
    try {
      const result = await work((title, key) => {
        clause = title
        made = key
      })
      if (all || (asker.trusted && WRITES.has(call.action))) {
        const said = { ...call, outcome: 'allowed' as const, ...took(), ...(clause === undefined ? {} : { clause }) }
        // A bulk change gets one entry for each record.
        for (const key of made === undefined ? writtenKeys(call, result) : [made]) entry(key === undefined ? said : { ...said, key })
      }
      return { result: result as T, told: { outcome: 'allowed' as const, ...(clause === undefined ? {} : { clause }) } }
    } catch (error) {
      const out = wayOut(error)
      entry({ ...call, ...out, ...took() })
      const { outcome, code } = out
      return { error, told: { outcome, ...(code === undefined ? {} : { code }) } }
    }
  }
}

const WRITES: ReadonlySet<string> = new Set(['create', 'update', 'delete'])

/** The keys of the written records, if the call does not name them. */
function writtenKeys({ action, key }: AboutCall, result: unknown): readonly (Key | undefined)[] {
  if (key !== undefined || !WRITES.has(action)) return [undefined]
  const { done } = (result ?? {}) as { done?: readonly Key[] }
  return Array.isArray(done) ? done : [undefined]
}

function wayOut(error: unknown): Pick<LogEntry, 'outcome' | 'code' | 'fields' | 'refused'> {
  const code = isPachterError(error) ? { code: error.code } : {}
  if (error instanceof BulkError) return { outcome: 'refused', ...code, refused: error.refused.map(({ key }) => key) }
  if (error instanceof DeniedError) {
    const { outcome } = error.verdict
    const { fields = [] } = error as { fields?: readonly string[] }
    return { outcome: outcome === 'allowed' ? 'refused' : outcome, ...code, ...(fields.length > 0 ? { fields } : {}) }
  }
  // The change was meant for another version of the record.
  if (isPachterError(error, 'BAD_REQUEST')) return { outcome: 'invalid', ...code }
  if (isPachterError(error, 'INVALID')) {
    const { faults } = error as unknown as { faults: readonly { field: string }[] }
    return { outcome: 'invalid', ...code, fields: [...new Set(faults.map(({ field }) => field.split(/[.[]/)[0] as string))] }
  }
  return { outcome: 'failed', ...code }
}
