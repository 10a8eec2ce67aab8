import type { Env, Trace } from '../condition/index.js'
import { type Model, UnknownNameError } from '../rulebook/index.js'
import { tracerOf } from './keyed-trace.js'

/** What belongs to no record: a privilege, or the right to call a routine. */
export type GrantKind = 'privilege' | 'routine'

/** Why a person has a privilege or may call a routine, or not. For developers: never send it to a client. */
export interface GrantExplanation {
  readonly kind: GrantKind
  readonly name: string
  readonly has: boolean
  /** The gate of the rulebook, if it has one. */
  readonly gate?: Trace
  readonly trace: Trace
}

/** Explains a privilege or a routine. @throws UnknownNameError */
export function explainGrant(model: Model, kind: GrantKind, name: string, env: Env): GrantExplanation {
  const grants = kind === 'privilege' ? model.privileges : model.routines
  const condition = Object.hasOwn(grants, name) ? grants[name] : undefined
  if (condition === undefined) throw new UnknownNameError(kind, name, Object.keys(grants))
  const trace = tracerOf(model)
  const gate = model.gate && trace(model.gate, {}, env)
  const traced = trace(condition, {}, env)
  return Object.freeze({ kind, name, has: traced.holds && gate?.holds !== false, ...(gate ? { gate } : {}), trace: traced })
}

/** The privileges and routines of a rulebook. */
export function grantsIn({ privileges, routines }: Model): readonly { readonly kind: GrantKind; readonly name: string }[] {
  return [
    ...Object.keys(privileges).map((name) => ({ kind: 'privilege' as const, name })),
    ...Object.keys(routines).map((name) => ({ kind: 'routine' as const, name })),
  ]
}
