import {
  bind,
  bindTerm,
  type Comparable,
  type ConditionNode,
  FALSE,
  joinsOf,
  knownValue,
  type Looked,
  lower,
  OUTERMOST,
  type RecordBinding,
  type Row,
  recordBinding,
  type SomeNode,
  waysAt,
  wholeRecord,
} from '../condition/index.js'
import { type Model, typeModel, UnknownNameError } from '../rulebook/index.js'

/** All records, by type. */
type All = { readonly [type: string]: readonly Row[] | undefined }

/**
 * The records on which nobody at all can have a standing: without an owner, say. With a name, only that standing counts.
 * `records` holds all records of the types that the standings read. A chain of records above one may always lead to a person.
 * @throws UnknownNameError for a standing that the type does not have
 */
export function recordsOfNobody(
  { model }: { readonly model: Model },
  typeName: string,
  records: All,
  { standing, now }: { readonly standing?: string | undefined; readonly now: number },
): readonly Row[] {
  const { standings, name } = typeModel(model, typeName)
  if (standing !== undefined && !Object.hasOwn(standings, standing))
    throw new UnknownNameError('standing', standing, Object.keys(standings), name)
  const conditions = Object.entries(standings).flatMap(([each, condition]) =>
    standing === undefined || each === standing ? [lower(condition)] : [],
  )
  return (records[typeName] ?? []).filter((row) => conditions.every((condition) => isNobodys(condition, row, records, now)))
}

/** Whether a condition is false whatever the claims of a person are. */
function isNobodys(condition: ConditionNode, row: Row, records: All, now: number): boolean {
  const binding = recordBinding(new Map([['record', wholeRecord(row)]]), { now, look: (node, known) => lookAt(node, known, records) })
  return bind(condition, binding) === FALSE
}

/** The linked records, if it is known where a link leads. */
function lookAt({ each, over, of }: SomeNode, binding: RecordBinding, records: All): Looked | undefined {
  if (over.kind !== 'records') return undefined
  const { by, rest } = joinsOf({ each, of }, over, (from) => from.kind === 'claim')
  const wanted = by.map(({ from }) => valuesOf(knownValue(bindTerm(from, binding, OUTERMOST))))
  // A claim can have any value, so a record that is found by one is tested with it unknown.
  if (wanted.some((values, at) => values === undefined && by[at]?.from.kind !== 'claim')) return undefined
  const places = by.map(({ to }) => to)
  const fits = (way: readonly Comparable[]) => way.every((one, at) => wanted[at] === undefined || wanted[at]?.includes(one))
  const found = (records[over.type] ?? []).filter((row) => waysAt(row, places).some(fits))
  return { each: found.map((row) => binding.with(each, wholeRecord(row))), of: rest, others: false }
}

function valuesOf(value: Comparable | readonly Comparable[] | undefined): readonly Comparable[] | undefined {
  return value === undefined || typeof value === 'object' ? value : [value]
}
