import type { ConditionNode, Row } from '../../condition/index.js'
import { isKeyField, type Key, keyOf, knownAction, type Model, type TypeModel, typeModel, UnknownNameError } from '../../rulebook/index.js'
import { fieldsLetBy, type InnerViewpoint, indexed, isLimited, type LinkedRecords, rulebookOf } from '../../viewpoint/index.js'
import { once } from '../once.js'
import { add, type Bits, count, each, has, intersection, noBits, union } from './bits.js'
import type { View, Workings } from './matrix-cache.js'
import { type RecordSets, recordSets } from './sets.js'

/** Which people and records a matrix covers. */
export interface MatrixOptions {
  /** Claims by name; null is a visitor. */
  readonly people: { readonly [name: string]: Row | null }
  /** The records, and those that rules reach from them, by type. They must not change. */
  readonly records: { readonly [type: string]: readonly object[] | undefined }
  /** Only these actions. Default: all actions on a stored record. */
  readonly actions?: readonly string[]
  /** The time at which everything is judged. Default: now. */
  readonly now?: Date
  /** The routine within which the actions are asked, for people who may call it. */
  readonly within?: string
}

/** One requested cell: what a person may do to one record, and why. */
export interface Access {
  readonly action: string
  /** The titles of the clauses that allow it. */
  readonly clauses: readonly string[]
  /** The fields that the person sees or may change, besides the key; undefined for all. */
  readonly fields: readonly string[] | undefined
}

/** People x records x actions. */
export interface AccessMatrix {
  readonly type: string
  readonly people: readonly string[]
  readonly keys: readonly Key[]
  readonly actions: readonly string[]
  /**
   * Whether a person may do the action to the record with that key. @throws UnknownNameError for a person, key or action that is not in the
   * matrix.
   */
  allows(person: string, key: Key, action: string): boolean
  /** The actions that a person may do to the record, each with the clauses that allow it. */
  access(person: string, key: Key): readonly Access[]
  /** The keys of the records on which a person may do the action, in the order of the records. */
  reached(person: string, action: string): Key[]
  /** The number of records on which a person may do the action. */
  count(person: string, action: string): number
  /** The number of people who may do the action to the record. */
  countOf(key: Key, action: string): number
  /** Whether a person reads only some fields of the record. */
  isPartial(person: string, key: Key): boolean
  /** The standings that a person has on the record. */
  standings(person: string, key: Key): readonly string[]
  /** Whether a person may create records of the type: always, never, or depending on the record. */
  creates(person: string): 'always' | 'never' | 'depending'
  /** The records on which no person has a standing. Empty if the type has no standings. */
  readonly unreached: readonly Key[]
}

/**
 * The access matrix of a record type: who may do what to which record. It is computed with sets of records, not cell by cell. Its answers
 * equal `verdict(...).allowed`; for an update, without changes.
 * @throws UnknownNameError, ClaimsError, LinksError
 * @example
 * const matrix = accessMatrix(book, 'plot', { people: { ines: { id: 'm-01' }, visitor: null }, records })
 * console.log(matrix.reached('visitor', 'read'))
 */
export function accessMatrix(book: { readonly model: Model }, typeName: string, options: MatrixOptions): AccessMatrix {
  return matrixOf(book, typeName, options)
}

/** An access matrix with details of each field. */
export interface FieldMatrix extends AccessMatrix {
  /**
   * For `read` or `update`: the records on which a person has each field. Undefined if they have all fields of every record that they
   * reach.
   */
  fieldSets(person: string, action: 'read' | 'update'): ReadonlyMap<string, Bits> | undefined
  /** The records on which a person may do each action, in the order of `actions`. */
  reachedSets(person: string): readonly Bits[]
  /** The records of which a person reads only some fields; undefined for none. */
  partialSet(person: string): Bits | undefined
  /** The records on which a person has each standing, in the order of the type's standings. */
  standingSets(person: string): readonly Bits[]
}

/** The access matrix with the fields of each cell, which need more memory. @throws UnknownNameError, ClaimsError, LinksError */
export function fieldMatrix(workings: Workings, typeName: string, people: readonly string[]): FieldMatrix {
  const chosen = Object.fromEntries(people.map((name) => [name, workings.people[name] ?? null]))
  return matrixOf(workings, typeName, { ...workings, people: chosen }, workings)
}

