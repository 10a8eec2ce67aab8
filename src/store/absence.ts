import { type ConditionNode, eachNode, lower, OUTERMOST } from '../condition/index.js'
import { conditionsOfType, type Model } from '../rulebook/index.js'

/**
 * Whether a write of the type depends on the absence of records: because of its own rules, or because of another type's rules whose records
 * the write may create. A lock cannot hold what does not exist, so these writes must be serializable.
 */
export function dependsOnAbsence(model: Model, type: string): boolean {
  const { looking, lookedFor } = absences(model)
  return looking.has(type) || lookedFor.has(type)
}

/** Whether any write depends on absence: the writes of one transaction may be of any type. */
export function someDependOnAbsence(model: Model): boolean {
  const { looking, calls } = absences(model)
  return looking.size > 0 || calls
}

interface Absences {
  /** The record types whose absence some rule depends on. */
  readonly looking: ReadonlySet<string>
  /** Whether a routine depends on absence. */
  readonly calls: boolean
  /** The record types that must be absent. */
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
        // A veto counts where its condition does not hold.
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

/** The record types whose absence makes a condition true. */
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
