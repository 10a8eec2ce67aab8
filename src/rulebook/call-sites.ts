import type { Model } from './model.js'

/** The method that was called to extend a rulebook. */
export interface Written {
  readonly kind: 'standings' | 'guarantees' | 'accepts' | 'rules' | 'privileges' | 'routines' | 'gate' | 'everyRecord' | 'grant'
  /** The record types, privileges or routines that were added; empty for a gate, `everyRecord` and `grant`. */
  readonly names: readonly string[]
  /** The stack of the call, starting at its caller, in V8's format; empty on other engines. */
  readonly stack: string
}

// Kept apart from the model, which is plain data and the same wherever it was written.
const calls = new WeakMap<Model, readonly Written[]>()
const stacks = new WeakMap<object, string>()

/** Records where a rulebook was extended, and returns the new model. */
export function noteWritten(before: Model, after: Model, kind?: Written['kind'], given?: unknown): Model {
  const old = calls.get(before) ?? []
  if (kind === undefined) {
    calls.set(after, old)
    return after
  }
  const stack = stackAbove(noteWritten)
  const all = typeof given === 'object' && given !== null ? Object.entries(given) : []
  // Rules created by `rulesOf` belong to the place of that call.
  const apart = all.filter(([, one]) => typeof one === 'function' && stacks.has(one))
  const names = all.map(([name]) => name).filter((name) => !apart.some(([other]) => other === name))
  const more = apart.map(([name, one]): Written => ({ kind, names: [name], stack: stacks.get(one as object) as string }))
  calls.set(after, [
    ...old,
    ...more,
    ...(names.length > 0 || ['gate', 'everyRecord', 'grant'].includes(kind) ? [{ kind, names, stack }] : []),
  ])
  return after
}

/** Records where rules were written that are added later. */
export function noteApart<F extends object>(rules: F): F {
  stacks.set(rules, stackAbove(noteApart))
  return rules
}

/** The places where the parts of a rulebook were written; empty for one that was read from JSON. */
export function writtenIn(model: Model): readonly Written[] {
  return calls.get(model) ?? []
}

/** The stack above the rulebook method that calls this function. */
function stackAbove(here: (...given: never[]) => unknown): string {
  const { captureStackTrace } = Error as { captureStackTrace?: (holder: object, from: unknown) => void }
  const holder: { stack?: string } = {}
  captureStackTrace?.(holder, here)
  return holder.stack?.split('\n').slice(2).join('\n') ?? ''
}
