import { Document, isMap, isScalar, LineCounter, type Node, parseDocument, YAMLMap } from 'yaml'
import { PachterError } from '../condition/index.js'
import type { Model } from '../rulebook/index.js'
import { accessMatrix, type MatrixOptions } from './matrix.js'

/** What somebody may do to one record by one action: to which fields (undefined for all), and by which clauses. */
export interface KeptAccess {
  readonly fields?: readonly string[] | undefined
  readonly by: readonly string[]
}

/** The access of everybody to everything, as it was at some time. Keys are written as text. */
export interface Baseline {
  readonly at: string
  readonly people: readonly string[]
  /** By record type, key, action and person. */
  readonly access: {
    readonly [type: string]: {
      readonly [key: string]: { readonly [action: string]: { readonly [person: string]: KeptAccess } }
    }
  }
  /** Who may create records of a type: always, or depending on the record. */
  readonly creates: { readonly [type: string]: { readonly [person: string]: 'always' | 'depending' } }
}

/** A kept baseline cannot be read. */
export class BaselineError extends PachterError {
  constructor(file: string, line: number | undefined, problem: string) {
    super('BAD_BASELINE', `${file}${line === undefined ? '' : `, line ${line}`}: ${problem}`)
  }
}

/** The access matrix of all record types, as plain data to be kept and compared. */
export function baselineOf(book: { readonly model: Model }, options: Omit<MatrixOptions, 'actions'> & { readonly now: Date }): Baseline {
  const access: Record<string, Record<string, Record<string, Record<string, KeptAccess>>>> = {}
  const creates: Record<string, Record<string, 'always' | 'depending'>> = {}
  for (const type of Object.keys(book.model.types)) {
    const matrix = accessMatrix(book, type, options)
    // No key of a record is a name that every object has.
    const ofType: Record<string, Record<string, Record<string, KeptAccess>>> = Object.create(null)
    for (const key of matrix.keys) ofType[String(key)] = {}
    const creating: Record<string, 'always' | 'depending'> = {}
    // Person by person, so that each is looked at once.
    for (const person of matrix.people) {
      const may = matrix.creates(person)
      if (may !== 'never') creating[person] = may
      for (const key of matrix.keys)
        for (const { action, clauses, fields } of matrix.access(person, key)) {
          const ofRecord = ofType[String(key)] as Record<string, Record<string, KeptAccess>>
          const ofAction = ofRecord[action] ?? {}
          ofRecord[action] = ofAction
          ofAction[person] = { ...(fields === undefined ? {} : { fields }), by: clauses }
        }
    }
    access[type] = ofType
    creates[type] = creating
  }
  return { at: options.now.toISOString(), people: Object.keys(options.people), access, creates }
}

const HEADING = ` Who may do what to which record, kept by: pachter drift --keep
 Changes to this file are changes of access: read them as you read code.`
const VERSION = 1

/** A baseline as YAML 1.2: a line for each person, record and action, in a stable order, so that two of them compare well. */
export function baselineText(baseline: Baseline): string {
  const entries = entriesOf(baseline).length
  const document = new Document({ 'pachter baseline': VERSION, ...baseline, entries })
  document.commentBefore = HEADING
  const flow = (node: unknown, depth: number): void => {
    if (!isMap(node)) return
    // Of what is kept: type, key, action and person, and then what they may do in one line.
    if (depth === 4) node.flow = true
    for (const { value } of node.items) flow(value, depth + 1)
  }
  flow(document.get('access'), 0)
  const people = document.get('people') as { flow?: boolean } | undefined
  if (people !== undefined) people.flow = true
  return document.toString({ lineWidth: 0, flowCollectionPadding: false })
}

/** Reads a kept baseline. @throws BaselineError with file and line */
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
    return fail(root, `is no baseline of this version: it has to begin with "pachter baseline: ${VERSION}"`)
  const access = root.get('access')
  if (!isMap(access)) return fail(access ?? root, 'has no access')
  for (const { key, value } of access.items) {
    const type = isScalar(key) ? String(key.value) : ''
    const known = model.types[type]
    if (known === undefined) return fail(key, `the rulebook has no record type "${type}": keep a new baseline with pachter drift --keep`)
    if (!isMap(value)) return fail(key, `${type} has no records`)
    for (const record of value.items) {
      if (!isMap(record.value)) return fail(record.key, 'a record has actions, with people in each')
      for (const action of record.value.items) {
        const name = isScalar(action.key) ? String(action.key.value) : ''
        if (!known.actions.includes(name)) return fail(action.key, `${type} has no action "${name}"`)
        if (!isMap(action.value)) return fail(action.key, `${name} has people`)
        for (const person of action.value.items) {
          const kept = isMap(person.value) ? (person.value.toJSON() as Partial<KeptAccess>) : undefined
          const fields = kept?.fields
          const whole = Array.isArray(kept?.by) && (fields === undefined || Array.isArray(fields))
          if (!whole) return fail(person.key, 'a person has { fields, by }')
        }
      }
    }
  }
  const baseline = root.toJSON() as Baseline & { readonly entries?: unknown }
  if (!Array.isArray(baseline.people) || baseline.entries !== entriesOf(baseline).length)
    return fail(undefined, 'is not whole: its end is missing, or entries were taken out by hand')
  return baseline
}

