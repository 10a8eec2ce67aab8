import type { Row } from '../../condition/index.js'
import { type Key, knownAction, type Model, type TypeModel, typeModel, UnknownNameError } from '../../rulebook/index.js'
import { fieldsLetBy, type InnerViewpoint, indexed, isLimited, type LinkedRecords, rulebookOf } from '../../viewpoint/index.js'
import { once } from '../once.js'
import { add, type Bits, count, each, has, intersection, noBits, union } from './bits.js'
import type { View, Workings } from './matrix-cache.js'
import { recordSets } from './sets.js'

/** Whose access to which records. */
export interface MatrixOptions {
  /** Claims by name; null is a visitor. */
  readonly people: { readonly [name: string]: Row | null }
  /** The records, and those that rules reach from them, by type. They must stay as they are. */
  readonly records: { readonly [type: string]: readonly object[] | undefined }
  /** Only these actions. Default: all that are done to a stored record. */
  readonly actions?: readonly string[]
  /** The instant at which everything is judged. Default: now. */
  readonly now?: Date
  /** The routine within which it is asked, for those who may call it. */
  readonly within?: string
}

/** One cell that was asked for: what somebody may do to one record, and by what. */
export interface Access {
  readonly action: string
  /** The titles of the clauses that let it. */
  readonly clauses: readonly string[]
  /** The fields that they see or change, besides the key; undefined for all. */
  readonly fields: readonly string[] | undefined
}

/** People x records x actions. */
export interface AccessMatrix {
  readonly type: string
  readonly people: readonly string[]
  readonly keys: readonly Key[]
  readonly actions: readonly string[]
  /** Whether somebody may do the action to the record of that key. @throws UnknownNameError for a person, key or action that is not in it. */
  allows(person: string, key: Key, action: string): boolean
  /** The actions that somebody may do to the record, each with the clauses that let it. */
  access(person: string, key: Key): readonly Access[]
  /** The keys of the records on which somebody may do the action, in the order of the records. */
  reached(person: string, action: string): Key[]
  /** How many records somebody may do the action to. */
  count(person: string, action: string): number
  /** How many of the people may do the action to the record. */
  countOf(key: Key, action: string): number
  /** Whether somebody reads some fields only of the record. */
  isPartly(person: string, key: Key): boolean
  /** The standings that somebody has towards the record. */
  standings(person: string, key: Key): readonly string[]
  /** Whether somebody may create records of the type: always, never, or depending on the record. */
  creates(person: string): 'always' | 'never' | 'depending'
  /** The records towards which nobody among the people has any standing; none where the type names no standings. */
  readonly unreached: readonly Key[]
}

/**
 * The access matrix of a record type: who may do what to which record. It is computed by sets of records, not cell by cell;
 * the answers are those of `verdict(...).allowed`, for an update those without changes.
 *
 * @throws UnknownNameError, ClaimsError, LinksError
 * @example
 * const matrix = accessMatrix(book, 'plot', { people: { ines: { id: 'm-01' }, visitor: null }, records })
 * console.log(matrix.reached('visitor', 'read'))
 */
export function accessMatrix(book: { readonly model: Model }, typeName: string, options: MatrixOptions): AccessMatrix {
  return matrixOf(book, typeName, options)
}

/** An access matrix that knows of each field, too. */
export interface FieldMatrix extends AccessMatrix {
  /** Of `read` or `update`, the records on which somebody has each field; undefined where they have all fields of what they reach. */
  fieldSets(person: string, action: 'read' | 'update'): ReadonlyMap<string, Bits> | undefined
  /** The records on which somebody may do each action, in the order of `actions`. */
  reachedSets(person: string): readonly Bits[]
  /** The records of which somebody reads some fields only; undefined for none. */
  partlySet(person: string): Bits | undefined
  /** The records towards which somebody has each standing, in the order in which the type names them. */
  standingSets(person: string): readonly Bits[]
}

/** The access matrix with the fields of each cell, which take room. @throws UnknownNameError, ClaimsError, LinksError */
export function fieldMatrix(workings: Workings, typeName: string, people: readonly string[]): FieldMatrix {
  const chosen = Object.fromEntries(people.map((name) => [name, workings.people[name] ?? null]))
  return matrixOf(workings, typeName, { ...workings, people: chosen }, workings)
}

