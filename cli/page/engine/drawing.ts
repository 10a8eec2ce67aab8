// The matrix of a type in the form that the page draws, with the data to compare it with another.
import type { Row } from 'pachter/internal/condition'
import { type Bits, each, type FieldMatrix, fieldMatrix, has, noBits, union, type Workings } from 'pachter/internal/review'
import { isKeyField, type Key, keyOf, type Model, typeModel } from 'pachter/internal/rulebook'
import { labelField, labelsOf } from './labels.js'
import type { Creates, Drawn } from './types.js'

/** A person's fields by action: for each field, the records. Undefined if they have all fields of every record that they reach. */
export type FieldSets = { readonly [A in 'read' | 'update']: ReadonlyMap<string, Bits> | undefined }

/** What one person may do to the records. */
export interface Access {
  /** For each action, the records. */
  readonly reach: readonly Bits[]
  /** The records of which they read only some fields. */
  readonly partial: Bits
  readonly fields: FieldSets
  /** For each standing, the records on which they have it. */
  readonly standing: readonly Bits[]
  readonly creates: Creates
  /** The same as numbers for each record, as the page uses them. */
  readonly cells: Uint16Array
  readonly marks: Uint8Array
}

/** A matrix that can be compared. */
export interface Drawing {
  readonly drawn: Drawn
  /** The records, in their order. */
  readonly rows: readonly Row[]
  /** For each person. */
  readonly access: readonly Access[]
  /** All fields besides the key. */
  readonly names: readonly string[]
}

/** An earlier drawing of the same type to start from. */
export interface DrawnBefore {
  readonly was: Drawing
  /** The people whose cells certainly did not change. */
  isSame(person: string): boolean
}

/** Draws the matrix of a type. Parts that did not change stay the same objects. */
export function draw(workings: Workings, type: string, before?: DrawnBefore): Drawing {
  const { model, people, records } = workings
  const known = typeModel(model, type)
  const rows = (records[type] ?? []) as readonly Row[]
  const was = before?.was
  const isUntouched = was?.rows === rows
  const isInPlace =
    was !== undefined &&
    (isUntouched || (was.rows.length === rows.length && was.drawn.keys.every((key, at) => key === keyOf(known, rows[at] as Row))))
  const of = (person: string) => (isInPlace ? was.access[was.drawn.people.indexOf(person)] : undefined)
  const sure = (person: string) => (before?.isSame(person) ? of(person) : undefined)
  const names = Object.keys(people)
  const matrix = fieldMatrix(
    workings,
    type,
    names.filter((name) => sure(name) === undefined),
  )
  const keys = isInPlace ? was.drawn.keys : matrix.keys
  const access = names.map((person) => sure(person) ?? accessOf(matrix, rows.length, person, of(person)))
  const labels = isUntouched ? (was as Drawing).drawn.labels : labelsOf(rows, labelField(rows, known))
  return {
    rows,
    access,
    names: Object.keys(known.fields).filter((name) => !isKeyField(known, name)),
    drawn: drawnOf(model, { type, people: names, keys, labels, actions: matrix.actions }, access, isInPlace ? was : undefined),
  }
}

/** The part that the page receives. */
function drawnOf(
  model: Model,
  about: Pick<Drawn, 'type' | 'people' | 'keys' | 'labels' | 'actions'>,
  access: readonly Access[],
  was?: Drawing,
): Drawn {
  const isReachedAlike = was?.access.length === access.length && access.every(({ standing }, at) => standing === was.access[at]?.standing)
  return {
    ...about,
    cells: access.map(({ cells }) => cells),
    partial: access.map(({ marks }) => marks),
    creates: access.map(({ creates }) => creates),
    unreached: isReachedAlike ? was.drawn.unreached : unreachedBy(model, about.type, about.keys, access),
  }
}

function accessOf(matrix: FieldMatrix, size: number, person: string, was: Access | undefined): Access {
  const same = (now: Bits, old: Bits | undefined) => (old !== undefined && sameBits(now, old) ? old : now)
  const all = matrix.reachedSets(person)
  const reach = all.map((set, at) => same(set, was?.reach.length === all.length ? was.reach[at] : undefined))
  const partial = same(matrix.partialSet(person) ?? noBits(size), was?.partial)
  const isReached = was !== undefined && reach.every((set, at) => set === was.reach[at])
  const fieldsOf = (action: 'read' | 'update') => {
    const [now, old] = [matrix.fieldSets(person, action), was?.fields[action]]
    return now !== undefined && old !== undefined && now.size === old.size && [...now].every(([name, set]) => sameBits(set, old.get(name)))
      ? old
      : now
  }
  return {
    reach,
    partial,
    fields: { read: fieldsOf('read'), update: fieldsOf('update') },
    standing: sameSets(matrix.standingSets(person), was?.standing),
    creates: matrix.creates(person),
    cells: isReached ? was.cells : cellsOf(reach, size),
    marks: was !== undefined && partial === was.partial ? was.marks : marksOf(partial, size),
  }
}

/** Reuses earlier set objects that are equal. */
function sameSets(now: readonly Bits[], old: readonly Bits[] | undefined): readonly Bits[] {
  return old !== undefined && now.length === old.length && now.every((set, at) => sameBits(set, old[at])) ? old : now
}

function cellsOf(reach: readonly Bits[], size: number): Uint16Array {
  const cells = new Uint16Array(size)
  for (const [bit, set] of reach.entries())
    each(set, (at) => {
      cells[at] = (cells[at] as number) | (1 << bit)
    })
  return cells
}

function marksOf(partial: Bits, size: number): Uint8Array {
  const marks = new Uint8Array(size)
  each(partial, (at) => {
    marks[at] = 1
  })
  return marks
}

function sameBits(one: Bits, other: Bits | undefined): boolean {
  if (one === other) return true
  if (other === undefined || one.size !== other.size) return false
  for (let word = 0; word < one.words.length; word++) if (one.words[word] !== other.words[word]) return false
  return true
}

/** The records on which no person has a standing; empty if the type has no standings. */
function unreachedBy(model: Model, type: string, keys: readonly Key[], access: readonly Access[]): readonly Key[] {
  if (Object.keys(typeModel(model, type).standings).length === 0) return []
  const reached = union(
    keys.length,
    access.flatMap(({ standing }) => standing),
  )
  return keys.filter((_, at) => !has(reached, at))
}
