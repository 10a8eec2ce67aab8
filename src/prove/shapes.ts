import { type Model, schemaOf } from '../rulebook/index.js'

type Json = { readonly [word: string]: unknown }

/** What shapes say of texts by a pattern: no world has a text that its pattern does not match. */
export class Shapes {
  readonly #model: Model
  readonly #patterns = new Map<string, readonly RegExp[] | undefined>()

  constructor(model: Model) {
    this.#model = model
  }

  /**
   * Whether the shape of a record type, or of the claims (undefined), has a pattern for a field that a value does not match. Checks that are
   * code are not looked at: they may depend on other fields.
   */
  refuses(type: string | undefined, name: string, value: unknown): boolean {
    const key = `${type ?? ''} ${name}`
    if (!this.#patterns.has(key)) this.#patterns.set(key, this.#patternsOf(type, name))
    const patterns = this.#patterns.get(key)
    return typeof value === 'string' && patterns !== undefined && patterns.every((pattern) => !pattern.test(value))
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
