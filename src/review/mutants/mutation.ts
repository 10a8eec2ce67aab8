import type { Row } from '../../condition/index.js'
import type { Model } from '../../rulebook/index.js'
import type { Expectation } from '../expectations/expectation.js'
import { judgeExpectation } from '../expectations/judge.js'
import { distinguisher } from '../matrix/distinguish.js'
import { recordSets } from '../matrix/sets.js'
import type { Ground } from '../scenario.js'
import { type Mutant, mutantsOf } from './mutants.js'

/** The result for a weakened rulebook. */
export interface MutantResult {
  readonly mutant: Mutant
  /** Killed: an expectation fails, or a guarantee is refuted. Survived: none fails, though one could. Equivalent: no difference was found on this data. */
  readonly outcome: 'killed' | 'survived' | 'equivalent'
  /** The expectation that killed it. */
  readonly by?: Expectation
  /** The guarantee that killed it, where no expectation did. */
  readonly guarantee?: { readonly type: string; readonly title: string }
  /** If it survived: an expectation that would kill it, and that holds for the original rulebook. */
  readonly proposal?: Expectation
}

/** The options of a mutation check. */
export interface MutationOptions {
  /** Only rules of these record types. Default: all, with gates, privileges and routines. */
  readonly types?: readonly string[] | undefined
  readonly progress?: (done: number, all: number) => void
  /** A guarantee of these record types that holds for the rulebook and not for a weakened one. Default: guarantees are not asked. */
  readonly refuted?: (weakened: Model, types: readonly string[]) => { readonly type: string; readonly title: string } | undefined
}

/**
 * Weakens a rulebook one step at a time, and reports for each step whether an expectation fails. All expectations must hold for the
 * original rulebook. If none fails, it looks for something that only the weakened rulebook allows.
 */
export async function runMutants(
  ground: Ground,
  expectations: readonly Expectation[],
  { types: only, progress, refuted }: MutationOptions = {},
): Promise<MutantResult[]> {
  const mutants = mutantsOf(ground.model).filter(({ type }) => only === undefined || (type !== undefined && only.includes(type)))
  const sets = recordSets(ground.records as { readonly [type: string]: readonly Row[] }, ground.now.getTime())
  const find = distinguisher(ground, sets)
  const affectedBy = affected(ground.model)
  const results: MutantResult[] = []
  const proposals: Expectation[] = []
  for (const [at, mutant] of mutants.entries()) {
    progress?.(at, mutants.length)
    const model = mutant.model()
    const types = affectedBy(model)
    const weakened = ground.under(model)
    const by = await noticing(weakened, relevant(expectations, mutant, types))
    if (by !== undefined) {
      results.push({ mutant, outcome: 'killed', by })
      continue
    }
    const guarantee = refuted?.(model, types)
    if (guarantee !== undefined) {
      results.push({ mutant, outcome: 'killed', guarantee })
      continue
    }
    const known = await noticing(weakened, relevant(proposals, mutant, types))
    const proposal = known ?? (await find(weakened, { types, action: mutant.action }))
    if (proposal !== undefined && known === undefined) proposals.push(proposal)
    results.push(proposal === undefined ? { mutant, outcome: 'equivalent' } : { mutant, outcome: 'survived', proposal })
  }
  return results
}

async function noticing(ground: Ground, expectations: readonly Expectation[]): Promise<Expectation | undefined> {
  for (const one of expectations) if (!(await judgeExpectation(ground, one)).held) return one
  return undefined
}

/** The record types whose rules differ from the original. */
function affected(model: Model): (other: Model) => string[] {
  const texts = new Map(Object.values(model.types).map(({ name, rules }) => [name, JSON.stringify(rules)]))
  return (other) => {
    if (other.gate !== model.gate) return Object.keys(model.types)
    return Object.values(other.types).flatMap(({ name, rules }) =>
      rules === model.types[name]?.rules || JSON.stringify(rules) === texts.get(name) ? [] : [name],
    )
  }
}

/** The expectations that can have another result, the most likely first. A write may depend on other types through links. */
function relevant(expectations: readonly Expectation[], { type, action }: Mutant, types: readonly string[]): Expectation[] {
  const rank = (one: Expectation): number => {
    if (!('type' in one)) return type === undefined ? 1 : -1
    if (!types.includes(one.type)) return one.kind === 'try' ? 3 : -1
    const same = 'action' in one && one.action === action
    return one.type === type && same ? 0 : one.type === type ? 1 : 2
  }
  return expectations
    .map((one) => ({ one, rank: rank(one) }))
    .filter(({ rank }) => rank >= 0)
    .sort((a, b) => a.rank - b.rank)
    .map(({ one }) => one)
}
