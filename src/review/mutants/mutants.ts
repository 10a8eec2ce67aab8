import { allOfNode, type ConditionNode, describe, FALSE, fieldsIn, TRUE } from '../../condition/index.js'
import { type ClauseNode, type Model, signedIn, type TypeModel, type TypeRules, typeModel } from '../../rulebook/index.js'
import { withStanding } from './standing-uses.js'
import { isTrue, narrower, type Step, type Weakening, weaker } from './weaken.js'

/** A rulebook weakened by one step. */
export interface Mutant {
  /** The record type; absent for a gate of the rulebook, a privilege or a routine. */
  readonly type?: string
  /** The action of the weakened rule, if it has one. */
  readonly action?: string
  /** The rule: "update, holder; only planting". */
  readonly rule: string
  /** The change: "rentDue as well". */
  readonly step: string
  /** Creates the weakened rulebook. */
  model(): Model
}

/**
 * All rulebooks that are weakened by one step: a clause loses its condition or a part of it; a comparison is negated; a standing becomes
 * "signed in"; a limit allows one more field; a veto or its condition is removed; an exception is widened; a gate, an `afterwards` or a
 * stamp is removed.
 */
export function mutantsOf(model: Model): Mutant[] {
  return [
    ...gateMutants(model),
    ...grantMutants(model, 'privileges'),
    ...grantMutants(model, 'routines'),
    ...Object.values(model.types).flatMap((type) => [...standingMutants(model, type), ...rulesMutants(model, type)]),
  ]
}

function how(model: Model, record = 'the record'): Weakening {
  return { signedIn: signedIn(model.me), wording: { record } }
}

/** The steps without duplicates, and without those that change nothing. */
function distinct(node: ConditionNode, steps: readonly Step[]): Step[] {
  const seen = new Set([JSON.stringify(node), ...(isTrue(node) ? [JSON.stringify(TRUE)] : [])])
  return steps.filter((step) => {
    const text = JSON.stringify(step.node)
    if (seen.has(text)) return false
    seen.add(text)
    return true
  })
}

const DROPPED = 'its condition dropped'

function gateMutants(model: Model): Mutant[] {
  const { gate } = model
  if (gate === undefined) return []
  const steps = distinct(gate, [{ node: TRUE, what: 'dropped' }, ...weaker(gate, how(model))])
  return steps.map(({ node, what }) => ({ rule: 'the gate', step: what, model: () => Object.freeze({ ...model, gate: node }) }))
}

function grantMutants(model: Model, kind: 'privileges' | 'routines'): Mutant[] {
  const one = kind.slice(0, -1)
  return Object.entries(model[kind]).flatMap(([name, node]) =>
    distinct(node, [{ node: TRUE, what: DROPPED }, ...weaker(node, how(model))]).map((step) => ({
      rule: `${one} ${name}`,
      step: step.what,
      model: () => Object.freeze({ ...model, [kind]: Object.freeze({ ...model[kind], [name]: step.node }) }),
    })),
  )
}

function standingMutants(model: Model, type: TypeModel): Mutant[] {
  return Object.entries(type.standings).flatMap(([name, standing]) => {
    const definition = standing.kind === 'named' ? standing.of : standing
    return distinct(definition, weaker(definition, how(model, `the ${type.name}`))).map(({ node, what }) => ({
      type: type.name,
      rule: `standing ${name}`,
      step: what,
      model: () => withStanding(model, type.name, name, node),
    }))
  })
}

/** The model with other rules of a type. */
function withRules(model: Model, type: string, change: (rules: TypeRules) => TypeRules): Model {
  const known = typeModel(model, type)
  const changed = Object.freeze({ ...known, rules: Object.freeze(change(known.rules as TypeRules)) }) as TypeModel
  return Object.freeze({ ...model, types: Object.freeze({ ...model.types, [type]: changed }) })
}

