import { type ConditionNode, describe, describeTerm, type Row, simplify } from '../../condition/index.js'
import { type Model, type TypeModel, typeModel } from '../../rulebook/index.js'
import { type Bits, complementOf, count, each, intersection, noBits, union } from './bits.js'
import type { MatrixOptions } from './matrix.js'
import { type View, type Workings, workingsOf } from './matrix-cache.js'

/** A rule of a record type, read back. */
export interface RuleText {
  readonly kind: 'standing' | 'gate' | 'clause' | 'veto' | 'stamp'
  /** The actions that it is about; none for a standing. */
  readonly actions: readonly string[]
  /** Its number among the clauses of its action, or among the vetoes, from 0. */
  readonly number: number
  readonly title: string
  /** What a standing means, or what a veto says. */
  readonly meaning?: string
}

/** Where a rule has a say, over all people and records. */
export interface RuleUse extends RuleText {
  /**
   * In how many cells (somebody, a record) it has a say: a clause where it holds and the action is allowed, a gate or a veto where
   * it withholds what a clause would let, a standing where somebody has it. Undefined for what is about no stored record: a stamp,
   * a clause of creating, one that counts within a routine only.
   */
  readonly cells?: number
  /** In how many of them things would be otherwise without it. */
  readonly alone?: number
  /** Who has a say by it or is withheld something, with the number of records; of creating, for whom it can hold. */
  readonly people: readonly { readonly name: string; readonly records: number }[]
}

/** What the rules of a record type decide. */
export interface Deciding {
  readonly rules: readonly RuleUse[]
  /** Of a rule by its place among `rules`, for each person, for each record: 0 where it has no say, 2 where it decides, 1 where others do as well. */
  marks(rule: number): readonly Uint8Array[]
}

/** Where a rule has a say for one person, and where without others. */
interface Say {
  readonly cells: Bits
  readonly alone: Bits
}

/**
 * Which cells of the access matrix each rule of a record type decides, on records as they are. What an update makes of a record is
 * not looked at: a clause that decides nothing here may still bound changes.
 *
 * @throws UnknownNameError, ClaimsError, LinksError
 * @example
 * const { rules } = decidingOf(book, 'plot', { people, records })
 * console.log(rules.filter(({ kind, alone }) => kind === 'clause' && alone === 0))
 */
export function decidingOf({ model }: { readonly model: Model }, typeName: string, options: Omit<MatrixOptions, 'actions'>): Deciding {
  const { people, records, now = new Date() } = options
  return decidingBy(workingsOf({ model, people, records, now }), typeName)
}

