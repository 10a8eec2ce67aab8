// Who gained and who lost what from one matrix to another.
import { type Bits, has } from '../../review/bits.js'
import type { Key } from '../../rulebook/index.js'
import type { Drawing, FieldSets } from './drawing.js'
import type { Changes, Difference, Differences, Drawn } from './types.js'

/** As many as are told one by one. */
const MOST = 500
const [MORE, LESS] = [1, 2]

export interface Compared extends Differences {
  readonly changes: Changes
}

/** Everything that is otherwise in several types. */
export function together(all: readonly Differences[]): Differences {
  const sum = (what: 'gained' | 'lost') => all.reduce((total, one) => total + one[what], 0)
  return { gained: sum('gained'), lost: sum('lost'), first: all.flatMap(({ first }) => first).slice(0, MOST) }
}

export function compare(was: Drawing, now: Drawing): Compared {
  const { type, people, keys, actions } = now.drawn
  const first: Difference[] = []
  const totals = { gained: 0, lost: 0 }
  const note = (one: Omit<Difference, 'type'>) => {
    totals[one.gained ? 'gained' : 'lost']++
    if (first.length < MOST) first.push({ type, ...one })
  }
  const noteBits = (person: string, key: Key, bits: number, gained: boolean, named: readonly string[]) => {
    for (const [bit, action] of named.entries()) if (bits & (1 << bit)) note({ person, key, action, gained })
  }
  const places = placesIn(was.drawn, now.drawn)
  const sameActions = was.drawn.actions.join() === actions.join()
  const changes = people.map((person, at) => {
    const before = was.drawn.people.indexOf(person)
    const old = actionsBefore(was.drawn, now.drawn, before, places, sameActions)
    const mine = now.drawn.cells[at] as Uint16Array
    const changed = new Uint8Array(keys.length)
    const fields = before < 0 ? undefined : fieldChanges(was, now, before, at, places)
    for (let row = 0; row < mine.length; row++) {
      const [a, b] = [old[row] as number, mine[row] as number]
      if (a !== b) {
        if (b & ~a) changed[row] = MORE
        if (a & ~b) changed[row] = (changed[row] as number) | LESS
        noteBits(person, keys[row] as Key, b & ~a, true, actions)
        noteBits(person, keys[row] as Key, a & ~b, false, actions)
      }
      for (const one of fields?.get(row) ?? []) {
        // Where the action itself came or went, all is said by that.
        const bit = 1 << actions.indexOf(one.action)
        if (!(a & b & bit)) continue
        changed[row] = (changed[row] as number) | (one.gained ? MORE : LESS)
        note({ person, key: keys[row] as Key, ...one })
      }
    }
    const [could, can] = [before < 0 ? 'never' : was.drawn.creates[before], now.drawn.creates[at]]
    if (could !== can) note({ person, action: 'create', gained: could === 'never' || can === 'always' })
    return changed
  })
  const left = new Set(keys)
  if (was.drawn.keys.some((key) => !left.has(key)))
    for (const [at, person] of was.drawn.people.entries())
      for (const [row, key] of was.drawn.keys.entries())
        if (!left.has(key)) noteBits(person, key, was.drawn.cells[at]?.[row] ?? 0, false, was.drawn.actions)
  return { ...totals, first, changes }
}

/** Where each record of now was; undefined where all are in their places. */
function placesIn(was: Drawn, now: Drawn): readonly number[] | undefined {
  if (was.keys === now.keys || (was.keys.length === now.keys.length && was.keys.every((key, at) => key === now.keys[at]))) return undefined
  const numbers = new Map(was.keys.map((key, at) => [key, at]))
  return now.keys.map((key) => numbers.get(key) ?? -1)
}

/** What somebody could do before, in the places and by the bits of now; nothing where they or the record were not there. */
function actionsBefore(was: Drawn, now: Drawn, person: number, places: readonly number[] | undefined, sameActions: boolean): Uint16Array {
  const cells = was.cells[person]
  if (cells === undefined) return new Uint16Array(now.keys.length)
  if (places === undefined && sameActions) return cells
  const bits = now.actions.map((action) => was.actions.indexOf(action))
  const renamed = (old: number) => bits.reduce((all, bit, at) => (bit >= 0 && old & (1 << bit) ? all | (1 << at) : all), 0)
  return Uint16Array.from(now.keys, (_, row) => renamed(cells[places?.[row] ?? row] ?? 0))
}

interface FieldChange {
  readonly action: 'read' | 'update'
  readonly gained: boolean
  readonly fields: readonly string[]
}

/** By record, the fields that came or went. */
function fieldChanges(was: Drawing, now: Drawing, before: number, at: number, places: readonly number[] | undefined) {
  const found = new Map<number, FieldChange[]>()
  for (const action of ['read', 'update'] as const) {
    const [old, mine] = [(was.fields[before] as FieldSets)[action], (now.fields[at] as FieldSets)[action]]
    if (old === undefined && mine === undefined) continue
    const gone = new Map<number, string[]>()
    const come = new Map<number, string[]>()
    for (const name of now.names) {
      const [a, b] = [old?.get(name), mine?.get(name)]
      // A field that was not there before is no change of access.
      if (!was.names.includes(name)) continue
      const wasReach = reachOf(was.drawn, before, action)
      const nowReach = reachOf(now.drawn, at, action)
      eachDifferent(
        a,
        b,
        places,
        now.drawn.keys.length,
        (row, had) => {
          const of = had ? gone : come
          of.set(row, [...(of.get(row) ?? []), name])
        },
        wasReach,
        nowReach,
      )
    }
    for (const [rows, gained] of [
      [come, true],
      [gone, false],
    ] as const)
      for (const [row, fields] of rows) found.set(row, [...(found.get(row) ?? []), { action, gained, fields }])
  }
  return found
}

/** Whether somebody may do the action to a record at all. */
function reachOf({ actions, cells }: Drawn, person: number, action: string): (row: number) => boolean {
  const bit = 1 << actions.indexOf(action)
  return (row) => ((cells[person]?.[row] ?? 0) & bit) !== 0
}

/** The records of which a field was there and is not, or is there and was not. Without sets, it is there wherever the record is reached. */
function eachDifferent(
  was: Bits | undefined,
  now: Bits | undefined,
  places: readonly number[] | undefined,
  size: number,
  visit: (row: number, had: boolean) => void,
  wasReach: (row: number) => boolean,
  nowReach: (row: number) => boolean,
): void {
  const one = (row: number) => {
    const place = places?.[row] ?? row
    const had = was === undefined ? wasReach(place) : has(was, place)
    const is = now === undefined ? nowReach(row) : has(now, row)
    if (had !== is) visit(row, had)
  }
  if (was !== undefined && now !== undefined && places === undefined) {
    for (let word = 0; word < now.words.length; word++)
      if (was.words[word] !== now.words[word]) for (let row = word * 32; row < Math.min(size, word * 32 + 32); row++) one(row)
  } else for (let row = 0; row < size; row++) one(row)
}
