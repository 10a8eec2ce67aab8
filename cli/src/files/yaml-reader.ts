import type { FileLine } from 'pachter/internal/review'
import { unknownName } from 'pachter/internal/rulebook'
import { isMap, isScalar, isSeq, type LineCounter, type Node, type Pair, type Scalar, type YAMLMap } from 'yaml'
import { ExpectationFileError, type Mistake } from './expectation-error.js'

/** A key with its value. */
export type Entry = Pair<Node, Node | null>

/** Reads the nodes of a YAML document, and reports errors with their position. */
export class YamlReader {
  readonly mistakes: Mistake[] = []
  readonly #file: string
  readonly #lines: LineCounter

  constructor(file: string, lines: LineCounter) {
    this.#file = file
    this.#lines = lines
  }

  placeOf(node: Node | null | undefined): FileLine {
    return { file: this.#file, line: node?.range ? this.#lines.linePos(node.range[0]).line : 1 }
  }

  /** @throws ExpectationFileError */
  fail(node: Node | null | undefined, problem: string): never {
    throw new ExpectationFileError([{ place: this.placeOf(node), problem }])
  }

  /** Reads one item after the other. An error in one is recorded, and the others are still read. */
  each<T, R>(all: readonly T[], read: (one: T) => R): R[] {
    return all.flatMap((one) => {
      try {
        return [read(one)]
      } catch (error) {
        if (!(error instanceof ExpectationFileError)) throw error
        this.mistakes.push(...error.mistakes)
        return []
      }
    })
  }

  /** The source text of a scalar: a key made of digits stays a text. */
  written(node: Node | null, what: string): string {
    if (!isScalar(node) || node.value === null) return this.fail(node, `${what}: needs a name`)
    return typeof node.value === 'string' ? node.value : ((node as Scalar).source ?? String(node.value))
  }

  oneOf<N extends string>(node: Node | null, names: readonly N[], what: string): N {
    const name = this.written(node, what)
    return names.includes(name as N) ? (name as N) : this.fail(node, unknownName(what, name, names))
  }

  pairs({ key, value }: Entry, what: string): Entry[] {
    if (isMap(value)) return (value as YAMLMap).items as Entry[]
    return this.fail(value ?? key, `${what}: needs entries, as in name: value`)
  }

  items({ key, value }: Entry, what: string): Node[] {
    return isSeq(value) ? (value.items as Node[]) : this.fail(value ?? key, `${what}: needs a list`)
  }
}