/** The same, from what was worked out already. */
export function decidingBy({ model, people, view, sets }: Workings, typeName: string): Deciding {
  const type = typeModel(model, typeName)
  const size = sets.rows(typeName).length
  const where = (condition: ConditionNode) => sets.where(typeName, condition)
  const names = Object.keys(people)
  const views = names.map(view)
  const texts = rulesOfType(model, type)
  const nothing: Say = { cells: noBits(size), alone: noBits(size) }

  const says = texts.map((text) => views.map((view) => sayOf(view, text)))

  function sayOf(view: View, text: RuleText): Say {
    switch (text.kind) {
      case 'standing': {
        const when = view.standings(typeName)[text.number]?.when
        const cells = when === undefined ? nothing.cells : where(when)
        return { cells, alone: cells }
      }
      case 'clause':
        return text.actions[0] === 'create' ? nothing : saidByClause(view, text)
      case 'gate':
      case 'veto':
        return joined(text.actions.filter((action) => action !== 'create').map((action) => withheld(view, action, text)))
      case 'stamp':
        return nothing
    }
  }

  function joined(says: readonly Say[]): Say {
    const all = (part: keyof Say) =>
      union(
        size,
        says.map((say) => say[part]),
      )
    return { cells: all('cells'), alone: all('alone') }
  }

  function saidByClause(view: View, { actions: [action = ''], number }: RuleText): Say {
    const node = type.rules?.may[action]?.[number]
    const { clauses, when } = view.rules(typeName, action)
    const mine = clauses.find(({ clause }) => clause === node)
    if (mine === undefined) return nothing
    const cells = intersection(size, [where(when), where(mine.when)])
    const others = clauses.filter((one) => one !== mine)
    const letting = (field?: string) =>
      union(
        size,
        others
          .filter(({ clause: { fields } }) => field === undefined || fields === undefined || fields.includes(field))
          .map((one) => where(one.when)),
      )
    const fields = mine.clause.fields ?? Object.keys(type.fields).filter((name) => name !== type.key)
    // Some other clause, and for each field one that lets it too.
    const limited = others.some(({ clause }) => clause.fields !== undefined)
    const covered = intersection(size, [letting(), ...(limited ? fields.map(letting) : [])])
    return { cells, alone: intersection(size, [cells, complementOf(covered)]) }
  }

  /** Where a gate or a veto withholds an action that a clause would let. */
  function withheld(view: View, action: string, text: RuleText): Say {
    const { clauses, vetoes } = view.rules(typeName, action)
    const wished = union(
      size,
      clauses.map(({ when }) => where(when)),
    )
    const base = action === 'read' ? wished : intersection(size, [wished, where(view.rules(typeName, 'read').when)])
    const closed = (gate: ConditionNode) => complementOf(where(simplify(gate, view.me as Row | null)))
    const closing = [
      ...(model.gate === undefined ? [] : [{ by: model.gate as object, where: closed(model.gate) }]),
      ...(type.rules?.gates[action] === undefined
        ? []
        : [{ by: type.rules.gates[action] as object, where: closed(type.rules.gates[action]) }]),
      ...vetoes.map(({ veto, when }) => ({ by: veto as object, where: where(when) })),
    ]
    const by = nodeOf(model, type, text)
    const mine = closing.find((one) => one.by === by)
    if (mine === undefined) return nothing
    const cells = intersection(size, [base, mine.where])
    const others = union(
      size,
      closing.filter((one) => one !== mine).map((one) => one.where),
    )
    return { cells, alone: intersection(size, [cells, complementOf(others)]) }
  }

  const rules = texts.map((text, at): RuleUse => {
    const mine = says[at] as readonly Say[]
    const node = text.kind === 'clause' ? type.rules?.may[text.actions[0] ?? '']?.[text.number] : undefined
    if (text.kind === 'stamp' || node?.within !== undefined) return { ...text, people: [] }
    if (text.kind === 'clause' && text.actions[0] === 'create') {
      const able = names.filter((_, one) => views[one]?.rules(typeName, 'create').clauses.some(({ clause }) => clause === node))
      return { ...text, people: able.map((name) => ({ name, records: 0 })) }
    }
    const sum = (part: keyof Say) => mine.reduce((total, say) => total + count(say[part]), 0)
    const people = names
      .map((name, one) => ({ name, records: count((mine[one] as Say).cells) }))
      .filter(({ records }) => records > 0)
      .sort((a, b) => b.records - a.records)
    return { ...text, cells: sum('cells'), alone: sum('alone'), people }
  })

  return Object.freeze({
    rules,
    marks: (rule: number) =>
      (says[rule] ?? []).map(({ cells, alone }) => {
        const marks = new Uint8Array(size)
        each(cells, (at) => {
          marks[at] = 1
        })
        each(alone, (at) => {
          marks[at] = 2
        })
        return marks
      }),
  })
}

/** The gate or veto that a text is of. */
function nodeOf({ gate }: Model, { rules }: TypeModel, { kind, actions, number }: RuleText): object | undefined {
  if (kind === 'veto') return rules?.vetoes[number]
  return number === 0 ? gate : rules?.gates[actions[0] as string]
}

/** The rules of a record type in the order in which they are read: who is who, what must hold, who may, what is withheld, what is set. */
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
    ...(rules?.vetoes ?? []).map(({ title, actions: of, saying }, number) => ({
      kind: 'veto' as const,
      actions: of,
      number,
      title,
      meaning: saying,
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