/** One line of a baseline. */
interface Entry extends KeptAccess {
  readonly type: string
  readonly key: string
  readonly action: string
  readonly person: string
}

function entriesOf({ access }: Pick<Baseline, 'access'>): Entry[] {
  return Object.entries(access).flatMap(([type, records]) =>
    Object.entries(records).flatMap(([key, actions]) =>
      Object.entries(actions).flatMap(([action, people]) =>
        Object.entries(people).map(([person, kept]) => ({ type, key, action, person, ...kept })),
      ),
    ),
  )
}

/** What somebody gained or lost: an action on a record, or fields of it. */
export interface Change {
  readonly type: string
  readonly key: string
  readonly action: string
  readonly person: string
  /** The fields that were gained or lost; undefined where it is the action itself. */
  readonly fields?: readonly string[]
  /** The clauses that let it: those of now where something was gained, those of then where it was lost. */
  readonly by: readonly string[]
}

/** What changed between two baselines. */
export interface Drift {
  /** Access that was widened. */
  readonly gained: readonly Change[]
  /** Access that was narrowed. */
  readonly lost: readonly Change[]
  /** Who may create more, or less, than they could. */
  readonly creates: readonly { readonly type: string; readonly person: string; readonly before: string; readonly after: string }[]
  /** What only one of them speaks of, and could not be compared. */
  readonly onlyBefore: { readonly people: readonly string[]; readonly records: readonly string[] }
  readonly onlyAfter: { readonly people: readonly string[]; readonly records: readonly string[] }
}

/**
 * Compares two baselines: who gained what, and who lost it, for the people that both speak of; on the records that both speak
 * of, or with `everything` on all: what is not there is reached by nobody.
 */
export function driftBetween(before: Baseline, after: Baseline, model: Model, { everything = false } = {}): Drift {
  const people = after.people.filter((name) => before.people.includes(name))
  const gained: Change[] = []
  const lost: Change[] = []
  const creates: { type: string; person: string; before: string; after: string }[] = []
  for (const [type, { fields, key: keyField, actions }] of Object.entries(model.types)) {
    const all = Object.keys(fields).filter((name) => name !== keyField)
    const [then, now] = [before.access[type] ?? {}, after.access[type] ?? {}]
    const keys = everything
      ? new Set([...Object.keys(then), ...Object.keys(now)])
      : Object.keys(now).filter((name) => Object.hasOwn(then, name))
    for (const key of keys)
      for (const action of actions)
        for (const person of people) {
          const [old, fresh] = [then[key]?.[action]?.[person], now[key]?.[action]?.[person]]
          const about = { type, key, action, person }
          if (old === undefined && fresh !== undefined) gained.push({ ...about, by: fresh.by })
          if (old !== undefined && fresh === undefined) lost.push({ ...about, by: old.by })
          if (old === undefined || fresh === undefined) continue
          const [had, has] = [old.fields ?? all, fresh.fields ?? all]
          const [more, less] = [has.filter((name) => !had.includes(name)), had.filter((name) => !has.includes(name))]
          if (more.length > 0) gained.push({ ...about, fields: more, by: fresh.by })
          if (less.length > 0) lost.push({ ...about, fields: less, by: old.by })
        }
    for (const person of people) {
      const [was, is] = [before.creates[type]?.[person] ?? 'never', after.creates[type]?.[person] ?? 'never']
      if (was !== is) creates.push({ type, person, before: was, after: is })
    }
  }
  return { gained, lost, creates, onlyBefore: onlyIn(before, after), onlyAfter: onlyIn(after, before) }
}

function onlyIn(one: Baseline, other: Baseline) {
  return {
    people: one.people.filter((name) => !other.people.includes(name)),
    records: Object.entries(one.access).flatMap(([type, records]) =>
      Object.keys(records)
        .filter((key) => !Object.hasOwn(other.access[type] ?? {}, key))
        .map((key) => `${type} ${key}`),
    ),
  }
}
