// A matrix on its way to the page. Only what differs from the page's last matrix is sent.
import type { Changes, Drawn, Shown } from './types.js'

/** Numbers that are unchanged, changed in some places, or replaced. */
type Parcel<T> = 'same' | { readonly at: Uint32Array; readonly values: T } | T

/** The transferred form of a matrix. */
export interface Sent extends Omit<Drawn, 'keys' | 'labels' | 'cells' | 'partial'> {
  readonly keys: Drawn['keys'] | 'same'
  readonly labels: Drawn['labels'] | 'same'
  readonly cells: readonly Parcel<Uint16Array>[]
  readonly partial: readonly Parcel<Uint8Array>[]
  readonly changes: readonly Parcel<Uint8Array>[] | undefined
}

/** Packs a matrix for a receiver that has the last one. */
export function pack({ drawn, changes }: Shown, last?: Drawn): Sent {
  const isLike = last !== undefined && sameItems(last.keys, drawn.keys)
  const before = (person: string) => (isLike ? last.people.indexOf(person) : -1)
  return {
    ...drawn,
    keys: isLike ? 'same' : drawn.keys,
    labels: isLike && sameItems(last.labels, drawn.labels) ? 'same' : drawn.labels,
    cells: drawn.cells.map((mine, at) => parcelOf(mine, last?.cells[before(drawn.people[at] as string)])),
    partial: drawn.partial.map((mine, at) => parcelOf(mine, last?.partial[before(drawn.people[at] as string)])),
    changes: changes?.map((mine) => parcelOf(mine, nothing(mine.length))),
  }
}

/** Unpacks the matrix. */
export function unpack({ changes, ...sent }: Sent, last?: Drawn): Shown {
  const keys = sent.keys === 'same' ? (last as Drawn).keys : sent.keys
  const before = (at: number) => last?.people.indexOf(sent.people[at] as string) ?? -1
  return {
    drawn: {
      ...sent,
      keys,
      labels: sent.labels === 'same' ? (last as Drawn).labels : sent.labels,
      cells: sent.cells.map((mine, at) => unparcel(mine, last?.cells[before(at)])),
      partial: sent.partial.map((mine, at) => unparcel(mine, last?.partial[before(at)])),
    },
    changes: changes?.map((mine) => unparcel(mine, nothing(keys.length))) as Changes | undefined,
  }
}

let zeros = new Uint8Array()

/** An array of zeros, reused while the length is the same. */
function nothing(size: number): Uint8Array {
  if (zeros.length !== size) zeros = new Uint8Array(size)
  return zeros
}

function parcelOf<T extends Uint8Array | Uint16Array>(now: T, was: T | undefined): Parcel<T> {
  if (now === was) return 'same'
  if (was === undefined || was.length !== now.length) return now
  const at: number[] = []
  for (let one = 0; one < now.length; one++) if (now[one] !== was[one]) at.push(one)
  if (at.length === 0) return 'same'
  if (at.length > now.length / 4) return now
  const Numbers = now.constructor as new (values: number[]) => T
  return { at: Uint32Array.from(at), values: new Numbers(at.map((one) => now[one] as number)) }
}

function unparcel<T extends Uint8Array | Uint16Array>(parcel: Parcel<T>, was: T | undefined): T {
  if (parcel === 'same') return was as T
  if (ArrayBuffer.isView(parcel)) return parcel
  const now = (was as T).slice() as T
  const { at, values } = parcel
  for (let one = 0; one < at.length; one++) now[at[one] as number] = values[one] as number
  return now
}

function sameItems(one: readonly unknown[], other: readonly unknown[]): boolean {
  return one === other || (one.length === other.length && one.every((item, at) => item === other[at]))
}
