import { type ConditionNode, describe, describeTerm, type Row, simplify } from '../../condition/index.js'
import { type Model, type TypeModel, typeModel } from '../../rulebook/index.js'
import { type Bits, complementOf, count, each, intersection, noBits, union } from './bits.js'
import type { MatrixOptions } from './matrix.js'
import { type View, type Workings, workingsOf } from './matrix-cache.js'

/** A rule of a record type, in words. */
export interface RuleText {
  readonly kind: 'standing' | 'gate' | 'clause' | 'veto' | 'stamp'
  /** The actions that it affects; empty for a standing. */
  readonly actions: readonly string[]
  /** Its number among the clauses of its action, or among the vetoes, from 0. */
  readonly number: number
  readonly title: string
  /** The definition of a standing, or the message of a veto. */
  readonly meaning?: string
}

/** Where a rule matters, over all people and records. */
export interface RuleUse extends RuleText {
  /**
   * The number of cells (person, record) in which it applies: for a clause, where it holds and the action is allowed; for a gate or veto,
   * where it refuses what a clause would allow; for a standing, where a person has it. Undefined for rules that concern no stored record:
   * stamps, clauses of create, and clauses that only count within a routine.
   */
  readonly cells?: number
  /** The number of these cells that would differ without it. */
  readonly alone?: number
  /** The people it affects, with the number of records; for create, the people it can allow. */
  readonly people: readonly { readonly name: string; readonly records: number }[]
}

/** The effect of each rule of a record type. */
export interface Deciding {
  readonly rules: readonly RuleUse[]
  /**
   * For each rule (in the order of `rules`), person and record: 0 if the rule does not apply, 1 if others have the same effect, 2 if it
   * decides.
   */
  marks(rule: number): readonly Uint8Array[]
}

/** Where a rule applies for one person, and where it is the only one. */
interface Say {
  readonly cells: Bits
  readonly alone: Bits
}

/**
 * Which cells of the access matrix each rule of a record type decides, on the records as they are. It does not consider what an update
 * makes of a record: a clause that decides nothing here may still limit changes.
 * @throws UnknownNameError, ClaimsError, LinksError
 * @example
 * const { rules } = decidingOf(book, 'plot', { people, records })
 * console.log(rules.filter(({ kind, alone }) => kind === 'clause' && alone === 0))
 */
export function decidingOf({ model }: { readonly model: Model }, typeName: string, options: Omit<MatrixOptions, 'actions'>): Deciding {
  const { people, records, now = new Date() } = options
  return decidingBy(workingsOf({ model, people, records, now }), typeName)
}

/** The same, from cached results. */
export function decidingBy(workings: Workings, typeName: string): Deciding {
  const impact = new RuleImpact(workings, typeName)
  return Object.freeze({ rules: impact.rules(), marks: (rule: number) => impact.marks(rule) })
}

/** The effect of each rule of a record type for each person. */
class RuleImpact {
  readonly #workings: Workings
  readonly #type: TypeModel
  readonly #size: number
  readonly #nothing: Say
  readonly #names: readonly string[]
  readonly #views: readonly View[]
  readonly #texts: readonly RuleText[]
  readonly #says: readonly (readonly Say[])[]

  constructor(workings: Workings, typeName: string) {
    this.#workings = workings
    this.#type = typeModel(workings.model, typeName)
    this.#size = workings.sets.rows(typeName).length
    this.#nothing = { cells: noBits(this.#size), alone: noBits(this.#size) }
    this.#names = Object.keys(workings.people)
    this.#views = this.#names.map(workings.view)
    this.#texts = rulesOfType(workings.model, this.#type)
    this.#says = this.#texts.map((text) => this.#views.map((view) => this.#sayOf(view, text)))
  }

  rules(): RuleUse[] {
    return this.#texts.map((text, at) => this.#useOf(text, this.#says[at] as readonly Say[]))
  }

  marks(rule: number): Uint8Array[] {
    return (this.#says[rule] ?? []).map(({ cells, alone }) => {
      const marks = new Uint8Array(this.#size)
      each(cells, (at) => {
        marks[at] = 1
      })
      each(alone, (at) => {
        marks[at] = 2
      })
      return marks
    })
  }

