// The matrix of a type after some records changed, if the change cannot affect others: only those are judged again.
import type { Row } from 'pachter/internal/condition'
import { add, type Bits, type Ground, has, once, type Workings, workingsOf } from 'pachter/internal/review'
import { keyOf, type TypeModel, typeModel } from 'pachter/internal/rulebook'
import { type Access, type Drawing, draw, type FieldSets } from './drawing.js'
import { labelField, labelOf, labelsOf } from './labels.js'

/** An updated drawing, and what was judged for it. */
export interface Redrawn {
  readonly drawing: Drawing
  /** The matrix of only the judged records. */
  readonly few: Drawing
  /** Their numbers in the drawing. */
  readonly changed: readonly number[]
  /** The numbers of deleted records in the previous drawing. */
  readonly gone: readonly number[]
}

/** Updates an earlier drawing. Rules, people and claims are unchanged, and so is the order of records, with new ones at the end. */
export function redraw({ model, records, now }: Ground, type: string, was: Drawing, before: Workings): Redrawn {
  const known = typeModel(model, type)
  const rows = (records[type] ?? []) as readonly Row[]
  const size = rows.length
  // From the end, so that other numbers stay valid until they are removed.
  const gone = rows.length >= was.rows.length && sameKeys(was.rows, rows, known) ? [] : missing(was.rows, rows, known).reverse()
  const stayed = gone.length === 0 ? was.rows : was.rows.filter((_, at) => !gone.includes(at))
  const changed: number[] = []
  for (let at = 0; at < size; at++) if (rows[at] !== stayed[at]) changed.push(at)
  const some = { ...records, [type]: changed.map((at) => rows[at] as Row) } as Workings['records']
  const { people, view } = before
  // Claims may lead to records that are not among these few.
  const few = draw({ ...workingsOf({ model, people, records: some, now }, undefined, before), view }, type)

  const splice = new Splice(size, changed, gone)
  const access = was.access.map((old, at) => splicedAccess(old, few.access[at] as Access, splice))
  const isInPlace = gone.length === 0 && was.rows.length === size
  const keys = isInPlace ? was.drawn.keys : Object.freeze(rows.map((row) => keyOf(known, row)))
  const others = new Set([...gone.map((at) => was.drawn.keys[at]), ...few.drawn.keys])
  const drawing = {
    ...was,
    rows,
    access,
    drawn: {
      ...was.drawn,
      keys,
      labels: isInPlace ? relabelled(was, rows, known, changed) : labelsOf(rows, labelField(rows, known)),
      cells: access.map(({ cells }) => cells),
      partial: access.map(({ marks }) => marks),
      unreached: [...was.drawn.unreached.filter((one) => !others.has(one)), ...few.drawn.unreached],
    },
  }
  return { drawing, few, changed, gone }
}

function splicedAccess(old: Access, judged: Access, splice: Splice): Access {
  // The sets of most trials are never read.
  const reach = once(() => splice.each(old.reach, judged.reach))
  const partial = once(() => splice.bits(old.partial, judged.partial))
  const standing = once(() => splice.each(old.standing, judged.standing))
  const fields = once(() => ({
    read: splice.byField(old.fields.read, judged.fields.read),
    update: splice.byField(old.fields.update, judged.fields.update),
  }))
  return {
    get reach() {
      return reach()
    },
    get partial() {
      return partial()
    },
    get standing() {
      return standing()
    },
    get fields() {
      return fields()
    },
    creates: old.creates,
    cells: splice.numbers(old.cells, judged.cells),
    marks: splice.numbers(old.marks, judged.marks),
  }
}

/** Merges newly judged records into the known ones. Returns the same object if nothing differs. */
class Splice {
  readonly #size: number
  readonly #changed: readonly number[]
  readonly #gone: readonly number[]

  constructor(size: number, changed: readonly number[], gone: readonly number[]) {
    this.#size = size
    this.#changed = changed
    this.#gone = gone
  }

  /** Numbers for each record. */
  numbers<T extends Uint8Array | Uint16Array>(old: T, judged: T): T {
    if (this.#isSame(old.length, (at, one) => old[at] === judged[one])) return old
    const next = new (old.constructor as new (size: number) => T)(this.#size)
    let to = 0
    let from = 0
    for (const cut of [...this.#gone].reverse()) {
      next.set(old.subarray(from, cut), to)
      to += cut - from
      from = cut + 1
    }
    next.set(old.subarray(from), to)
    for (const [one, at] of this.#changed.entries()) next[at] = judged[one] as number
    return next
  }

  bits(old: Bits, judged: Bits): Bits {
    if (this.#isSame(old.size, (at, one) => has(old, at) === has(judged, one))) return old
    let { words } = old
    for (const at of this.#gone) words = cutOut(words, at)
    const next = { size: this.#size, words: new Uint32Array((this.#size + 31) >>> 5) }
    next.words.set(words.subarray(0, next.words.length))
    for (const [one, at] of this.#changed.entries()) {
      next.words[at >>> 5] = (next.words[at >>> 5] as number) & ~(1 << (at & 31))
      if (has(judged, one)) add(next, at)
    }
    return next
  }

  each(old: readonly Bits[], judged: readonly Bits[]): readonly Bits[] {
    const next = old.map((set, at) => this.bits(set, judged[at] as Bits))
    return next.every((set, at) => set === old[at]) ? old : next
  }

  byField(old: FieldSets['read'], judged: FieldSets['read']): FieldSets['read'] {
    if (old === undefined || judged === undefined) return old
    const next = new Map([...old].map(([name, mine]) => [name, this.bits(mine, judged.get(name) as Bits)]))
    return [...next].every(([name, mine]) => mine === old.get(name)) ? old : next
  }

  #isSame(size: number, isAlike: (at: number, one: number) => boolean): boolean {
    return size === this.#size && this.#gone.length === 0 && this.#changed.every(isAlike)
  }
}

function relabelled(was: Drawing, rows: readonly Row[], type: TypeModel, changed: readonly number[]): readonly string[] {
  const field = labelField(rows, type)
  if (field !== labelField(was.rows, type)) return labelsOf(rows, field)
  const labels = [...was.drawn.labels]
  for (const at of changed) labels[at] = labelOf(rows[at] as Row, field)
  return labels
}

function sameKeys(was: readonly Row[], now: readonly Row[], type: TypeModel): boolean {
  for (let at = 0; at < was.length; at++) {
    const [before, after] = [was[at], now[at]]
    if (before !== after && (before === undefined || after === undefined || keyOf(type, before) !== keyOf(type, after))) return false
  }
  return true
}

/** The numbers of the deleted records. */
function missing(was: readonly Row[], now: readonly Row[], type: TypeModel): number[] {
  const there = new Set(now.map((row) => keyOf(type, row)))
  const found: number[] = []
  for (const [at, row] of was.entries()) if (!there.has(keyOf(type, row))) found.push(at)
  return found
}

/** The bits without one of them; later bits move down. */
function cutOut(words: Uint32Array, at: number): Uint32Array {
  const next = words.slice()
  const first = at >>> 5
  const low = (1 << (at & 31)) - 1
  for (let word = first; word < words.length; word++) {
    const down = ((words[word] as number) >>> 1) | ((words[word + 1] ?? 0) << 31)
    next[word] = word === first ? ((words[word] as number) & low) | (down & ~low) : down
  }
  return next
}
