import type { Row } from '../../condition/index.js'
import type { Model, TypeModel } from '../../rulebook/index.js'
import { type InnerViewpoint, rulebookOf } from '../../viewpoint/index.js'
import { type AccessMatrix, accessMatrix, type MatrixOptions } from '../matrix/matrix.js'
import { type RuleLines, ruleLines } from '../reports/rule-lines.js'

/** What a person may do to one record with one action: the fields (undefined for all) and the clauses. */
export interface SavedAccess {
  readonly fields?: readonly string[] | undefined
  readonly by: readonly string[]
}

/** The access of all people at one time. Keys are texts. */
export interface Baseline {
  readonly at: string
  readonly people: readonly string[]
  /** By record type, key, action and person. An action within a routine has a name of its own: `update within closeSeason`. */
  readonly access: {
    readonly [type: string]: {
      readonly [key: string]: { readonly [action: string]: { readonly [person: string]: SavedAccess } }
    }
  }
  /** Who may create records of a type: always, or depending on the record. Within a routine: `plot within closeSeason`. */
  readonly creates: { readonly [type: string]: { readonly [person: string]: 'always' | 'depending' } }
  /** Who has which privilege. */
  readonly privileges: { readonly [name: string]: readonly string[] }
  /** Who may call which routine. */
  readonly routines: { readonly [name: string]: readonly string[] }
  /**
   * The rules themselves. Only they tell what updates and creations may make of a record, and what is allowed on records that are not here.
   */
  readonly rules: RuleLines
}

type ByPerson = { [person: string]: SavedAccess }
type OfRecords = Record<string, Record<string, ByPerson>>

/** The access of all people as plain data, to save and compare. */
export function baselineOf(book: { readonly model: Model }, options: Omit<MatrixOptions, 'actions'> & { readonly now: Date }): Baseline {
  const { model } = book
  const people = Object.keys(options.people)
  const granted = grantsOf(model, options)
  const access: Record<string, OfRecords> = {}
  const creates: Record<string, Record<string, 'always' | 'depending'>> = {}
  for (const type of Object.keys(model.types)) {
    const outside = accessMatrix(book, type, options)
    // No prototype, because a key may be the name of a property that every object has.
    const ofType: OfRecords = Object.create(null)
    for (const key of outside.keys) ofType[String(key)] = {}
    note(outside, ofType, '')
    access[type] = ofType
    creates[type] = creating(outside)
    for (const [routine, callers] of Object.entries(granted.routines)) {
      if (callers.length === 0 || !hasClausesWithin(model, type, routine)) continue
      const some = Object.fromEntries(callers.map((name) => [name, options.people[name] as Row | null]))
      const inside = accessMatrix(book, type, { ...options, people: some, within: routine })
      note(inside, ofType, ` within ${routine}`, outside)
      const also = Object.entries(creating(inside)).filter(([person, may]) => creates[type]?.[person] !== may)
      if (also.length > 0) creates[`${type} within ${routine}`] = Object.fromEntries(also)
    }
  }
  return { at: options.now.toISOString(), people, access, creates, ...granted, rules: ruleLines(model) }
}

/** Who has which privilege, and who may call which routine. */
function grantsOf(model: Model, { people, records, now }: MatrixOptions): Pick<Baseline, 'privileges' | 'routines'> {
  const book = rulebookOf(model)
  const views = Object.entries(people).map(
    ([name, me]) => [name, book.for(me, { ...(now === undefined ? {} : { now }), records: records }) as unknown as InnerViewpoint] as const,
  )
  const who = (names: readonly string[], has: (view: (typeof views)[number][1], name: string) => boolean) =>
    Object.fromEntries(names.map((name) => [name, views.filter(([, view]) => has(view, name)).map(([person]) => person)]))
  return {
    privileges: who(Object.keys(model.privileges), (view, name) => view.has(name)),
    routines: who(Object.keys(model.routines), (view, name) => view.mayCall(name)),
  }
}

function hasClausesWithin({ types }: Model, type: string, routine: string): boolean {
  return Object.values(types[type]?.rules?.may ?? {}).some((clauses) => clauses.some(({ within }) => within?.includes(routine)))
}

/** Adds every cell of a matrix. For a routine, only cells that differ from those outside it. */
function note(matrix: AccessMatrix, ofType: OfRecords, within: string, outside?: AccessMatrix): void {
  // Person by person, so that each is specialised once.
  for (const person of matrix.people)
    for (const key of matrix.keys) {
      const before = outside?.access(person, key)
      for (const { action, clauses, fields } of matrix.access(person, key)) {
        const saved: SavedAccess = { ...(fields === undefined ? {} : { fields }), by: clauses }
        const old = before?.find((one) => one.action === action)
        if (old !== undefined && JSON.stringify([old.fields, old.clauses]) === JSON.stringify([fields, clauses])) continue
        const ofRecord = ofType[String(key)] as Record<string, ByPerson>
        const name = `${action}${within}`
        const ofAction = ofRecord[name] ?? {}
        ofRecord[name] = ofAction
        ofAction[person] = saved
      }
    }
}

function creating(matrix: AccessMatrix): Record<string, 'always' | 'depending'> {
  return Object.fromEntries(
    matrix.people.flatMap((person) => {
      const may = matrix.creates(person)
      return may === 'never' ? [] : [[person, may] as const]
    }),
  )
}

/** What a person gained or lost: an action on a record, or fields of it. */
export interface AccessChange {
  readonly type: string
  readonly key: string
  readonly action: string
  readonly person: string
  /** The fields gained or lost; undefined if it is the whole action. */
  readonly fields?: readonly string[]
  /** The clauses that allow it: the current ones for a gain, the former ones for a loss. */
  readonly by: readonly string[]
}