  #where(condition: ConditionNode): Bits {
    return this.#workings.sets.where(this.#type.name, condition)
  }

  #union(sets: readonly Bits[]): Bits {
    return union(this.#size, sets)
  }

  #sayOf(view: View, text: RuleText): Say {
    switch (text.kind) {
      case 'standing': {
        const when = view.standings(this.#type.name)[text.number]?.when
        const cells = when === undefined ? this.#nothing.cells : this.#where(when)
        return { cells, alone: cells }
      }
      case 'clause':
        return text.actions[0] === 'create' ? this.#nothing : this.#saidByClause(view, text)
      case 'gate':
      case 'veto': {
        const says = text.actions.filter((action) => action !== 'create').map((action) => this.#withheld(view, action, text))
        return { cells: this.#union(says.map(({ cells }) => cells)), alone: this.#union(says.map(({ alone }) => alone)) }
      }
      case 'stamp':
        return this.#nothing
    }
  }

  #saidByClause(view: View, { actions: [action = ''], number }: RuleText): Say {
    const { name, rules, fields: shape, keys } = this.#type
    const { clauses, when } = view.rules(name, action)
    const mine = clauses.find(({ clause }) => clause === rules?.may[action]?.[number])
    if (mine === undefined) return this.#nothing
    const cells = intersection(this.#size, [this.#where(when), this.#where(mine.when)])
    const others = clauses.filter((one) => one !== mine)
    const letting = (field?: string) => {
      const some = others.filter(({ clause: { fields } }) => field === undefined || fields === undefined || fields.includes(field))
      return this.#union(some.map((one) => this.#where(one.when)))
    }
    const fields = mine.clause.fields ?? Object.keys(shape).filter((one) => !keys.includes(one))
    // Another clause holds and, for each field, another clause allows it too.
    const limited = others.some(({ clause }) => clause.fields !== undefined)
    const covered = intersection(this.#size, [letting(), ...(limited ? fields.map(letting) : [])])
    return { cells, alone: intersection(this.#size, [cells, complementOf(covered)]) }
  }

  /** Where a gate or veto refuses an action that a clause would allow. */
  #withheld(view: View, action: string, text: RuleText): Say {
    const { name } = this.#type
    const wished = this.#union(view.rules(name, action).clauses.map(({ when }) => this.#where(when)))
    const base = action === 'read' ? wished : intersection(this.#size, [wished, this.#where(view.rules(name, 'read').when)])
    const closing = this.#closing(view, action)
    const by = nodeOf(this.#workings.model, this.#type, text)
    const mine = closing.find((one) => one.by === by)
    if (mine === undefined) return this.#nothing
    const cells = intersection(this.#size, [base, mine.where])
    const others = this.#union(closing.filter((one) => one !== mine).map((one) => one.where))
    return { cells, alone: intersection(this.#size, [cells, complementOf(others)]) }
  }

  /** The gates and vetoes of an action, and where each of them refuses. */
  #closing(view: View, action: string): { readonly by: object; readonly where: Bits }[] {
    const gates = [this.#workings.model.gate, this.#type.rules?.gates[action]].filter((gate) => gate !== undefined)
    const { vetoes } = view.rules(this.#type.name, action)
    return [
      ...gates.map((gate) => ({ by: gate as object, where: complementOf(this.#where(simplify(gate, view.me as Row | null))) })),
      ...vetoes.map(({ veto, when }) => ({ by: veto as object, where: this.#where(when) })),
    ]
  }

  #useOf(text: RuleText, says: readonly Say[]): RuleUse {
    const { name: type, rules } = this.#type
    const node = text.kind === 'clause' ? rules?.may[text.actions[0] ?? '']?.[text.number] : undefined
    if (text.kind === 'stamp' || node?.within !== undefined) return { ...text, people: [] }
    if (text.kind === 'clause' && text.actions[0] === 'create') {
      const able = this.#names.filter((_, at) => this.#views[at]?.rules(type, 'create').clauses.some(({ clause }) => clause === node))
      return { ...text, people: able.map((name) => ({ name, records: 0 })) }
    }
    const sum = (part: keyof Say) => says.reduce((total, say) => total + count(say[part]), 0)
    const people = this.#names
      .map((name, at) => ({ name, records: count((says[at] as Say).cells) }))
      .filter(({ records }) => records > 0)
      .sort((a, b) => b.records - a.records)
    return { ...text, cells: sum('cells'), alone: sum('alone'), people }
  }
}

/** The gate or veto that a text belongs to. */
function nodeOf({ gate }: Model, { rules }: TypeModel, { kind, actions, number }: RuleText): object | undefined {
  if (kind === 'veto') return rules?.vetoes[number]
  return number === 0 ? gate : rules?.gates[actions[0] as string]
}

/** The rules of a record type in reading order: standings, gates, clauses, vetoes, stamps. */
function rulesOfType({ gate }: Model, { name, standings, rules, actions }: TypeModel): RuleText[] {
  const wording = { record: `the ${name}` }
  return [
    ...Object.entries(standings).map(([title, node], number) => ({
      kind: 'standing' as const,
      actions: [],
      number,
      title,
      meaning: describe(node.kind === 'named' ? node.of : node, wording),
    })),
    ...(gate === undefined ? [] : [{ kind: 'gate' as const, actions, number: 0, title: describe(gate, wording) }]),
    ...Object.entries(rules?.gates ?? {}).map(([action, node]) => ({
      kind: 'gate' as const,
      actions: [action],
      number: 1,
      title: describe(node, wording),
    })),
    ...actions.flatMap((action) =>
      (rules?.may[action] ?? []).map(({ title }, number) => ({ kind: 'clause' as const, actions: [action], number, title })),
    ),
    ...(rules?.vetoes ?? []).map(({ title, actions: of, message }, number) => ({
      kind: 'veto' as const,
      actions: of,
      number,
      title,
      meaning: message,
    })),
    ...(['create', 'update'] as const).flatMap((action) =>
      Object.entries(rules?.stamps[action] ?? {}).map(([field, term], number) => ({
        kind: 'stamp' as const,
        actions: [action],
        number,
        title: `${field}: ${describeTerm(term)}`,
      })),
    ),
  ]
}
