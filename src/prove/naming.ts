import type { Comparable } from '../condition/index.js'
import { lowerAscii } from '../condition/index.js'
import type { Classes } from './classes.js'
import type { Encoder } from './encoder.js'
import { USUAL } from './filling.js'
import type { Literal } from './solver.js'
import type { Individual, Slot, Value } from './terms.js'

/** What values are in an example. */
export interface Names {
  of(value: Value): Comparable
  /** The time, in milliseconds since 1970. */
  readonly now: number
}

const DAY = 86_400_000
const FINEST = 2 ** -20
/** How many names are tried for a text. */
const MOST_TRIES = 1000

/** Values that are easy to read: `plot-1`, days, small numbers. */
export function namesOf(encoder: Encoder, classes: Classes): Names {
  const { values } = encoder
  const numbers = values.numbers(1) ?? values.numbers(FINEST) ?? new Map<number, number>()
  const texts = textsOf(encoder, classes)
  const time = timesOf(encoder, numbers)
  const number = numbersOf(encoder, classes, numbers)
  const of = (value: Value): Comparable => {
    if (value.known !== undefined) return value.known
    switch (value.family) {
      case 'boolean':
        return values.solver.holds(values.truth(value))
      case 'text':
        return texts(value)
      case 'number':
        return number(value)
      case 'time':
        return time(value)
    }
  }
  return { of, now: nowOf(encoder, of) }
}

/** Small positive numbers, if only their order matters. */
function numbersOf(encoder: Encoder, classes: Classes, numbers: ReadonlyMap<number, number>): (value: Value) => number {
  const all = encoder.values.all.filter(({ family }) => family === 'number')
  const at = ({ id }: Value) => numbers.get(id) ?? 0
  if (all.some(({ known }) => known !== undefined))
    return (value) => (classes.known(value)?.known as number | undefined) ?? numbers.get(value.id) ?? 1
  const ranks = [...new Set(all.map(at))].sort((a, b) => a - b)
  return (value) => ranks.indexOf(at(value)) + 1
}

function nowOf(encoder: Encoder, of: (value: Value) => Comparable): number {
  const now = encoder.times.get('')
  if (now !== undefined) return of(now) as number
  for (const [name, value] of encoder.times) {
    const [zone, days] = name.split(' ')
    // The noon of that day is the same day in almost every zone.
    if (zone !== '' && days === '0') return (of(value) as number) + DAY / 2
  }
  return USUAL
}

/** Times in days around a usual one, if only their order matters. */
function timesOf(encoder: Encoder, numbers: ReadonlyMap<number, number>): (value: Value) => number {
  const times = encoder.values.all.filter(({ family }) => family === 'time')
  const isFixed = times.some(({ known }) => known !== undefined && Number.isFinite(known))
  const now = encoder.times.get('')
  const named = [...encoder.times.keys()].some((name) => name !== '')
  if (isFixed) return ({ id }) => numbers.get(id) ?? USUAL
  const at = ({ id }: Value) => numbers.get(id) ?? 0
  if (named) {
    const today = [...encoder.times].find(([name]) => name !== '')?.[1] as Value
    const start = USUAL - (USUAL % DAY)
    return (value) => start + (at(value) - at(today))
  }
  const ranks = [...new Set(times.map(at))].sort((a, b) => a - b)
  const base = now === undefined ? 0 : ranks.indexOf(at(now))
  return (value) => USUAL + (ranks.indexOf(at(value)) - base) * DAY
}

