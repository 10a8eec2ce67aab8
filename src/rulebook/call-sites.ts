import type { Model } from './model.js'

/** What somebody called to add something to a rulebook. */
export interface Written {
  readonly kind: 'standings' | 'rules' | 'privileges' | 'routines' | 'gate'
  /** The record types, privileges or routines that it was about; none for a gate. */
  readonly names: readonly string[]
  /** The stack of the call, from its caller on, as V8 prints it; empty on other engines. */
  readonly stack: string
}

// Beside the model, which is plain data and the same wherever it was written.
const calls = new WeakMap<Model, readonly Written[]>()
const stacks = new WeakMap<object, string>()

/** Notes where a rulebook was added to; gives the new model. */
export function noteWritten(before: Model, after: Model, kind?: Written['kind'], given?: unknown): Model {
  const old = calls.get(before) ?? []
  if (kind === undefined) {
    calls.set(after, old)
    return after
  }
  const stack = stackAbove(noteWritten)
  const all = typeof given === 'object' && given !== null ? Object.entries(given) : []
  // Rules that were written apart are where they were written.
  const apart = all.filter(([, one]) => typeof one === 'function' && stacks.has(one))
  const names = all.map(([name]) => name).filter((name) => !apart.some(([other]) => other === name))
  const more = apart.map(([name, one]): Written => ({ kind, names: [name], stack: stacks.get(one as object) as string }))
  calls.set(after, [...old, ...more, ...(names.length > 0 || kind === 'gate' ? [{ kind, names, stack }] : [])])
  return after
}

/** Notes where rules were written that are added later. */
export function noteApart<F extends object>(rules: F): F {
  stacks.set(rules, stackAbove(noteApart))
  return rules
}

/** Where the parts of a rulebook were written; nothing of one that was read from JSON. */
export function writtenIn(model: Model): readonly Written[] {
  return calls.get(model) ?? []
}

/** The stack above the method of the rulebook that calls this one. */
function stackAbove(here: (...given: never[]) => unknown): string {
  const { captureStackTrace } = Error as { captureStackTrace?: (holder: object, from: unknown) => void }
  const holder: { stack?: string } = {}
  captureStackTrace?.(holder, here)
  return holder.stack?.split('\n').slice(2).join('\n') ?? ''
}
