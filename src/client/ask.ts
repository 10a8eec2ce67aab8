import {
  bind,
  bindTerm,
  type Comparable,
  type ConditionNode,
  exactWaysAt,
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
} from '../condition/index.js'

/** The answer; undefined if it depends on data that the page does not have. */
export type Answer = boolean | undefined

/** What the page knows when it evaluates a condition. */
export interface AskContext {
  readonly record: KnownRecord
  readonly after: KnownRecord
  readonly now: number
  /** The records that a page holds of the types that links lead to, usually a part of all. */
  readonly linked: { readonly [type: string]: readonly Row[] | undefined }
}

/**
 * Evaluates a condition on incomplete data. Unknown data is never treated as missing. The answer is defined only if it is the same whatever
 * the unknown data is.
 */
export function ask(node: ConditionNode, { record, after, now, linked }: AskContext): Answer {
  const known: KnownRecords = new Map([
    ['record', record],
    ['after', after],
  ])
  const found = bind(node, recordBinding(known, { now, look: (some, binding) => lookAt(some, binding, linked) }))
  return found.kind === 'constant' ? found.value : undefined
}

/** Whether all of them hold, where false decides; or whether any of them holds, where true decides. */
export function combined(answers: readonly Answer[], deciding = false): Answer {
  return answers.includes(deciding) ? deciding : answers.includes(undefined) ? undefined : !deciding
}

/** What a page knows of the records of a `some`. For a chain it may have only some of the steps. */
function lookAt({ each, over, of }: SomeNode, binding: RecordBinding, linked: AskContext['linked']): Looked | undefined {
  if (over.kind !== 'records') return undefined
  const { by, rest } = joinsOf({ each, of }, over)
  const wanted = by.map(({ from }) => wantedValues(bindTerm(from, binding, OUTERMOST)))
  if (wanted.some((values) => values?.length === 0)) return { each: [], of: rest, others: false }
  if (wanted.includes(undefined)) return undefined
  const places = by.map(({ to }) => to)
  const found = (linked[over.type] ?? []).filter((row) =>
    exactWaysAt(row, places).some((way) => way.every((one, at) => wanted[at]?.includes(one))),
  )
  // The page may lack some of the linked records, unless the link leads to one at most and the page has it.
  return {
    each: found.map((row) => binding.with(each, { row, isMissing: () => false })),
    of: rest,
    others: !over.one || found.length === 0,
  }
}

/** The values that a place must have to be reached: empty if nothing can be reached, undefined if they are unknown. */
function wantedValues(term: TermNode): readonly Comparable[] | undefined {
  switch (term.kind) {
    case 'literal': {
      const value = knownValue(term)
      return value === undefined ? [] : typeof value === 'object' ? value : [value]
    }
    // No record holds forever.
    case 'forever':
      return []
    case 'field':
    case 'claim':
    case 'now':
    case 'orElse':
      return undefined
  }
}
