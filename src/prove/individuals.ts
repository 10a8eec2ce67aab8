import type { FieldNode, Scalar } from '../condition/index.js'
import { family } from '../condition/index.js'
import type { Field, Fields, Model, TypeModel } from '../rulebook/index.js'
import { reusedIn } from './fresh.js'
import { type Shapes, shapesOf } from './shapes.js'
import type { Literal } from './solver.js'
import type { Individual, Slot, Value } from './terms.js'
import type { Values } from './values.js'

/** What an individual is. */
export interface Kind {
  readonly type: string
  readonly fields: Fields
  readonly exists: Literal
  readonly stored: boolean
  readonly depth: number
}

/** Records that are the same if their keys are: whatever one has, the other has. */
interface Twins {
  readonly one: Individual
  readonly other: Individual
  /** Literals that all hold if they are the same in this place. */
  readonly if: (slot: Slot) => readonly Literal[]
}

/** The individuals of all worlds that are considered, and what has to agree among them. */
export class Individuals {
  readonly values: Values
  readonly #model: Model
  readonly #all: Individual[] = []
  readonly #twins: Twins[] = []
  /** What was already said about two slots that have to agree. */
  readonly #said = new Set<string>()
  readonly #shapes: Shapes
  /** Records with a key that nothing has which was there before. */
  readonly #fresh: Individual[] = []
  #completed = 0

  constructor(model: Model, values: Values) {
    this.#model = model
    this.#shapes = shapesOf(model)
    this.values = values
  }

  get all(): readonly Individual[] {
    return this.#all
  }

  /** A new individual. */
  make(kind: Kind): Individual {
    const made: Individual = Object.freeze({ ...kind, id: this.#all.length, slots: new Map() })
    this.#all.push(made)
    return made
  }

  /** A field of an individual. `node` is how a condition reads it. */
  slot(of: Individual, path: readonly string[], node?: Pick<FieldNode, 'type' | 'list'>): Slot {
    const name = path.join('.')
    const found = of.slots.get(name) ?? this.#new(of, path, node)
    if (node?.type !== 'id' || found.field.type !== 'text' || found.list !== undefined || found.field.values !== undefined) return found
    const asId = of.slots.get(`${name} id`) ?? this.#asId(of, found)
    of.slots.set(`${name} id`, asId)
    return asId
  }

  /** A text as an id, which is missing if the text is blank. */
  #asId(of: Individual, text: Slot): Slot {
    const { solver } = this.values
    if (this.#fits(of, text.path, (type, name) => this.#shapes.refusesBlank(type, name))) return Object.freeze({ ...text, asId: true })
    const [there, proper] = [solver.variable(true), solver.variable(true)]
    for (const clause of [
      [-there, text.there],
      [-proper, there],
      [-proper, text.proper],
      [proper, -there, -text.proper],
    ])
      solver.add(clause)
    return Object.freeze({ ...text, asId: true, there, proper })
  }

  #new(of: Individual, path: readonly string[], node?: Pick<FieldNode, 'type' | 'list'>): Slot {
    const name = path.join('.')
    const { field, optional } = fieldAt(of.fields, path) ?? { field: fieldOfNode(node), optional: true }
    const { solver, yes } = this.values
    const isId = field.type === 'id' && field.list === undefined
    const there = optional || isId ? solver.variable(true) : yes
    const isSure = field.list !== undefined || field.type === 'boolean' || field.values !== undefined || this.#isInstant(of, path, field)
    const proper = isSure ? there : solver.variable(true)
    if (proper !== there) solver.add([-proper, there])
    const value = this.values.value(family(scalarOf(field)), field.type === 'integer')
    const list = field.list === undefined ? {} : { list: this.values.list() }
    const slot: Slot = Object.freeze({ path: Object.freeze([...path]), field, there, proper, value, ...list })
    of.slots.set(name, slot)
    if (field.values !== undefined && list.list === undefined)
      solver.add([-there, ...field.values.map((one) => this.values.equal(value, this.values.literal(value.family, one)))])
    return slot
  }

  #isInstant(of: Individual, path: readonly string[], { type, held }: Field): boolean {
    const isText = type === 'time' && held !== undefined && held !== 'date'
    return isText && this.#fits(of, path, (name, field) => this.#shapes.refusesOddTimes(name, field))
  }

  /** Whether a shape says something of a field, at its top. */
  #fits({ type }: Individual, path: readonly string[], says: (type: string | undefined, name: string) => boolean): boolean {
    const [name, ...inner] = path
    const known = type === 'me' || Object.hasOwn(this.#model.types, type)
    return name !== undefined && inner.length === 0 && known && says(type === 'me' ? undefined : type, name)
  }

