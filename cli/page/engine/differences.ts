// Who gained and lost what from one matrix to another.
import { add, type Bits, each, has, noBits } from 'pachter/internal/review'
import type { Key } from 'pachter/internal/rulebook'
import type { Access, Drawing, FieldSets } from './drawing.js'
import type { Redrawn } from './redrawing.js'
import type { Changes, Difference, Differences, Drawn } from './types.js'

/** The most differences that are listed one by one. */
const MOST = 500
const [MORE, LESS] = [1, 2]

export interface Compared extends Differences {
  readonly changes: Changes
}

/** The differences in several types. */
export function together(all: readonly Differences[]): Differences {
  const sum = (what: 'gained' | 'lost') => all.reduce((total, one) => total + one[what], 0)
  return { gained: sum('gained'), lost: sum('lost'), first: all.flatMap(({ first }) => first).slice(0, MOST) }
}

/** Compares two matrices of a type: who gained and lost what. */
export function compare(was: Drawing, now: Drawing): Compared {
  const { people, keys, actions } = now.drawn
  const notes = notesOf(now.drawn.type)
  const moves = movesBetween(was.drawn.keys, keys)
  // Most people have no difference, and share this value.
  const unchanged = new Uint8Array(keys.length)
  const changes = people.map((person, at) => {
    const before = was.drawn.people.indexOf(person)
    const old = actionsBefore(was.drawn, now.drawn, before, moves)
    const mine = now.drawn.cells[at] as Uint16Array
    let changed = unchanged
    const mark = (row: number, how: number) => {
      if (changed === unchanged) changed = new Uint8Array(keys.length)
      changed[row] = (changed[row] as number) | how
    }
    for (let row = 0; old !== mine && row < mine.length; row++) {
      const [a, b] = [old[row] ?? 0, mine[row] as number]
      if (a !== b) mark(row, notes.bits(person, keys[row] as Key, a, b, actions))
    }
    if (before >= 0)
      for (const action of ['read', 'update'] as const) {
        const bit = 1 << actions.indexOf(action)
        // If the action itself was gained or lost, its fields are not listed.
        for (const [row, change] of fieldChanges(action, was, now, before, at, moves))
          if ((old[row] ?? 0) & (mine[row] as number) & bit) mark(row, notes.fields(person, keys[row] as Key, action, change))
      }
    notes.creates(person, before < 0 ? 'never' : was.drawn.creates[before], now.drawn.creates[at])
    return changed
  })
  for (const [row, place] of (moves ?? []).entries())
    if (place < 0)
      for (const [at, person] of was.drawn.people.entries())
        notes.bits(person, was.drawn.keys[row] as Key, was.drawn.cells[at]?.[row] as number, 0, was.drawn.actions)
  return { ...notes.all(), changes }
}

/** The same if only some records can differ, and who may create has not changed. */
export function compareFew(was: Drawing, { drawing, few, changed: rows, gone }: Redrawn): Compared {
  const { people, keys, actions, type } = drawing.drawn
  const notes = notesOf(type)
  const places = rows.map((row) => (gone.length === 0 ? row : was.drawn.keys.indexOf(keys[row] as Key)))
  const unchanged = new Uint8Array(keys.length)
  const changes = people.map((person, at) => {
    const [old, mine] = [was.access[at] as Access, few.access[at] as Access]
    let changed = unchanged
    for (const [one, row] of rows.entries()) {
      const place = places[one] as number
      const [a, b] = [old.cells[place] ?? 0, mine.cells[one] as number]
      let how = a === b ? 0 : notes.bits(person, keys[row] as Key, a, b, actions)
      for (const action of ['read', 'update'] as const)
        if (a & b & (1 << actions.indexOf(action))) {
          const change = fieldChange(drawing.names, [old.fields[action], place], [mine.fields[action], one])
          how |= notes.fields(person, keys[row] as Key, action, change)
        }
      if (how === 0) continue
      if (changed === unchanged) changed = new Uint8Array(keys.length)
      changed[row] = how
    }
    return changed
  })
  for (const row of gone)
    for (const [at, person] of was.drawn.people.entries())
      notes.bits(person, was.drawn.keys[row] as Key, was.drawn.cells[at]?.[row] as number, 0, actions)
  return { ...notes.all(), changes }
}

/** The fields of a record that differ between two sets of them, each with the number of the record in it. */
function fieldChange(names: readonly string[], [was, before]: FieldsAt, [is, now]: FieldsAt): FieldChange {
  const isIn = (sets: FieldsAt[0], at: number, name: string) => sets === undefined || has(sets.get(name) as Bits, at)
  const come: string[] = []
  const gone: string[] = []
  for (const name of names) {
    const [had, does] = [isIn(was, before, name), isIn(is, now, name)]
    if (had !== does) (does ? come : gone).push(name)
  }
  return { come, gone }
}

type FieldsAt = readonly [FieldSets['read'], number]

