import { toComparable } from '../condition/index.js'
import { type Model, schemaOf } from '../rulebook/index.js'

const BLANKS = Array.from({ length: 256 }, (_, length) => ' '.repeat(length))
/** Texts that are no instants, though some look like it. */
const ODD_TIMES = [
  ...[
    '\0',
    '',
    ' ',
    'x',
    '0',
    '2026',
    '2026-01',
    '2026-01-15',
    '12:00',
    '12:00:00Z',
    '2026-01-15 12:00:00Z',
    '2026-01-15T12',
    '2026-01-15T12Z',
  ],
  ...[
    '2026-01-15T12:00',
    '2026-01-15T12:00Z',
    '2026-01-15T12:00:00',
    '2026-01-15T12:00:00.000',
    '2026-01-15T12:00:00z',
    '2026-01-15t12:00:00Z',
  ],
  ...[
    '2026-13-15T12:00:00Z',
    '2026-02-30T12:00:00Z',
    '2026-01-32T12:00:00Z',
    '2026-01-15T25:00:00Z',
    '2026-01-15T12:60:00Z',
    '2026-01-15T12:00:61Z',
  ],
  ...[
    '10000-01-15T12:00:00Z',
    '-2026-01-15T12:00:00Z',
    '+2026-01-15T12:00:00Z',
    '2026-01-15T12:00:00+25:00',
    '2026-01-15T12:00:00+01',
    '2026-01-15T12:00:00Z\n',
  ],
  ...[
    '2025-02-29T12:00:00Z',
    '1900-02-29T12:00:00Z',
    '2026-04-31T12:00:00Z',
    '2026-01-15T24:00:00Z',
    '2026-01-15T12:00:60Z',
    '0000-02-30T12:00:00Z',
  ],
].filter((text) => toComparable(text, 'time') === undefined)

type Json = { readonly [word: string]: unknown }

const known = new WeakMap<Model, Shapes>()

/** The shapes of a model, each of which is read once. */
export function shapesOf(model: Model): Shapes {
  const found = known.get(model) ?? new Shapes(model)
  known.set(model, found)
  return found
}

/** What shapes say of texts by a pattern: no world has a text that its pattern does not match. */
export class Shapes {
  readonly #model: Model
  readonly #patterns = new Map<string, readonly RegExp[] | undefined>()

  constructor(model: Model) {
    this.#model = model
  }

  /** Whether a field has a pattern that no blank text matches. Checks that are code are not looked at: they may depend on other fields. */
  refusesBlank(type: string | undefined, name: string): boolean {
    return this.#refuses(type, name, BLANKS)
  }

  /** Whether a time in text has a pattern that only instants match. */
  refusesOddTimes(type: string | undefined, name: string): boolean {
    return this.#refuses(type, name, ODD_TIMES)
  }

  #refuses(type: string | undefined, name: string, texts: readonly string[]): boolean {
    const key = `${type ?? ''} ${name}`
    if (!this.#patterns.has(key)) this.#patterns.set(key, this.#patternsOf(type, name))
    const patterns = this.#patterns.get(key)
    return patterns !== undefined && !texts.some((text) => patterns.some((pattern) => pattern.test(text)))
  }

  /** The patterns of a field, one of which a text has to match; undefined if any text is accepted. */
  #patternsOf(type: string | undefined, name: string): readonly RegExp[] | undefined {
    const { shape } = type === undefined ? this.#model.me : (this.#model.types[type] as Model['types'][string])
    try {
      const { properties, anyOf, oneOf, allOf } = schemaOf(shape) as { readonly properties?: { readonly [name: string]: Json } } & Json
      const isChoice = [anyOf, oneOf, allOf].some((one) => one !== undefined)
      const field = isChoice ? undefined : properties?.[name]
      const ways = field === undefined ? [] : ((field.anyOf ?? field.oneOf ?? [field]) as readonly Json[])
      const texts = ways.filter((way) => way.type !== 'null')
      if (texts.length === 0 || !texts.every(({ type, pattern }) => type === 'string' && typeof pattern === 'string')) return undefined
      return texts.map(({ pattern }) => new RegExp(pattern as string, 'u'))
    } catch {
      // A shape without JSON Schema, or a pattern of another kind.
      return undefined
    }
  }
}