/** A privilege or routine that a person gained or lost. */
export interface Grant {
  readonly kind: 'privilege' | 'routine'
  readonly name: string
  readonly person: string
  readonly has: boolean
}

/** Rules of one kind that were removed or added. */
export interface RuleChange {
  /** Which kind: `plot update`, `routines`. */
  readonly of: string
  readonly gone: readonly string[]
  readonly added: readonly string[]
}

/** What changed between two baselines. */
export interface Drift {
  /** Access that was widened. */
  readonly gained: readonly AccessChange[]
  /** Access that was narrowed. */
  readonly lost: readonly AccessChange[]
  /** People who may create more or fewer records than before. */
  readonly creates: readonly { readonly type: string; readonly person: string; readonly before: string; readonly after: string }[]
  /** People who gained or lost a privilege or a routine. */
  readonly grants: readonly Grant[]
  /**
   * Rules that changed. People may have gained or lost what updates and creations may make of records, or access to records that are not
   * here, although no cell shows it.
   */
  readonly rules: readonly RuleChange[]
  /** What only one of the baselines contains, so it could not be compared. */
  readonly onlyBefore: { readonly people: readonly string[]; readonly records: readonly string[] }
  readonly onlyAfter: { readonly people: readonly string[]; readonly records: readonly string[] }
}

/**
 * Compares two baselines: who gained and lost what, for the people in both. It compares the records in both, or all of them with
 * `everything`: a record that is not there is accessible to no one.
 */
export function driftBetween(before: Baseline, after: Baseline, model: Model, { everything = false } = {}): Drift {
  const people = after.people.filter((name) => before.people.includes(name))
  const changes = Object.values(model.types).map((type) => changesOf(type, before, after, { people, everything }))
  return {
    gained: changes.flatMap(({ gained }) => gained),
    lost: changes.flatMap(({ lost }) => lost),
    creates: changedCreates(before, after, people),
    grants: [
      ...granted('privilege', before.privileges, after.privileges, people),
      ...granted('routine', before.routines, after.routines, people),
    ],
    rules: changedRules(before.rules, after.rules),
    onlyBefore: onlyIn(before, after),
    onlyAfter: onlyIn(after, before),
  }
}

interface Changes {
  readonly gained: AccessChange[]
  readonly lost: AccessChange[]
}

/** The changes in access to records of a type. */
function changesOf(
  { name: type, fields, keys: keyFields, actions }: TypeModel,
  before: Baseline,
  after: Baseline,
  { people, everything }: { readonly people: readonly string[]; readonly everything: boolean },
): Changes {
  const all = Object.keys(fields).filter((name) => !keyFields.includes(name))
  const [then, now] = [before.access[type] ?? {}, after.access[type] ?? {}]
  const both = Object.keys(now).filter((name) => Object.hasOwn(then, name))
  const keys = everything ? [...new Set([...Object.keys(then), ...Object.keys(now)])] : both
  const changes: Changes = { gained: [], lost: [] }
  for (const key of keys)
    for (const action of new Set([...actions, ...namesIn(then[key], now[key])]))
      for (const person of people)
        compareAccess({ type, key, action, person }, then[key]?.[action]?.[person], now[key]?.[action]?.[person], all, changes)
  return changes
}

function compareAccess(
  about: Pick<AccessChange, 'type' | 'key' | 'action' | 'person'>,
  old: SavedAccess | undefined,
  fresh: SavedAccess | undefined,
  all: readonly string[],
  { gained, lost }: Changes,
): void {
  if (old === undefined && fresh !== undefined) gained.push({ ...about, by: fresh.by })
  if (old !== undefined && fresh === undefined) lost.push({ ...about, by: old.by })
  if (old === undefined || fresh === undefined) return
  const [had, has] = [old.fields ?? all, fresh.fields ?? all]
  const [more, less] = [has.filter((name) => !had.includes(name)), had.filter((name) => !has.includes(name))]
  if (more.length > 0) gained.push({ ...about, fields: more, by: fresh.by })
  if (less.length > 0) lost.push({ ...about, fields: less, by: old.by })
}

function changedCreates(before: Baseline, after: Baseline, people: readonly string[]): Drift['creates'] {
  return namesIn(before.creates, after.creates).flatMap((type) =>
    people.flatMap((person) => {
      const [was, is] = [before.creates[type]?.[person] ?? 'never', after.creates[type]?.[person] ?? 'never']
      return was === is ? [] : [{ type, person, before: was, after: is }]
    }),
  )
}

/** Whether two baselines are equal. */
export function isNoDrift({ onlyBefore, onlyAfter, ...changed }: Drift): boolean {
  const lists = [...Object.values(changed), onlyBefore.people, onlyBefore.records, onlyAfter.people, onlyAfter.records]
  return lists.every(({ length }) => length === 0)
}

function namesIn(one: object | undefined, other: object | undefined): string[] {
  return [...new Set([...Object.keys(one ?? {}), ...Object.keys(other ?? {})])]
}

function granted(kind: Grant['kind'], before: Baseline['privileges'], after: Baseline['privileges'], people: readonly string[]): Grant[] {
  return namesIn(before, after).flatMap((name) =>
    people.flatMap((person) => {
      const [had, has] = [before[name]?.includes(person) === true, after[name]?.includes(person) === true]
      return had === has ? [] : [{ kind, name, person, has }]
    }),
  )
}

function changedRules(before: RuleLines, after: RuleLines): RuleChange[] {
  return namesIn(before, after).flatMap((of) => {
    const [old, fresh] = [before[of] ?? [], after[of] ?? []]
    const gone = old.filter((line) => !fresh.includes(line))
    const added = fresh.filter((line) => !old.includes(line))
    return gone.length + added.length === 0 ? [] : [{ of, gone, added }]
  })
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
