import {
  bind,
  bindTerm,
  type Comparable,
  type ConditionNode,
  joinsOf,
  type KnownRecord,
  type KnownRecords,
  knownValue,
  type Looked,
  OUTERMOST,
  type RecordBinding,
  type Row,
  recordBinding,
  type SomeNode,
  type TermNode,
  waysAt,
} from '../condition/index.js'

/** True, false, or undefined where what is known does not tell. */
export type Answer = boolean | undefined

/** What a condition is asked with. */
export interface AskContext {
  readonly record: KnownRecord
  readonly after: KnownRecord
  readonly now: number
  /** Records that links may lead to: some of those that there are. */
  readonly linked: { readonly [type: string]: readonly Row[] | undefined }
}

/**
 * Asks a condition of what is known. What is not known is never taken for missing, and an answer is given where it would be the
 * same whatever is not known.
 */
export function ask(node: ConditionNode, { record, after, now, linked }: AskContext): Answer {
  const known: KnownRecords = new Map([
    ['record', record],
    ['after', after],
  ])
  const found = bind(node, recordBinding(known, { now, look: (some, binding) => lookAt(some, binding, linked) }))
  return found.kind === 'constant' ? found.value : undefined
}

/** Whether all of them hold. */
export function every(answers: readonly Answer[]): Answer {
  return answers.includes(false) ? false : answers.includes(undefined) ? undefined : true
}

/** Whether any of them holds. */
export function some(answers: readonly Answer[]): Answer {
  return answers.includes(true) ? true : answers.includes(undefined) ? undefined : false
}

/** What a page knows of the records that a `some` looks at. Of a chain, it has a link here and there. */
function lookAt({ each, over, of }: SomeNode, binding: RecordBinding, linked: AskContext['linked']): Looked | undefined {
  if (over.kind !== 'records') return undefined
  const { by, rest } = joinsOf({ each, of }, over)
  const wanted = by.map(({ from }) => wantedValues(bindTerm(from, binding, OUTERMOST)))
  if (wanted.some((values) => values?.length === 0)) return { each: [], of: rest, others: false }
  if (wanted.includes(undefined)) return undefined
  const places = by.map(({ to }) => to)
  const found = (linked[over.type] ?? []).filter((row) =>
    waysAt(row, places).some((way) => way.every((one, at) => wanted[at]?.includes(one))),
  )
  // There may be others, unless there is one at most, and here it is.
  return {
    each: found.map((row) => binding.with(each, { row, isMissing: () => false })),
    of: rest,
    others: !over.one || found.length === 0,
  }
}

/** The values that a place may have to be reached, none where that is nothing; undefined where it is not known. */
function wantedValues(term: TermNode): readonly Comparable[] | undefined {
  switch (term.kind) {
    case 'literal': {
      const value = knownValue(term)
      return value === undefined ? [] : typeof value === 'object' ? value : [value]
    }
    // No record has forever as its value.
    case 'forever':
      return []
    case 'field':
    case 'claim':
    case 'now':
    case 'orElse':
      return undefined
  }
}