function matrixOf({ model }: { readonly model: Model }, typeName: string, options: MatrixOptions, workings?: Workings): FieldMatrix {
  const book = rulebookOf(model)
  const type = typeModel(model, typeName)
  const actions = options.actions?.map((action) => knownAction(type, action)) ?? type.actions
  const stored = actions.filter((action) => action !== 'create')
  const now = options.now ?? new Date()
  const linked = indexed(options.records as never) as LinkedRecords
  const sets = workings?.sets ?? recordSets(options.records as { readonly [type: string]: readonly Row[] }, now.getTime())
  const rows = sets.rows(typeName)
  // Of many records, and for a page that knows them already, these take longer than the rest.
  const keys = once(() => Object.freeze(rows.map((row) => row[type.key] as Key)))
  const numbers = once(() => new Map(keys().map((key, at) => [key, at])))
  const people = Object.freeze(Object.keys(options.people))

  // One at a time: what is kept of a person is what they may do, not how that was found.
  let last: { readonly name: string; readonly view: View; readonly standings: ReturnType<View['standings']> } | undefined
  function viewOf(name: string): NonNullable<typeof last> {
    if (last?.name !== name) {
      const { within } = options
      const view =
        workings?.view(name) ??
        (book.for(options.people[name] as never, {
          now,
          records: linked as never,
          ...(within === undefined ? {} : { within: within as never }),
        }) as unknown as InnerViewpoint)
      last = { name, view, standings: view.standings(typeName) }
    }
    return last
  }
  function numberOf(key: Key): number {
    const at = numbers().get(key)
    if (at === undefined) throw new UnknownNameError(typeName, String(key), keys().slice(0, 1000).map(String), 'this matrix')
    return at
  }

  const found = new Map<string, ReadonlyMap<string, Bits>>()
  const partly = new Map<string, Bits | undefined>()
  const limits = new Map<string, ReadonlyMap<string, Bits> | undefined>()
  const creating = new Map<string, 'always' | 'never' | 'depending'>()
  const standing = new Map<string, readonly Bits[]>()
  for (const name of people) {
    const { view, standings } = viewOf(name)
    found.set(name, new Map(stored.map((action) => [action, sets.where(typeName, view.rules(typeName, action).when)])))
    partly.set(name, partlyRead(view))
    if (workings !== undefined) for (const action of ['read', 'update']) limits.set(`${action} ${name}`, fieldsLet(view, action))
    creating.set(name, view.may('create', typeName as never))
    standing.set(
      name,
      standings.map(({ when }) => sets.where(typeName, when)),
    )
  }

  /** The records of which somebody reads some fields, and not all. */
  function partlyRead(view: View): Bits | undefined {
    const { clauses } = view.rules(typeName, 'read')
    if (!isLimited(clauses)) return undefined
    const whole = union(
      rows.length,
      clauses.filter(({ clause }) => clause.fields === undefined).map(({ when }) => sets.where(typeName, when)),
    )
    const some = noBits(rows.length)
    each(sets.where(typeName, view.rules(typeName, 'read').when), (at) => {
      if (!has(whole, at)) add(some, at)
    })
    return some
  }

  /** The records on which somebody has each field. */
  function fieldsLet(view: View, action: string): ReadonlyMap<string, Bits> | undefined {
    const { clauses, when } = view.rules(typeName, action)
    if (!isLimited(clauses)) return undefined
    const reached = sets.where(typeName, when)
    const letting = (field: string) =>
      clauses.filter(({ clause: { fields } }) => fields?.includes(field) ?? true).map((clause) => sets.where(typeName, clause.when))
    const others = Object.keys(type.fields).filter((name) => name !== type.key)
    return new Map(others.map((field) => [field, intersection(rows.length, [reached, union(rows.length, letting(field))])]))
  }

  const known = (person: string): string => {
    if (!found.has(person)) throw new UnknownNameError('person', person, people, 'this matrix')
    return person
  }
  const bitsOf = (person: string, action: string): Bits => {
    const bits = found.get(known(person))?.get(action)
    if (bits === undefined) throw new UnknownNameError('action', action, stored, 'this matrix')
    return bits
  }
  const unreached = once(() => {
    const reached = union(rows.length, [...standing.values()].flat())
    const named = Object.keys(type.standings).length > 0
    return Object.freeze(named ? keys().filter((_, at) => !has(reached, at)) : [])
  })

  return Object.freeze({
    type: typeName,
    people,
    get keys() {
      return keys()
    },
    actions: Object.freeze(stored),
    allows: (person: string, key: Key, action: string) => has(bitsOf(person, action), numberOf(key)),
    access(person: string, key: Key) {
      const at = numberOf(key)
      return stored
        .filter((action) => has(bitsOf(person, action), at))
        .map((action) => accessBy(type, viewOf(known(person)).view, action, at))
    },
    reached(person: string, action: string) {
      const reached: Key[] = []
      each(bitsOf(person, action), (at) => reached.push(keys()[at] as Key))
      return reached
    },
    count: (person: string, action: string) => count(bitsOf(person, action)),
    countOf(key: Key, action: string) {
      const at = numberOf(key)
      return people.filter((person) => has(bitsOf(person, action), at)).length
    },
    isPartly(person: string, key: Key) {
      const bits = partly.get(known(person))
      return bits !== undefined && has(bits, numberOf(key))
    },
    reachedSets: (person: string) => stored.map((action) => bitsOf(person, action)),
    partlySet: (person: string) => partly.get(known(person)),
    standingSets: (person: string) => standing.get(known(person)) as readonly Bits[],
    fieldSets: (person: string, action: string) => limits.get(`${action} ${known(person)}`),
    standings(person: string, key: Key) {
      const at = numberOf(key)
      return viewOf(known(person))
        .standings.filter(({ when }) => has(sets.where(typeName, when), at))
        .map(({ name }) => name)
    },
    creates: (person: string) => creating.get(known(person)) as 'always',
    get unreached() {
      return unreached()
    },
  }) as FieldMatrix

  function accessBy(type: TypeModel, view: View, action: string, at: number): Access {
    const letting = view.rules(type.name, action).clauses.filter(({ when }) => has(sets.where(type.name, when), at))
    return { action, clauses: letting.map(({ clause }) => clause.title), fields: fieldsLetBy(type, letting) }
  }
}