/** Names of texts: those of keys first, so that what leads to a record has its name. */
function textsOf(encoder: Encoder, classes: Classes): (value: Value) => string {
  const { individuals, values } = encoder
  const naming = new Naming(encoder, classes)
  naming.nameParts()
  const records = individuals.all.filter((one) => Object.hasOwn(encoder.model.types, one.type))
  for (const one of records)
    for (const { value, path } of individuals.key(one)) naming.name(value, keyWord(one, path, individuals.key(one)))
  for (const one of individuals.all) for (const { value, path } of one.slots.values()) naming.name(value, wordOf(one, path))
  for (const one of individuals.all)
    for (const { list, path } of one.slots.values())
      for (const { value } of list === undefined ? [] : values.elementsOf(list)) naming.name(value, wordOf(one, path))
  for (const value of values.all) naming.name(value, 'text')
  return (value) => naming.textOf(value) as string
}

/** Gives each class of equal texts a name of its own. */
class Naming {
  readonly #encoder: Encoder
  readonly #classes: Classes
  readonly #names = new Map<number, string>()
  readonly #counts = new Map<string, number>()
  readonly #taken: Set<string>

  constructor(encoder: Encoder, classes: Classes) {
    this.#encoder = encoder
    this.#classes = classes
    this.#taken = new Set(encoder.values.all.flatMap(({ known }) => (known === undefined ? [] : [String(known)])))
  }

  textOf(value: Value): string | undefined {
    return (this.#classes.known(value)?.known as string | undefined) ?? this.#names.get(this.#classes.of(value))
  }

  name(value: Value, word: string): void {
    if (value.family !== 'text' || this.textOf(value) !== undefined) return
    let text: string
    do {
      this.#counts.set(word, (this.#counts.get(word) ?? 0) + 1)
      text = this.#fitting(value, `${word}-${this.#counts.get(word)}`)
    } while (this.#taken.has(text) && (this.#counts.get(word) as number) < MOST_TRIES)
    this.#taken.add(text)
    this.#names.set(this.#classes.of(value), text)
  }

  /** What other texts start with, end with or contain has to have its name before them. */
  nameParts(): void {
    const { values } = this.#encoder
    const isTrue = ({ is }: { readonly is: Literal }) => values.solver.holds(is)
    // What a known text starts with, ends with or contains is a part of it.
    for (const value of values.all)
      for (const { by, right } of values.relationsOf(value).filter(isTrue)) {
        const text = value.known
        if (typeof text !== 'string' || this.textOf(right) !== undefined) continue
        this.#names.set(this.#classes.of(right), by === 'endsWith' ? text.slice(1) : text.slice(0, -1))
      }
    for (let turn = 0; turn < 3; turn++)
      for (const value of values.all)
        for (const { right } of values.relationsOf(value).filter(isTrue))
          if (!this.#relations(right).some((one) => this.textOf(one.right) === undefined)) this.name(right, 'text')
  }

  /** The texts that a text starts with, ends with or contains, in this world. */
  #relations(value: Value) {
    const { values } = this.#encoder
    return values.all
      .filter((one) => this.#classes.of(one) === this.#classes.of(value))
      .flatMap((one) => values.relationsOf(one))
      .filter(({ is }) => values.solver.holds(is))
  }

  /** A text that starts, ends and goes on as the world says. */
  #fitting(value: Value, name: string): string {
    const relations = this.#relations(value)
    const wanted = (by: string) =>
      relations
        .filter((one) => one.by === by)
        .map(({ right }) => this.textOf(right))
        .filter((text) => text !== undefined)
        .sort((a, b) => b.length - a.length)
    const [alike] = wanted('isIgnoringCase')
    if (alike !== undefined) return alike === alike.toUpperCase() ? lowerAscii(alike) : alike.toUpperCase()
    const [start = ''] = wanted('startsWith')
    const [end = ''] = wanted('endsWith')
    return `${start}${wanted('contains').join('')}${start === '' && end === '' ? name : name.replace('-', '')}${end}`
  }
}

function keyWord({ type }: Individual, path: readonly string[], key: readonly Slot[]): string {
  return key.length === 1 ? type : (path.at(-1) as string)
}

function wordOf({ type }: Individual, path: readonly string[]): string {
  const last = path.at(-1) ?? type
  return type === 'me' && last === 'id' ? 'person' : last
}
