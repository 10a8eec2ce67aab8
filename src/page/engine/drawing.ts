// The matrix of a type as the page draws it, and what it takes to compare it with another.
import type { Row } from '../../condition/index.js'
import { type Bits, has, union } from '../../review/bits.js'
import type { Ground } from '../../review/ground.js'
import { fieldMatrix } from '../../review/matrix.js'
import type { IndexCache } from '../../review/sets.js'
import { typeModel } from '../../rulebook/index.js'
import type { Drawn } from './types.js'

/** The fields that somebody has, by action: of each, the records on which they have it. */
export type FieldSets = { readonly [A in 'read' | 'update']: ReadonlyMap<string, Bits> | undefined }

/** A matrix that can be compared. */
export interface Drawing {
  readonly drawn: Drawn
  /** For each person. */
  readonly fields: readonly FieldSets[]
  /** The records towards which each has any standing. */
  readonly standing: readonly Bits[]
  /** All fields besides the key. */
  readonly names: readonly string[]
}

// What is tried leaves most lists of records as they are.
const indexes: IndexCache = new WeakMap()

/** Draws the matrix of a type; of people who are as they were in another drawing of the same records and rules, from there. */
export function draw({ model, people, records, now }: Ground, type: string, like?: { of: Drawing; except: ReadonlySet<string> }): Drawing {
  const { key: keyField, fields } = typeModel(model, type)
  const as = (person: string) => (like === undefined || like.except.has(person) ? -1 : like.of.drawn.people.indexOf(person))
  const fresh = Object.fromEntries(Object.entries(people).filter(([name]) => as(name) < 0))
  const matrix = fieldMatrix({ model }, type, { people: fresh, records, now, indexes })
  const { keys, actions } = matrix
  const names = Object.keys(people)
  const one = <T>(person: string, known: (drawing: Drawing, at: number) => T, found: () => T): T =>
    as(person) < 0 ? found() : known((like as { of: Drawing }).of, as(person))
  const standing = names.map((person) =>
    one(
      person,
      (of, at) => of.standing[at] as Bits,
      () => matrix.standing(person),
    ),
  )
  const reached = union(keys.length, standing)
  const hasStandings = Object.keys(typeModel(model, type).standings).length > 0
  return {
    standing,
    names: Object.keys(fields).filter((name) => name !== keyField),
    fields: names.map((person) =>
      one<FieldSets>(
        person,
        (of, at) => of.fields[at] as FieldSets,
        () => ({ read: matrix.fieldSets(person, 'read'), update: matrix.fieldSets(person, 'update') }),
      ),
    ),
    drawn: {
      type,
      people: names,
      keys,
      labels: like?.of.drawn.labels ?? labelsOf((records[type] ?? []) as readonly Row[], keyField),
      actions,
      cells: names.map((person) =>
        one(
          person,
          (of, at) => of.drawn.cells[at] as Uint16Array,
          () => {
            const mine = new Uint16Array(keys.length)
            for (const [bit, action] of actions.entries())
              matrix.eachReached(person, action, (at) => {
                mine[at] = (mine[at] as number) | (1 << bit)
              })
            return mine
          },
        ),
      ),
      partly: names.map((person) =>
        one(
          person,
          (of, at) => of.drawn.partly[at] as Uint8Array,
          () => {
            const mine = new Uint8Array(keys.length)
            matrix.eachPartly(person, (at) => {
              mine[at] = 1
            })
            return mine
          },
        ),
      ),
      creates: names.map((person) =>
        one(
          person,
          (of, at) => of.drawn.creates[at] as 'never',
          () => matrix.creates(person) as 'never',
        ),
      ),
      unreached: hasStandings ? keys.filter((_, at) => !has(reached, at)) : [],
    },
  }
}

/** The field by which a record is best told apart from others: the first whose text differs in most of them. */
function labelsOf(rows: readonly Row[], key: string): string[] {
  const sample = rows.slice(0, 200)
  const names = [...new Set(sample.flatMap((row) => Object.keys(row)))].filter((name) => name !== key && !/Id$|Ids$|At$/.test(name))
  const kinds = (name: string) =>
    new Set(sample.map((row) => row[name]).filter((value) => typeof value === 'string' || typeof value === 'number')).size
  const best = names.find((name) => sample.length > 0 && kinds(name) > sample.length * 0.6)
  return rows.map((row) => (best === undefined || row[best] === undefined ? '' : String(row[best])))
}
