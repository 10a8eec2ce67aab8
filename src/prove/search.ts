import type { Model } from '../rulebook/index.js'
import { Encoder } from './encoder.js'
import type { Around, Limits } from './encoding.js'
import { type Example, exampleOf } from './example.js'
import { checkProof } from './proof.js'
import type { Literal, ProofStep } from './solver.js'

/** How far a search goes. The limits are counts, so that it has the same result on every machine. */
export interface SearchLimits extends Limits {
  /** Conflicts of the solver. */
  readonly conflicts: number
  /** Worlds that are looked at. */
  readonly worlds: number
  /** Clauses of the solver. */
  readonly clauses: number
}

export const DEFAULT_LIMITS: SearchLimits = Object.freeze({ individuals: 60, depth: 6, conflicts: 20_000, worlds: 400, clauses: 400_000 })
/** Where only an example is wanted, less is enough. */
const PLAIN_CLAUSES = 60_000

/** The result of a search: no world fits, one does, or it is not known. */
export type Found =
  | { readonly kind: 'none'; readonly proof: readonly ProofStep[] }
  | { readonly kind: 'example'; readonly example: Example }
  | { readonly kind: 'unknown'; readonly because: string }

/** What worlds are searched for. */
export interface Sought {
  readonly model: Model
  /** Says what has to hold, as literals of the encoder. */
  readonly ask: (encoder: Encoder) => { readonly literals: readonly Literal[]; readonly around: Around }
  /** Whether plain evaluation agrees that the world fits. */
  readonly confirms: (example: Example) => boolean
}

/**
 * Searches all worlds that fit the shapes, keys and links for one that fits the question. If there is none, the proof is checked apart. If
 * there is one, evaluation has to agree. Where it does not, worlds that are easier to see are searched for an example.
 * @throws ProofError if the solver made a mistake
 */
export function search(sought: Sought, limits: SearchLimits = DEFAULT_LIMITS): Found {
  const found = searchAmong(sought, limits, false)
  if (found.kind !== 'unknown') return found
  const plain = searchAmong(sought, { ...limits, clauses: Math.min(limits.clauses, PLAIN_CLAUSES) }, true)
  return plain.kind === 'example' ? plain : found
}

function searchAmong({ model, ask, confirms }: Sought, limits: SearchLimits, isPlain: boolean): Found {
  const encoder = new Encoder(model, limits, isPlain)
  const { values, individuals } = encoder
  const { solver } = values
  const { literals, around } = ask(encoder)
  for (const literal of literals) solver.add([literal])
  for (let world = 0; world < limits.worlds; ) {
    individuals.complete()
    if (solver.steps.length > limits.clauses) return { kind: 'unknown', because: `no answer after ${limits.clauses} clauses` }
    const answer = solver.solve(limits.conflicts - solver.conflicts)
    if (answer === 'unsatisfiable') {
      checkProof(solver.steps)
      return { kind: 'none', proof: solver.steps }
    }
    if (answer === 'unknown') return { kind: 'unknown', because: `no answer after ${limits.conflicts} conflicts` }
    if (encoder.spread()) continue
    const classes = values.classes()
    const wrong = values.disagreement(classes)
    for (const clause of wrong) solver.add(clause)
    if (wrong.length > 0) continue
    if (individuals.disagreement((a, b) => classes.of(a) === classes.of(b))) continue
    world += 1
    const example = exampleOf(encoder, around, classes)
    if (isConfirmed(example, confirms)) return { kind: 'example', example }
    return {
      kind: 'unknown',
      because: encoder.isCut
        ? `more than ${individuals.all.length} records would be needed`
        : 'evaluation does not confirm the world that was found',
    }
  }
  return { kind: 'unknown', because: `no answer after ${limits.worlds} worlds` }
}

function isConfirmed(example: Example, confirms: Sought['confirms']): boolean {
  try {
    return confirms(example)
  } catch {
    // A time that is none, say.
    return false
  }
}
