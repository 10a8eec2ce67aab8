import { allOfNode, anyOfNode, type ConditionNode, FALSE, type Predicate, predicate, type Row, simplify } from '../condition/index.js'
import type { Action, ClauseNode, TypeModel } from '../rulebook/index.js'

/** A clause as it stands for one person: what is left to ask of the record. */
export interface PersonalClause {
  readonly clause: ClauseNode
  readonly when: ConditionNode
  readonly test: Predicate
}

/** What is left of the rules for one person, one record type and one action. */
export interface PersonalRules {
  /** The clauses that can hold for this person at all. */
  readonly clauses: readonly PersonalClause[]
  /** Any of these clauses, without the visibility that actions on stored records also need. */
  readonly any: ConditionNode
  /** Everything: for an action on a stored record, that it be visible too. */
  readonly condition: ConditionNode
  readonly test: Predicate
}

/** Specialises the rules of one record type and action for one person's claims. */
export function specialise(type: TypeModel, action: Action, me: Row | null, read: () => PersonalRules): PersonalRules {
  const clauses: PersonalClause[] = []
  for (const clause of type.rules?.may[action] ?? []) {
    const when = simplify(clause.when, me)
    if (when !== FALSE) clauses.push(new Personal(clause, when))
  }
  const any = simplify(anyOfNode(clauses.map((one) => one.when)))
  const condition = action === 'read' || action === 'create' ? any : simplify(allOfNode([read().condition, any]))
  return new Rules(clauses, any, condition)
}

// Predicates are made when first asked for: a list that the database filters never needs one.
class Personal implements PersonalClause {
  #test: Predicate | undefined
  constructor(
    readonly clause: ClauseNode,
    readonly when: ConditionNode,
  ) {}

  get test(): Predicate {
    this.#test ??= predicate(this.when)
    return this.#test
  }
}

class Rules implements PersonalRules {
  #test: Predicate | undefined
  constructor(
    readonly clauses: readonly PersonalClause[],
    readonly any: ConditionNode,
    readonly condition: ConditionNode,
  ) {}

  get test(): Predicate {
    this.#test ??= predicate(this.condition)
    return this.#test
  }
}
