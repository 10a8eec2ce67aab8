import { type ConditionNode, eachNode, lower, OUTERMOST } from '../condition/index.js'
import { conditionsOfType, type Model } from '../rulebook/index.js'

/**
 * Whether a write of the type depends on records that must not exist: its own rules do, or those of another type do and the write
 * may create such records. No lock holds what does not exist, so these writes have to be serialised.
 */
export function dependsOnAbsence(model: Model, type: string): boolean {
  const { looking, lookedFor } = absences(model)
  return looking.has(type) || lookedFor.has(type)
}

/** Whether any write depends on absence: several in one transaction may be of any type. */
export function someDependOnAbsence(model: Model): boolean {
  const { looking, calls } = absences(model)
  return looking.size > 0 || calls
}

interface Absences {
  /** The record types by whose rules something must not be there. */
  readonly looking: ReadonlySet<string>
  /** Whether a routine depends on absence. */
  readonly calls: boolean
  /** The record types that must not be there. */
  readonly lookedFor: ReadonlySet<string>
}

const known = new WeakMap<Model, Absences>()

function absences(model: Model): Absences {
  let found = known.get(model)
  if (found === undefined) {
    const looking = new Set<string>()
    const lookedFor = new Set<string>()
    for (const type of Object.values(model.types)) {
      const absent = conditionsOfType(model, type, { roles: ['gate', 'clause', 'afterwards', 'veto'] }).flatMap(({ condition, role }) =>
        // What withholds, counts where it does not hold.
        typesNegated(lower(condition), role === 'veto'),
      )
      if (absent.length > 0) looking.add(type.name)
      for (const name of absent) lookedFor.add(name)
    }
    const calling = [...(model.gate ? [model.gate] : []), ...Object.values(model.routines), ...Object.values(model.privileges)]
    const missing = calling.flatMap((condition) => typesNegated(lower(condition), false))
    for (const name of missing) lookedFor.add(name)
    found = { looking, lookedFor, calls: missing.length > 0 }
    known.set(model, found)
  }
  return found
}

/** The record types of which a condition holds by there being none. */
function typesNegated(condition: ConditionNode, negative: boolean): string[] {
  const found: string[] = []
  eachNode(
    condition,
    (node, around) => {
      if (around.negative && node.kind === 'some' && node.over.kind !== 'elements') found.push(node.over.type)
    },
    { ...OUTERMOST, negative },
  )
  return found
}