function matrixOf({ model }: { readonly model: Model }, typeName: string, options: MatrixOptions, workings?: Workings): FieldMatrix {
  const type = typeModel(model, typeName)
  const actions = options.actions?.map((action) => knownAction(type, action)) ?? type.actions
  return new Matrix(
    model,
    type,
    actions.filter((action) => action !== 'create'),
    options,
    workings,
  )
}

/** Keeps one person's viewpoint at a time: for a person, only the results are cached. */
interface Seen {
  readonly name: string
  readonly view: View
  readonly standings: ReturnType<View['standings']>
}

/** The access of one person. */
interface Reached {
  readonly actions: ReadonlyMap<string, Bits>
  readonly partial: Bits | undefined
  readonly fields: { readonly [action: string]: ReadonlyMap<string, Bits> | undefined }
  readonly creates: 'always' | 'never' | 'depending'
  readonly standings: readonly Bits[]
}

class Matrix implements FieldMatrix {
  readonly type: string
  readonly people: readonly string[]
  readonly actions: readonly string[]
  readonly #type: TypeModel
  readonly #sets: RecordSets
  readonly #size: number
  readonly #found: ReadonlyMap<string, Reached>
  // For many records, and for a page that has them already, the fields take longer than the rest.
  readonly #keys: () => readonly Key[]
  readonly #numbers: () => ReadonlyMap<Key, number>
  readonly #unreached: () => readonly Key[]
  readonly #viewOf: (name: string) => Seen

  constructor(model: Model, type: TypeModel, actions: readonly string[], options: MatrixOptions, workings: Workings | undefined) {
    const now = options.now ?? new Date()
    this.type = type.name
    this.people = Object.freeze(Object.keys(options.people))
    this.actions = Object.freeze(actions)
    this.#type = type
    this.#sets = workings?.sets ?? recordSets(options.records as { readonly [type: string]: readonly Row[] }, now.getTime())
    const rows = this.#sets.rows(type.name)
    this.#size = rows.length
    this.#keys = once(() => Object.freeze(rows.map((row) => keyOf(type, row))))
    this.#numbers = once(() => new Map(this.#keys().map((key, at) => [key, at])))
    this.#unreached = once(() => this.#findUnreached())
    this.#viewOf = viewsOf(model, type.name, { ...options, now }, workings)
    this.#found = new Map(this.people.map((name) => [name, this.#reachedBy(this.#viewOf(name), workings !== undefined)]))
    Object.freeze(this)
  }

  get keys(): readonly Key[] {
    return this.#keys()
  }

  get unreached(): readonly Key[] {
    return this.#unreached()
  }

