// Conditions in the language of a general solver, for a second opinion: SMT-LIB 2.6. Record types are sorts, fields are functions.
import type { ConditionNode, TermNode } from 'pachter/condition'
import { TYPES } from './tiny-worlds.js'

/** A value in a formula: whether it is there, whether it can be equal to others, and what it is. */
interface Side {
  readonly there: string
  readonly proper: string
  readonly value: string
}

/** The record, and those of enclosing `some` nodes, by their names in the formula. */
type Around = Readonly<Record<string, { readonly type: string; readonly name: string }>>

/** What every world has: the fields of each type, keys that no two records share, and the claims. */
function world(): string {
  const types = TYPES.flatMap((type) => [
    // A sort is never empty, but there may be no record of a type.
    `(declare-sort ${type} 0)`,
    `(declare-fun ${type}-exists (${type}) Bool)`,
    ...['id', 'x', 'y', 'n'].flatMap((name) => [
      `(declare-fun ${type}-${name} (${type}) ${name === 'n' ? 'Real' : 'Int'})`,
      `(declare-fun ${type}-${name}-there (${type}) Bool)`,
      `(declare-fun ${type}-${name}-proper (${type}) Bool)`,
      `(assert (forall ((a ${type})) (=> (${type}-${name}-proper a) (${type}-${name}-there a))))`,
    ]),
    `(declare-fun ${type}-ids (${type} Int) Bool)`,
    `(assert (forall ((a ${type})) (and (${type}-id-proper a) (${type}-n-there a))))`,
    `(assert (forall ((a ${type}) (b ${type})) (=> (and (${type}-exists a) (${type}-exists b) (= (${type}-id a) (${type}-id b))) (= a b))))`,
  ])
  return [
    ...types,
    '(declare-const me Int)',
    '(declare-const signed-in Bool)',
    '(declare-const record thing)',
    '(assert (thing-exists record))',
  ].join('\n')
}

/** A formula that can be true only if there is a world, with a thing in it, for which the condition holds. */
export function smtOf(node: ConditionNode): string {
  return `${world()}\n(assert ${formula(node, { record: { type: 'thing', name: 'record' } })})`
}

const and = (parts: readonly string[]) => (parts.length === 0 ? 'true' : `(and ${parts.join(' ')})`)
const or = (parts: readonly string[]) => (parts.length === 0 ? 'false' : `(or ${parts.join(' ')})`)

/** With a value, in all ways in which the term can have one. The record of a person is one that there is, or none. */
function withTerm(term: TermNode, around: Around, says: (side: Side) => string, otherwise: string): string {
  if (term.kind === 'literal') return says({ there: 'true', proper: 'true', value: String(term.value) })
  if (term.kind === 'field') {
    const { type, name } = around[term.of] as Around[string]
    const at = `${type}-${term.path[0]}`
    return says({ there: `(${at}-there ${name})`, proper: `(${at}-proper ${name})`, value: `(${at} ${name})` })
  }
  if (term.kind !== 'claim') throw new Error(`no formula for ${term.kind}`)
  if (term.links === undefined) return says({ there: 'signed-in', proper: 'signed-in', value: 'me' })
  const own = `own${Object.keys(around).length}`
  const at = `person-${term.path[1]}`
  const isOwn = `(and signed-in (person-exists ${own}) (= (person-id ${own}) me))`
  const found = says({ there: `(${at}-there ${own})`, proper: `(${at}-proper ${own})`, value: `(${at} ${own})` })
  return or([`(exists ((${own} person)) (and ${isOwn} ${found}))`, `(and (forall ((${own} person)) (not ${isOwn})) ${otherwise})`])
}

function formula(node: ConditionNode, around: Around): string {
  switch (node.kind) {
    case 'constant':
      return String(node.value)
    case 'named':
      return formula(node.of, around)
    case 'not':
      return `(not ${formula(node.of, around)})`
    case 'allOf':
      return and(node.of.map((one) => formula(one, around)))
    case 'anyOf':
      return or(node.of.map((one) => formula(one, around)))
    case 'presence':
      return withTerm(node.term, around, ({ there }) => (node.present ? there : `(not ${there})`), String(!node.present))
    case 'compare':
      return comparison(node, around)
    case 'some':
      return search(node, around)
    case 'listChange':
      throw new Error('no formula for a change of a list')
  }
}

function comparison({ by, left, right }: Extract<ConditionNode, { readonly kind: 'compare' }>, around: Around): string {
  if (by === 'has') {
    if (left.kind !== 'field') throw new Error('only fields are lists')
    const { type, name } = around[left.of] as Around[string]
    return withTerm(right, around, ({ proper, value }) => `(and ${proper} (${type}-ids ${name} ${value}))`, 'false')
  }
  return withTerm(
    left,
    around,
    (a) =>
      withTerm(
        right,
        { ...around, '': around.record as Around[string] },
        (b) => `(and ${a.proper} ${b.proper} (= ${a.value} ${b.value}))`,
        'false',
      ),
    'false',
  )
}

function search({ over, of, each, least = 1 }: Extract<ConditionNode, { readonly kind: 'some' }>, around: Around): string {
  if (over.kind !== 'records') throw new Error(`no formula for ${over.kind}`)
  const names = Array.from({ length: least }, (_, at) => `r${each}x${at}`)
  const fits = names.map((name) => {
    const inner: Around = { ...around, [each]: { type: over.type, name } }
    const joins = over.by.map(({ to, from }) =>
      comparison({ kind: 'compare', by: 'is', left: { kind: 'field', of: each, path: to.path, type: 'id' }, right: from }, inner),
    )
    return and([`(${over.type}-exists ${name})`, ...joins, formula(of, inner)])
  })
  const apart = least === 1 ? [] : [`(not (= ${names.join(' ')}))`]
  return `(exists (${names.map((name) => `(${name} ${over.type})`).join(' ')}) ${and([...fits, ...apart])})`
}
