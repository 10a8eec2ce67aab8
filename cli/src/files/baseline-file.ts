import { PachterError } from 'pachter/internal/condition'
import type { Baseline, SavedAccess } from 'pachter/internal/review'
import type { Model, TypeModel } from 'pachter/internal/rulebook'
import { Document, isMap, isScalar, LineCounter, type Node, type Pair, parseDocument, YAMLMap } from 'yaml'

/** The baseline cannot be read. The message names the file and line. Save a new one with `pachter drift --save`. */
export class BaselineError extends PachterError {
  constructor(file: string, line: number | undefined, problem: string) {
    super('BAD_BASELINE', `${file}${line === undefined ? '' : `, line ${line}`}: ${problem}`)
  }
}

const HEADING = ` Who may do what to which record, saved by: pachter drift --save
 A change in this file is a change in access. Review it like code.`
const VERSION = 2

/** A baseline as YAML 1.2: one line for each person, record and action, in a stable order, so that two of them compare well. */
export function baselineText(baseline: Baseline): string {
  const entries = entriesIn(baseline)
  const document = new Document({ 'pachter baseline': VERSION, ...baseline, entries })
  document.commentBefore = HEADING
  const flow = (node: unknown, depth: number): void => {
    if (!isMap(node)) return
    // The levels: type, key, action, person, and then the access in one line.
    if (depth === 4) node.flow = true
    for (const { value } of node.items) flow(value, depth + 1)
  }
  flow(document.get('access'), 0)
  const people = document.get('people') as { flow?: boolean } | undefined
  if (people !== undefined) people.flow = true
  for (const of of ['privileges', 'routines']) {
    const grants = document.get(of)
    if (isMap(grants)) for (const { value } of grants.items) (value as { flow?: boolean }).flow = true
  }
  return document.toString({ lineWidth: 0, flowCollectionPadding: false })
}

/** Reads a saved baseline. @throws BaselineError with file and line */
export function readBaseline(text: string, file: string, model: Model): Baseline {
  const lines = new LineCounter()
  const document = parseDocument(text, { lineCounter: lines, uniqueKeys: true })
  const lineOf = (node: unknown) => {
    const range = (node as Node | undefined)?.range
    return range ? lines.linePos(range[0]).line : undefined
  }
  const fail = (node: unknown, problem: string): never => {
    throw new BaselineError(file, lineOf(node), problem)
  }
  const [error] = document.errors
  if (error !== undefined)
    throw new BaselineError(file, error.linePos?.[0].line, (error.message.split('\n')[0] as string).replace(/ at line.*/, ''))
  const root = document.contents as YAMLMap<unknown, unknown> | null
  if (!(root instanceof YAMLMap) || root.get('pachter baseline') !== VERSION)
    return fail(
      root,
      `is not a baseline of this version, which begins with "pachter baseline: ${VERSION}". Save a new one with pachter drift --save.`,
    )
  const access = root.get('access')
  if (!isMap(access)) return fail(access ?? root, 'has no access')
  checkAccess(access, model, fail)
  for (const of of ['creates', 'privileges', 'routines', 'rules']) if (!isMap(root.get(of))) return fail(root, `has no ${of}`)
  const baseline = root.toJSON() as Baseline & { readonly entries?: unknown }
  if (!Array.isArray(baseline.people) || baseline.entries !== entriesIn(baseline))
    return fail(undefined, 'is incomplete: its end is missing, or entries were removed by hand')
  return baseline
}

type Fail = (node: unknown, problem: string) => never

function checkAccess(access: YAMLMap, model: Model, fail: Fail): void {
  for (const { key, value } of access.items) {
    const type = isScalar(key) ? String(key.value) : ''
    const known = Object.hasOwn(model.types, type) ? model.types[type] : undefined
    if (known === undefined) fail(key, `the rulebook has no record type "${type}". Save a new baseline with pachter drift --save.`)
    if (!isMap(value)) return fail(key, `${type} needs records`)
    for (const record of value.items) {
      if (!isMap(record.value)) return fail(record.key, 'a record needs actions, with people in each')
      for (const action of record.value.items) checkKeptAction(action, known as TypeModel, model, fail)
    }
  }
}

function checkKeptAction({ key, value }: Pair, { name: type, actions }: TypeModel, { routines }: Model, fail: Fail): void {
  const name = isScalar(key) ? String(key.value) : ''
  const [action = '', routine] = name.split(' within ')
  if (!actions.includes(action)) fail(key, `${type} has no action "${action}"`)
  if (routine !== undefined && !Object.hasOwn(routines, routine)) fail(key, `there is no routine "${routine}"`)
  if (!isMap(value)) return fail(key, `${name} needs people`)
  for (const person of value.items) {
    const saved = isMap(person.value) ? (person.value.toJSON() as Partial<SavedAccess>) : undefined
    const fields = saved?.fields
    const isWhole = Array.isArray(saved?.by) && (fields === undefined || Array.isArray(fields))
    if (!isWhole) fail(person.key, 'a person needs { fields, by }')
  }
}

/** The number of lines: a truncated or edited baseline is detected. */
function entriesIn({ access, privileges, routines, rules }: Baseline): number {
  const size = (of: object) => Object.values(of).reduce((sum, all: readonly unknown[]) => sum + all.length, 0)
  let count = size(privileges) + size(routines) + size(rules)
  for (const records of Object.values(access))
    for (const actions of Object.values(records)) for (const people of Object.values(actions)) count += Object.keys(people).length
  return count
}
