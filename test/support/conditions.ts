// Random conditions over one record type that has a field of every kind.
import fc from 'fast-check'
import type { ConditionNode, TermNode } from 'pachter/condition'
import {
  allOfNode,
  anyOfNode,
  COMPARISONS,
  compareNode,
  constant,
  FOREVER,
  family,
  instantText,
  type LinkNode,
  NOW,
  notNode,
  type OverNode,
  operatorOf,
  type PlaceNode,
  presenceNode,
  type RecordsNode,
  type Scalar,
  someNode,
  TAKES,
} from 'pachter/internal/condition'
import { held, KINDS, type Kind } from './every-kind.js'

export { claims, everyKind, record } from './every-kind.js'

const RELATED: { readonly [F in ReturnType<typeof family>]: readonly Kind[] } = {
  text: ['text'],
  number: ['integer', 'number'],
  boolean: ['boolean'],
  time: ['time'],
}

function literal(kind: Kind, list: boolean): fc.Arbitrary<TermNode> {
  const written = (value: unknown) => (kind === 'time' ? instantText((value as Date).getTime()) : value)
  // A rule's own values are checked when it is built; only proper ones come this far.
  const proper = held[kind]
    .filter((value) => kind !== 'text' || !(value as string).includes('\0'))
    .filter((value) => typeof value !== 'number' || (Number.isFinite(value) && (kind === 'number' || Number.isSafeInteger(value))))
  const type = kind as Scalar
  if (list)
    return fc.array(proper.map(written), { maxLength: 4 }).map((value) => ({ kind: 'literal', type, list: true, value }) as TermNode)
  return proper.map((value) => ({ kind: 'literal', type, value: written(value) }) as TermNode)
}

const TODAY: TermNode = { kind: 'now', zone: 'Pacific/Auckland', days: -3 }

/** The records that a term may read: the one asked about, and those that the enclosing `some` look at. */
type Scope = readonly (number | 'record')[]

const place = (name: string, type: Scalar, list = false): PlaceNode => ({ path: [name], type, ...(list ? { list: true as const } : {}) })
const textA = place('textA', 'text')
const textB = place('textB', 'text')
const textList = place('textList', 'text', true)
const anyCase = (one: PlaceNode): PlaceNode => ({ ...one, ignoringCase: true })
const LINKS: readonly LinkNode[] = [
  { name: 'parent', to: 'thing', by: [{ from: place('parent', 'id'), to: place('id', 'id') }] },
  { name: 'stillThere', to: 'thing', by: [{ from: place('parent', 'id'), to: place('id', 'id') }], removal: place('timeB', 'time') },
  { name: 'namesake', to: 'thing', by: [{ from: textA, to: textB }] },
  { name: 'anyCase', to: 'thing', by: [{ from: anyCase(textA), to: anyCase(textB) }] },
  { name: 'anyCaseListed', to: 'thing', by: [{ from: anyCase(textList), to: anyCase(textB) }] },
  { name: 'anyCaseListing', to: 'thing', by: [{ from: anyCase(textA), to: anyCase(textList) }] },
  { name: 'listed', to: 'thing', by: [{ from: textList, to: textA }] },
  { name: 'listing', to: 'thing', by: [{ from: textA, to: textList }] },
  { name: 'number', to: 'thing', by: [{ from: place('integerA', 'integer'), to: place('numberB', 'number') }] },
  { name: 'time', to: 'thing', by: [{ from: place('timeA', 'time'), to: place('timeB', 'time') }] },
  {
    name: 'twin',
    to: 'thing',
    by: [
      { from: place('textA', 'id'), to: textA },
      { from: place('booleanA', 'boolean'), to: place('booleanB', 'boolean') },
    ],
  },
]
const link = fc.oneof({ weight: 3, arbitrary: fc.constant(LINKS[0] as LinkNode) }, { weight: 4, arbitrary: fc.constantFrom(...LINKS) })

function field(scope: Scope, path: readonly string[], type: Scalar | 'other', list: boolean): fc.Arbitrary<TermNode> {
  const via = fc.oneof({ weight: 5, arbitrary: fc.constant([]) }, { weight: 1, arbitrary: fc.array(link, { minLength: 1, maxLength: 2 }) })
  return fc.tuple(fc.constantFrom(...scope), via).map(
    ([of, steps]) =>
      ({
        kind: 'field',
        of,
        ...(steps.length > 0 ? { via: steps } : {}),
        path,
        type,
        ...(list ? { list: true as const } : {}),
        optional: true,
      }) as TermNode,
  )
}

function term(scope: Scope, kind: Kind, list: boolean, depth = 0): fc.Arbitrary<TermNode> {
  const type = kind as Scalar
  const flags = list ? { list: true as const } : {}
  const names = list ? [`${kind}List`] : [`${kind}A`, `${kind}B`]
  const options: fc.WeightedArbitrary<TermNode>[] = [
    { weight: 5, arbitrary: fc.constantFrom(...names).chain((name) => field(scope, [name], type, list)) },
    {
      weight: 3,
      arbitrary: fc.constant({ kind: 'claim', path: [list ? `${kind}List` : kind], type, ...flags, optional: true } as TermNode),
    },
    { weight: 3, arbitrary: literal(kind, list) },
  ]
  if (!list && (kind === 'text' || kind === 'number')) options.push({ weight: 1, arbitrary: field(scope, ['inner', kind], type, false) })
  if (!list && kind === 'text') {
    options.push(
      { weight: 1, arbitrary: field(scope, ['textA'], 'id', false) },
      { weight: 1, arbitrary: field(scope, ['parent'], 'id', false) },
    )
  }
  if (!list && kind === 'time') options.push({ weight: 2, arbitrary: fc.constantFrom<TermNode>(NOW, FOREVER, TODAY) })
  if (depth < 2) {
    options.push({
      weight: 2,
      arbitrary: fc
        .tuple(term(scope, kind, list, depth + 1), term(scope, kind, list, depth + 1))
        .map(([first, otherwise]) => ({ kind: 'orElse', term: first, otherwise }) as TermNode),
    })
  }
  return fc.oneof(...options)
}

