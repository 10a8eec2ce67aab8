import { implies } from '../condition/implies.js'
import { allOfNode, type ConditionNode, FALSE, type FieldNode, type TermNode } from '../condition/nodes.js'
import { simplify } from '../condition/specialise.js'
import { partsOfTerm, termsOf } from '../condition/visit.js'
import { fieldNodesIn, fieldsIn } from '../condition/walk.js'
import { signedIn } from './callback-args.js'
import type { Model, TypeModel, TypeRules } from './model.js'
import { conditionsOfType } from './type-conditions.js'

const found = new WeakMap<Model, readonly string[]>()

/** Probable mistakes in a rulebook that could be intended, each said once. */
export function warningsOf(model: Model): readonly string[] {
  let warnings = found.get(model)
  if (warnings === undefined) {
    const all = Object.values(model.types).flatMap((type) => warningsOfType(model, type))
    warnings = Object.freeze([...new Set(all)])
    found.set(model, warnings)
  }
  return warnings
}

function warningsOfType(model: Model, type: TypeModel): string[] {
  const { name, rules } = type
  if (rules === undefined) {
    // Before any rules are written, this is no mistake yet.
    const isBegun = Object.values(model.types).some((other) => other.rules !== undefined)
    const text = `${name}: it has no rules, so everyone is refused. If that is meant, write ${name}: () => ({}).`
    return isBegun ? [text] : []
  }
  return [...uncovered(model, name, rules), ...unreachable(model, name, rules), ...stuck(name, rules), ...telling(type, rules)]
}

/** Clauses for update and delete whose people may not read the record: such a clause allows nothing. */
function uncovered({ me }: Model, type: string, rules: TypeRules): string[] {
  const everyone = signedIn(me)
  // A condition that needs a claim holds only for signed-in people.
  const covers = (read: ConditionNode, clause: ConditionNode) => implies(clause, read) || (needsClaim(clause) && implies(everyone, read))
  return Object.entries(rules.may).flatMap(([action, clauses]) => {
    if (action === 'read' || action === 'create') return []
    const open = clauses.filter(({ when }) => !rules.may.read.some((read) => covers(read.when, when)))
    return open.map(
      ({ title }) =>
        `${type}: the ${action} clause "${title}" may apply to records that its people cannot read, where it allows nothing. Add a read clause that covers it.`,
    )
  })
}

/** Whether a condition is false for a visitor, by its form. */
function needsClaim(node: ConditionNode): boolean {
  switch (node.kind) {
    case 'allOf':
      return node.of.some(needsClaim)
    case 'anyOf':
      return node.of.length > 0 && node.of.every(needsClaim)
    case 'named':
      return needsClaim(node.of)
    case 'some':
      return termsOf(node).some(isClaim) || needsClaim(node.of)
    case 'compare':
      return termsOf(node).some(isClaim)
    case 'presence':
      return node.present && isClaim(node.term)
    case 'constant':
    case 'not':
    case 'listChange':
      return false
  }
}

function isClaim(term: TermNode): boolean {
  return partsOfTerm(term).every(({ kind }) => kind === 'claim')
}

/** Clauses that hold for nobody, whatever the record. */
function unreachable({ gate }: Model, type: string, rules: TypeRules): string[] {
  return Object.entries(rules.may).flatMap(([action, clauses]) => {
    const gates = [gate, rules.gates[action]].filter((one) => one !== undefined)
    const idle = clauses.filter(({ when }) => simplify(allOfNode([...gates, when])) === FALSE)
    return idle.map(
      ({ title }) =>
        `${type}: the ${action} clause "${title}" can never hold, for nobody and no record. Remove it, or correct its condition.`,
    )
  })
}

/** Update clauses that include a field which they test themselves: it could only be set to values that pass the test again. */
function stuck(type: string, rules: TypeRules): string[] {
  return rules.may.update.flatMap(({ title, when, fields = [], limitedBy, afterwards }) => {
    const tested = limitedBy === 'only' && afterwards === undefined ? fieldsIn(when).filter((name) => fields.includes(name)) : []
    return tested.map(
      (name) =>
        `${type}: the update clause "${title}" allows ${name} to be changed, but also tests it, and has to hold after the update too. Say what has to hold then, with .afterwards(...).`,
    )
  })
}

/** Conditions that compare a changed field with one that its writer may not see: they could find its value by trying. */
function telling(type: TypeModel, rules: TypeRules): string[] {
  const { name, keys, fields } = type
  const { may } = rules
  const lets = (names: readonly string[] | undefined, field: string) => names?.includes(field) ?? true
  const conditions = conditionsOfType({}, { ...type, rules }, { actions: ['update'], roles: ['clause', 'afterwards', 'veto'] })
  return conditions
    .flatMap(({ condition }) => comparedSides(condition))
    .flatMap(([left, right]) => {
      const asked = [...left, ...right].map(({ of, path }) => ({ of, field: path[0] as string }))
      const written = asked.filter(({ of }) => of === 'after').map(({ field }) => field)
      return written.flatMap((field) =>
        asked.flatMap(({ of, field: told }) => {
          if (told === field || keys.includes(told) || !(told in fields)) return []
          const writers = may.update.filter((clause) => lets(clause.fields, field) && !(of === 'after' && lets(clause.fields, told)))
          const blind = writers.find((writer) => !may.read.some((read) => lets(read.fields, told) && implies(writer.when, read.when)))
          const hint = `People who cannot see ${told} could find out its value by trying.`
          const text = `${name}: the update clause "${blind?.title}" allows ${field} to be changed, and rules compare it with ${told}. ${hint}`
          return blind ? [text] : []
        }),
      )
    })
}

/** The fields on both sides of every comparison. */
function comparedSides(node: ConditionNode): [FieldNode[], FieldNode[]][] {
  switch (node.kind) {
    case 'allOf':
    case 'anyOf':
      return node.of.flatMap(comparedSides)
    case 'not':
    case 'named':
    case 'some':
      return comparedSides(node.of)
    case 'compare':
      return [[fieldNodesIn({ ...node, right: node.left }), fieldNodesIn({ ...node, left: node.right })]]
    case 'constant':
    case 'presence':
    case 'listChange':
      return []
  }
}