function rulesMutants(model: Model, type: TypeModel): Mutant[] {
  const { rules } = type
  if (rules === undefined) return []
  const weakening = how(model, `the ${type.name}`)
  return [
    ...Object.entries(rules.may).flatMap(([action, clauses]) =>
      clauses.flatMap((clause) =>
        clauseSteps(type, action, clause, weakening).map(({ what, clause: weakened }) => ({
          type: type.name,
          action,
          rule: `${action}, ${clause.title}`,
          step: what,
          model: () =>
            withRules(model, type.name, ({ may, ...rest }) => {
              const others = (may[action] as readonly ClauseNode[]).map((one) => (one === clause ? Object.freeze(weakened) : one))
              return { ...rest, may: Object.freeze({ ...may, [action]: Object.freeze(others) }) }
            }),
        })),
      ),
    ),
    ...Object.entries(rules.gates).flatMap(([action, gate]) =>
      distinct(gate, [{ node: TRUE, what: 'dropped' }, ...weaker(gate, weakening)]).map(({ node, what }) => ({
        type: type.name,
        action,
        rule: `${action}, the gate`,
        step: what,
        model: () => withRules(model, type.name, (all) => ({ ...all, gates: Object.freeze({ ...all.gates, [action]: node }) })),
      })),
    ),
    ...rules.vetoes.flatMap((veto) =>
      distinct(veto.when, [{ node: FALSE, what: 'dropped' }, ...narrower(veto.when, weakening), ...applyingAlways(veto.when)]).map(
        ({ node, what }) => ({
          type: type.name,
          ...(veto.actions.length === 1 ? { action: veto.actions[0] as string } : {}),
          rule: `veto, ${veto.title}`,
          step: what,
          model: () =>
            withRules(model, type.name, (all) => ({
              ...all,
              vetoes: Object.freeze(all.vetoes.map((one) => (one === veto ? Object.freeze({ ...veto, when: node }) : one))),
            })),
        }),
      ),
    ),
    ...(['create', 'update'] as const).flatMap((action) =>
      Object.keys(rules.stamps[action]).map((field) => ({
        type: type.name,
        action,
        rule: `stamp on ${action}, ${field}`,
        step: 'dropped',
        model: () =>
          withRules(model, type.name, (all) => {
            const { [field]: _dropped, ...others } = all.stamps[action]
            return { ...all, stamps: Object.freeze({ ...all.stamps, [action]: Object.freeze(others) }) }
          }),
      })),
    ),
  ]
}

/** A veto without its condition refuses everyone except those in its exception. */
function applyingAlways(when: ConditionNode): Step[] {
  const what = 'applies always'
  if (when.kind !== 'allOf') return [{ node: TRUE, what }]
  const exceptions = when.of.filter(({ kind }) => kind === 'not')
  return exceptions.length === when.of.length ? [] : [{ node: allOfNode(exceptions), what }]
}

function clauseSteps(
  { fields, keys }: TypeModel,
  action: string,
  clause: ClauseNode,
  how: Weakening,
): { readonly what: string; readonly clause: ClauseNode }[] {
  const { who, provided, when } = clause
  const rejoined = (parts: readonly ConditionNode[]) => (parts.length === 1 ? (parts[0] as ConditionNode) : allOfNode(parts))
  const conditions = distinct(when, [
    { node: TRUE, what: DROPPED },
    ...weaker(who, how).map((step) => ({ ...step, node: rejoined([step.node, ...provided]) })),
    ...(provided.length === 0 ? [] : weaker(allOfNode(provided), how).map((step) => ({ ...step, node: rejoined([who, step.node]) }))),
  ])
  const outside = Object.keys(fields).filter((name) => !keys.includes(name) && clause.fields !== undefined && !clause.fields.includes(name))
  const { afterwards, within: _within, ...unbound } = clause
  const settable = fieldsIn(when).some((name) => clause.fields?.includes(name) ?? !keys.includes(name))
  const later =
    afterwards !== undefined
      ? [
          { node: TRUE, what: `afterwards dropped: ${describe(afterwards, how.wording)}` },
          ...weaker(afterwards, how).map((step) => ({ ...step, what: `afterwards, ${step.what}` })),
        ]
      : action === 'update' && settable
        ? [{ node: TRUE, what: 'does not have to hold afterwards' }]
        : []
  return [
    ...conditions.map(({ node, what }) => ({ what, clause: { ...clause, when: node } })),
    ...outside.map((name) => ({ what: `${name} too`, clause: { ...clause, fields: [...(clause.fields ?? []), name] } })),
    ...distinct(afterwards ?? when, later).map(({ node, what }) => ({ what, clause: { ...clause, afterwards: node } })),
    ...(clause.within === undefined
      ? []
      : [{ what: 'outside of the routine too', clause: { ...unbound, ...(afterwards === undefined ? {} : { afterwards }) } }]),
  ]
}