function comparison(scope: Scope): fc.Arbitrary<ConditionNode> {
  return fc.constantFrom(...COMPARISONS).chain((by) => {
    const { lists } = operatorOf(by)
    const takes = TAKES[by]
    const kinds: readonly Kind[] = takes === 'any' ? KINDS : takes === 'order' ? [...RELATED.number, ...RELATED.time] : RELATED[takes]
    return fc
      .constantFrom(...kinds)
      .chain((left) =>
        fc
          .constantFrom(...RELATED[family(left as Scalar)])
          .chain((right) =>
            fc
              .tuple(term(scope, left, lists === 'left' || lists === 'both'), term(scope, right, lists === 'right' || lists === 'both'))
              .map(([a, b]) => compareNode(a, by, b)),
          ),
      )
  })
}

function presence(scope: Scope): fc.Arbitrary<ConditionNode> {
  const of = fc.oneof(
    fc.constantFrom(...KINDS).chain((kind) => fc.boolean().chain((list) => term(scope, kind, list))),
    field(scope, ['inner'], 'other', false),
  )
  return fc.tuple(of, fc.boolean()).map(([one, present]) => presenceNode(one, present))
}

/** What a `some` may look through: linked records, the objects in a list, or the chain of parents. */
function over(scope: Scope): fc.Arbitrary<OverNode> {
  const joined = (one: LinkNode, from: (place: PlaceNode) => fc.Arbitrary<TermNode>) =>
    fc.tuple(...one.by.map(({ to, from: { ignoringCase: _how, ...at } }) => from(at).map((term) => ({ to, from: term }))))
  const start = (at: PlaceNode) => field(scope, at.path, at.type, at.list === true)
  const chains = fc.constantFrom(LINKS[0] as LinkNode, LINKS[1] as LinkNode)
  return fc.oneof(
    {
      weight: 3,
      arbitrary: link.chain((one) =>
        fc
          .constantFrom(...scope)
          .chain((of) =>
            joined(one, (at) => fc.constant({ kind: 'field', of, ...at } as TermNode)).map(
              (by) => ({ kind: 'records', type: 'thing', name: one.name, by }) as OverNode,
            ),
          ),
      ),
    },
    {
      weight: 1,
      arbitrary: link
        .chain((one) =>
          joined(one, (at) => (at.list ? start(at) : term(scope, at.type === 'id' ? 'text' : (at.type as Kind), false, 2))).map(
            (by) => ({ kind: 'records', type: 'thing', by }) as OverNode,
          ),
        )
        .filter((one) => !(one as RecordsNode).by.some(({ to, from }) => to.list && 'list' in from)),
    },
    { weight: 1, arbitrary: fc.constant({ kind: 'records', type: 'thing', by: [] } as OverNode) },
    { weight: 2, arbitrary: field(scope, ['parts'], 'other', false).map((list) => ({ kind: 'elements', list }) as OverNode) },
    {
      weight: 2,
      arbitrary: fc.tuple(start(place('parent', 'id')), chains).map(
        ([from, parent]) =>
          ({
            kind: 'ancestors',
            type: 'thing',
            by: [{ to: place('id', 'id'), from }],
            link: parent,
            keys: [place('id', 'id')],
            self: [{ ...from, path: ['id'] }],
          }) as OverNode,
      ),
    },
  )
}

function conditionIn(scope: Scope): fc.Arbitrary<ConditionNode> {
  const some =
    scope.length > 2
      ? []
      : [
          {
            weight: 4,
            arbitrary: fc
              .tuple(over(scope), fc.constant(scope.length))
              .chain(([through, each]) =>
                fc
                  .tuple(conditionIn([...scope, each]), fc.constantFrom(1, 1, 2, 3))
                  .map(([of, least]) => someNode(each, through, of, through.kind === 'elements' ? 1 : least)),
              ),
          },
        ]
  return fc.letrec<{ node: ConditionNode }>((tie) => ({
    node: fc.oneof(
      { maxDepth: scope.length > 1 ? 1 : 3, depthSize: 'small' },
      { weight: 6, arbitrary: comparison(scope) },
      { weight: 1, arbitrary: presence(scope) },
      { weight: 1, arbitrary: fc.boolean().map(constant) },
      ...some,
      { weight: 3, arbitrary: tie('node').map(notNode) },
      { weight: 3, arbitrary: fc.array(tie('node'), { maxLength: 3 }).map(allOfNode) },
      { weight: 3, arbitrary: fc.array(tie('node'), { maxLength: 3 }).map(anyOfNode) },
      { weight: 1, arbitrary: tie('node').map((of) => ({ kind: 'named', name: 'some name', of }) as ConditionNode) },
    ),
  })).node
}

/** Conditions of every kind, nested a few levels deep. */
export const condition: fc.Arbitrary<ConditionNode> = conditionIn(['record'])
