/** How a call ended: `allowed`, a kind of refusal, or `failed` for an unexpected error. */
export type CallOutcome = 'allowed' | 'sign in' | 'not found' | 'refused' | 'invalid' | 'failed'

/** A call of a guarded store: names, and never a key or a value. */
export interface ObservedCall {
  readonly action: string
  readonly type: string
  /** The routine of the call. */
  readonly within?: string
  /** Trusted code calls. */
  readonly trusted: boolean
}

/** How a call ended. */
export interface ObservedResult {
  readonly outcome: CallOutcome
  /** The clause that allowed it. */
  readonly clause?: string
  /** The code of the error. */
  readonly code?: string
}

/**
 * Runs each call of a store, for tracing and metrics: it calls `run` before it waits for anything, and may wait for the result, which tells
 * how the call ended and never fails. Whatever an observer does, the call is run once, and its result stays the same.
 */
export type Observer = (call: ObservedCall, run: () => Promise<ObservedResult>) => unknown

/** A call with its result, and how it ended. */
type Ended<T> = { readonly told: ObservedResult } & ({ readonly result: T } | { readonly error: unknown })

/** Runs a call by an observer, which can neither refuse it, nor undo it, nor hold it up. */
export async function observed<T>(observe: Observer | undefined, call: ObservedCall, work: () => Promise<Ended<T>>): Promise<T> {
  if (observe === undefined) return resultOf(await work())
  let running: Promise<Ended<T>> | undefined
  const once = () => {
    running ??= work()
    return running
  }
  const watching = async () => observe(call, async () => (await once()).told)
  // What an observer throws is its own affair.
  watching().catch(() => undefined)
  return resultOf(await once())
}

function resultOf<T>(ended: Ended<T>): T {
  if ('error' in ended) throw ended.error
  return ended.result
}