  /** The slots of the key of a record. */
  key(of: Individual): readonly Slot[] {
    return (this.#model.types[of.type] as TypeModel).keys.map((name) => this.slot(of, [name], { type: 'id' }))
  }

  /** The key of a new record is one that the server makes: nothing that was there before has it. */
  fresh(one: Individual): void {
    this.#fresh.push(one)
  }

  /** Two individuals have the same value at every place for which all these literals hold. */
  twins(one: Individual, other: Individual, when: (slot: Slot) => readonly Literal[]): void {
    this.#twins.push({ one, other, if: when })
  }

  /**
   * Whatever the world that was found has against two records with one key, or other twins. Returns whether anything was said.
   */
  disagreement(equals: (a: Value, b: Value) => boolean): boolean {
    const { solver } = this.values
    const same: Twins[] = []
    const stored = this.#all.filter((one) => one.stored && Object.hasOwn(this.#model.types, one.type) && solver.holds(one.exists))
    for (const [at, one] of stored.entries())
      for (const other of stored.slice(at + 1)) {
        if (one.type !== other.type) continue
        const pairs = this.key(one).map((slot, part) => [slot, this.key(other)[part] as Slot] as const)
        const isSame = pairs.every(([a, b]) => solver.holds(a.proper) && solver.holds(b.proper) && equals(a.value, b.value))
        if (!isSame) continue
        const when = () => [
          one.exists,
          other.exists,
          ...pairs.flatMap(([a, b]) => [a.proper, b.proper, this.values.equal(a.value, b.value)]),
        ]
        same.push({ one, other, if: when })
      }
    const reused = this.#fresh.flatMap((made) => this.key(made).flatMap((key) => reusedIn(this.values, this.#all, { made, key, equals })))
    // Only now, because the world is gone as soon as something is said.
    for (const clause of reused) solver.add(clause)
    return [...same, ...this.#twins].map((twins) => this.#agree(twins)).includes(true) || reused.length > 0
  }

  /** Makes what every world has to have: the keys of records. A stored record has a proper key. */
  complete(): void {
    for (; this.#completed < this.#all.length; this.#completed++) {
      const one = this.#all[this.#completed] as Individual
      if (!Object.hasOwn(this.#model.types, one.type)) continue
      for (const { proper } of this.key(one)) this.values.solver.add([-one.exists, proper])
    }
  }

  #agree({ one, other, if: when }: Twins): boolean {
    let said = false
    for (const name of new Set([...one.slots.keys(), ...other.slots.keys()])) {
      const given = one.slots.get(name) ?? (other.slots.get(name) as Slot)
      const node = { type: (given.asId ? 'id' : given.field.type) as Scalar }
      const [a, b] = [this.slot(one, given.path, node), this.slot(other, given.path, node)]
      const unless = when(a).map((literal) => -literal)
      for (const [what, clauses] of this.#agreements(a, b)) {
        const key = `${one.id} ${other.id} ${name} ${what} ${unless.join()}`
        if (this.#said.has(key)) continue
        this.#said.add(key)
        said = true
        for (const clause of clauses) this.values.solver.add([...unless, ...clause])
      }
    }
    return said
  }

  #agreements(a: Slot, b: Slot): [what: string, clauses: Literal[][]][] {
    const both = (p: Literal, q: Literal) => [
      [-p, q],
      [p, -q],
    ]
    const found: [string, Literal[][]][] = [
      ['there', both(a.there, b.there)],
      ['proper', both(a.proper, b.proper)],
    ]
    if (a.list === undefined || b.list === undefined) {
      found.push(['value', [[-a.proper, this.values.equal(a.value, b.value)]]])
      return found
    }
    for (const { value } of [...this.values.elementsOf(a.list), ...this.values.elementsOf(b.list)])
      found.push([`has ${value.id}`, both(this.values.has(a.list, value), this.values.has(b.list, value))])
    for (const value of [...this.values.looseOf(a.list), ...this.values.looseOf(b.list)])
      found.push([`any case ${value.id}`, both(this.values.hasIgnoringCase(a.list, value), this.values.hasIgnoringCase(b.list, value))])
    return found
  }
}

/** The field at a path, and whether it can be missing. */
export function fieldAt(fields: Fields, path: readonly string[]): { readonly field: Field; readonly optional: boolean } | undefined {
  let inner: Fields | undefined = fields
  let optional = false
  let field: Field | undefined
  for (const step of path) {
    field = inner !== undefined && Object.hasOwn(inner, step) ? inner[step] : undefined
    if (field === undefined) return undefined
    optional ||= field.optional === true
    inner = field.fields
  }
  return field && { field, optional }
}

function fieldOfNode(node: Pick<FieldNode, 'type' | 'list'> | undefined): Field {
  return { type: node?.type ?? 'other', ...(node?.list ? { list: true } : {}) }
}

/** The type that a field is compared as. */
export function scalarOf({ type }: Field): Scalar {
  return type === 'other' || type === 'group' ? 'text' : type
}

/** A text that is missing as an id. */
export const BLANK = ' '
/** Present, and equal to nothing. */
export const IMPROPER = '\0'
const FAR_TIME = 300_000_000_000_000

/** A value of a field that is there and equals nothing. */
export function improper({ type, held: as }: Field): unknown {
  if (type === 'number' || type === 'integer') return Number.MAX_VALUE * 2
  if (type === 'time' && (as === undefined || as === 'date')) return new Date(FAR_TIME)
  return IMPROPER
}