/** Collects differences, and whether each is a gain or a loss. */
function notesOf(type: string) {
  const first: Difference[] = []
  const totals = { gained: 0, lost: 0 }
  const note = (one: Omit<Difference, 'type'>) => {
    totals[one.gained ? 'gained' : 'lost']++
    if (first.length < MOST) first.push({ type, ...one })
  }
  return {
    all: (): Differences => ({ ...totals, first }),
    bits(person: string, key: Key, was: number, is: number, actions: readonly string[]): number {
      for (const [bits, gained] of [
        [is & ~was, true],
        [was & ~is, false],
      ] as const)
        for (let bit = 0; bits !== 0 && bit < actions.length; bit++)
          if (bits & (1 << bit)) note({ person, key, action: actions[bit] as string, gained })
      return (is & ~was ? MORE : 0) | (was & ~is ? LESS : 0)
    },
    fields(person: string, key: Key, action: string, { come, gone }: FieldChange): number {
      if (come.length > 0) note({ person, key, action, gained: true, fields: come })
      if (gone.length > 0) note({ person, key, action, gained: false, fields: gone })
      return (come.length > 0 ? MORE : 0) | (gone.length > 0 ? LESS : 0)
    },
    creates(person: string, could: string | undefined, can: string | undefined): void {
      if (could !== can) note({ person, action: 'create', gained: could === 'never' || can === 'always' })
    },
  }
}

/** The new number of each record; negative if it is gone. Undefined if no number changed. */
type Moves = Int32Array | undefined

function movesBetween(was: readonly Key[], now: readonly Key[]): Moves {
  // Added records come last.
  if (was === now || (was.length <= now.length && was.every((key, at) => key === now[at]))) return undefined
  const numbers = new Map(now.map((key, at) => [key, at]))
  return Int32Array.from(was, (key) => numbers.get(key) ?? -1)
}

/** A person's previous access with the current numbers and bits; empty if the person or record was not there. */
function actionsBefore(was: Drawn, now: Drawn, person: number, moves: Moves): Uint16Array {
  const cells = was.cells[person]
  if (cells === undefined) return new Uint16Array(now.keys.length)
  const isSame = was.actions.join() === now.actions.join()
  if (moves === undefined && isSame) return cells
  const bits = now.actions.map((action) => was.actions.indexOf(action))
  const renamed = (old: number) => bits.reduce((all, bit, at) => (bit >= 0 && old & (1 << bit) ? all | (1 << at) : all), 0)
  const moved = new Uint16Array(now.keys.length)
  for (let row = 0; row < cells.length; row++) {
    const place = moves === undefined ? row : (moves[row] as number)
    if (place >= 0 && cells[row] !== 0) moved[place] = isSame ? (cells[row] as number) : renamed(cells[row] as number)
  }
  return moved
}

interface FieldChange {
  readonly come: string[]
  readonly gone: string[]
}

/** For each record, the fields that were gained or lost. */
function fieldChanges(
  action: 'read' | 'update',
  was: Drawing,
  now: Drawing,
  before: number,
  at: number,
  moves: Moves,
): ReadonlyMap<number, FieldChange> {
  const found = new Map<number, FieldChange>()
  const [old, mine] = [(was.access[before] as Access).fields[action], (now.access[at] as Access).fields[action]]
  if (old === mine) return found
  const size = now.drawn.keys.length
  // Without sets of their own, all fields are accessible where the record is.
  const reach = [old === undefined ? reachOf(was, before, action) : undefined, mine === undefined ? reachOf(now, at, action) : undefined]
  for (const name of now.names) {
    if (!was.names.includes(name)) continue
    const a = (old === undefined ? reach[0] : old.get(name)) as Bits
    const b = (mine === undefined ? reach[1] : mine.get(name)) as Bits
    if (a === b) continue
    eachDifference(moved(a, moves, size), b, (row, is) => {
      let change = found.get(row)
      if (change === undefined) {
        change = { come: [], gone: [] }
        found.set(row, change)
      }
      change[is ? 'come' : 'gone'].push(name)
    })
  }
  return found
}

/** The numbers that are in only one of two sets. */
function eachDifference(a: Bits, b: Bits, visit: (at: number, isInB: boolean) => void): void {
  for (let word = 0; word < b.words.length; word++) {
    const is = b.words[word] as number
    for (let left = (a.words[word] ?? 0) ^ is; left !== 0; left &= left - 1) {
      const bit = left & -left
      visit(word * 32 + 31 - Math.clz32(bit), (is & bit) !== 0)
    }
  }
}

/** The records on which a person may do the action. */
function reachOf({ access, drawn: { actions, keys } }: Drawing, person: number, action: string): Bits {
  return access[person]?.reach[actions.indexOf(action)] ?? noBits(keys.length)
}

/** A set with the current numbers. */
function moved(bits: Bits, moves: Moves, size: number): Bits {
  if (moves === undefined) return bits
  const found = noBits(size)
  each(bits, (row) => {
    const place = moves[row] as number
    if (place >= 0) add(found, place)
  })
  return found
}