  allows(person: string, key: Key, action: string): boolean {
    return has(this.#bitsOf(person, action), this.#numberOf(key))
  }

  access(person: string, key: Key): Access[] {
    const at = this.#numberOf(key)
    return this.actions.filter((action) => has(this.#bitsOf(person, action), at)).map((action) => this.#accessBy(person, action, at))
  }

  reached(person: string, action: string): Key[] {
    const reached: Key[] = []
    each(this.#bitsOf(person, action), (at) => reached.push(this.#keys()[at] as Key))
    return reached
  }

  count(person: string, action: string): number {
    return count(this.#bitsOf(person, action))
  }

  countOf(key: Key, action: string): number {
    const at = this.#numberOf(key)
    return this.people.filter((person) => has(this.#bitsOf(person, action), at)).length
  }

  isPartial(person: string, key: Key): boolean {
    const bits = this.#of(person).partial
    return bits !== undefined && has(bits, this.#numberOf(key))
  }

  reachedSets(person: string): readonly Bits[] {
    return this.actions.map((action) => this.#bitsOf(person, action))
  }

  partialSet(person: string): Bits | undefined {
    return this.#of(person).partial
  }

  standingSets(person: string): readonly Bits[] {
    return this.#of(person).standings
  }

  fieldSets(person: string, action: string): ReadonlyMap<string, Bits> | undefined {
    return this.#of(person).fields[action]
  }

  standings(person: string, key: Key): string[] {
    const at = this.#numberOf(key)
    this.#of(person)
    const { standings } = this.#viewOf(person)
    return standings.filter(({ when }) => has(this.#where(when), at)).map(({ name }) => name)
  }

  creates(person: string): 'always' | 'never' | 'depending' {
    return this.#of(person).creates
  }

  #where(condition: ConditionNode): Bits {
    return this.#sets.where(this.type, condition)
  }

  #reachedBy({ view, standings }: Seen, withFields: boolean): Reached {
    return {
      actions: new Map(this.actions.map((action) => [action, this.#where(view.rules(this.type, action).when)])),
      partial: this.#partialRead(view),
      fields: withFields ? { read: this.#fieldsLet(view, 'read'), update: this.#fieldsLet(view, 'update') } : {},
      creates: view.may('create', this.type),
      standings: standings.map(({ when }) => this.#where(when)),
    }
  }

  /** The records of which a person reads only some fields. */
  #partialRead(view: View): Bits | undefined {
    const { clauses, when } = view.rules(this.type, 'read')
    if (!isLimited(clauses)) return undefined
    const unlimited = clauses.filter(({ clause }) => clause.fields === undefined)
    const whole = union(
      this.#size,
      unlimited.map((one) => this.#where(one.when)),
    )
    const some = noBits(this.#size)
    each(this.#where(when), (at) => {
      if (!has(whole, at)) add(some, at)
    })
    return some
  }

  /** The records on which a person has each field. */
  #fieldsLet(view: View, action: string): ReadonlyMap<string, Bits> | undefined {
    const { clauses, when } = view.rules(this.type, action)
    if (!isLimited(clauses)) return undefined
    const reached = this.#where(when)
    const letting = (field: string) =>
      clauses.filter(({ clause: { fields } }) => fields?.includes(field) ?? true).map((clause) => this.#where(clause.when))
    const others = Object.keys(this.#type.fields).filter((name) => !isKeyField(this.#type, name))
    return new Map(others.map((field) => [field, intersection(this.#size, [reached, union(this.#size, letting(field))])]))
  }

  #of(person: string): Reached {
    const found = this.#found.get(person)
    if (found === undefined) throw new UnknownNameError('person', person, this.people, 'this matrix')
    return found
  }

  #bitsOf(person: string, action: string): Bits {
    const bits = this.#of(person).actions.get(action)
    if (bits === undefined) throw new UnknownNameError('action', action, this.actions, 'this matrix')
    return bits
  }

  #numberOf(key: Key): number {
    const at = this.#numbers().get(key)
    if (at === undefined) throw new UnknownNameError(this.type, String(key), this.#keys().slice(0, 1000).map(String), 'this matrix')
    return at
  }

  #findUnreached(): readonly Key[] {
    const reached = union(
      this.#size,
      [...this.#found.values()].flatMap(({ standings }) => standings),
    )
    const named = Object.keys(this.#type.standings).length > 0
    return Object.freeze(named ? this.#keys().filter((_, at) => !has(reached, at)) : [])
  }

  #accessBy(person: string, action: string, at: number): Access {
    const { view } = this.#viewOf(person)
    const letting = view.rules(this.type, action).clauses.filter(({ when }) => has(this.#where(when), at))
    return { action, clauses: letting.map(({ clause }) => clause.title), fields: fieldsLetBy(this.#type, letting) }
  }
}

/** Viewpoints of people, of which the last one is cached. */
function viewsOf(
  model: Model,
  typeName: string,
  { people, records, now, within }: MatrixOptions,
  workings: Workings | undefined,
): (name: string) => Seen {
  const book = rulebookOf(model)
  const linked = indexed(records as never) as LinkedRecords
  let last: Seen | undefined
  return (name) => {
    if (last?.name === name) return last
    const how = { now, records: linked, ...(within === undefined ? {} : { within: within }) }
    const view = workings?.view(name) ?? (book.for(people[name] as never, how as never) as unknown as InnerViewpoint)
    last = { name, view, standings: view.standings(typeName) }
    return last
  }
}
