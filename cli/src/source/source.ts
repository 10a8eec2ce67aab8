import type { SourcePlace, SourcePlaces } from 'pachter/internal/review'
import { type Model, type Written, writtenIn } from 'pachter/internal/rulebook'
import { between, members, objectGiven, type Span, type Token, tokensOf } from './tokens.js'

/**
 * Finds the parts of a rulebook in its source files. If a part is not written out (for example a list of clauses that comes from
 * elsewhere), it returns the nearest position around it: that of the action, or of the call that added the rules.
 * @param read gives the text of a file; undefined where it cannot be read
 * @example
 * const places = sourcePlaces(book.model, (file) => readFileSync(file, 'utf8'))
 * console.log(places.clause('plot', 'read', 0))
 */
export function sourcePlaces(model: Model, read: (file: string) => string | undefined): SourcePlaces {
  return new Source(model, read)
}

/** The argument of a call for one name, and its position. */
interface Given {
  readonly place: SourcePlace
  readonly tokens: readonly Token[]
  readonly span?: Span
}

class Source implements SourcePlaces {
  readonly #model: Model
  readonly #readFile: (file: string) => string | undefined
  readonly #calls: readonly (Written & { readonly place: SourcePlace })[]
  readonly #texts = new Map<string, readonly Token[]>()

  constructor(model: Model, readFile: (file: string) => string | undefined) {
    this.#model = model
    this.#readFile = readFile
    this.#calls = writtenIn(model).flatMap((written) => {
      const place = caller(written.stack)
      return place === undefined ? [] : [{ ...written, place }]
    })
  }

  rules(type: string): SourcePlace | undefined {
    return placeOf(this.#given('rules', type))
  }

  clause(type: string, action: string, number: number): SourcePlace | undefined {
    const found = this.#given('rules', type)
    if (found === undefined) return undefined
    const may = membersOf(found).get('may')
    const actions = may && tokensAt(found.tokens, may) === '{' ? members(found.tokens, may.from) : undefined
    const list = actions?.get(action)
    const count = this.#model.types[type]?.rules?.may[action]?.length ?? 0
    return placeOf(found, listed(found.tokens, list, count, number) ?? list ?? may)
  }

  veto(type: string, number: number): SourcePlace | undefined {
    const found = this.#given('rules', type)
    if (found === undefined) return undefined
    const list = membersOf(found).get('vetoes')
    const count = this.#model.types[type]?.rules?.vetoes.length ?? 0
    return placeOf(found, listed(found.tokens, list, count, number) ?? list)
  }

  /** Guarantees can be added in several calls: if so, it finds the first of them. */
  guarantee(type: string, number: number): SourcePlace | undefined {
    const found = this.#given('guarantees', type)
    if (found === undefined) return undefined
    const start = found.span && objectGiven(found.tokens, found.span, '[')
    const list = start === undefined ? undefined : { from: start, to: found.span?.to ?? start }
    const count = this.#model.types[type]?.guarantees?.length ?? 0
    return placeOf(found, listed(found.tokens, list, count, number) ?? list)
  }

  /** Standings can be added in several calls: this finds the call that defines this one. */
  standing(type: string, name: string): SourcePlace | undefined {
    const all = this.#calls.filter((one) => one.kind === 'standings' && one.names.includes(type))
    for (const { place } of all) {
      const given = this.#at(place, 'standings', type)
      const found = membersOf(given).get(name)
      if (found !== undefined) return placeOf(given, found)
    }
    return all[0]?.place
  }

  grant(kind: 'privileges' | 'routines', name: string): SourcePlace | undefined {
    return placeOf(this.#given(kind, name))
  }

  #given(kind: Written['kind'], name: string): Given | undefined {
    const call = this.#calls.find((one) => one.kind === kind && one.names.includes(name))
    return call && this.#at(call.place, kind, name)
  }

  #at(place: SourcePlace, kind: Written['kind'], name: string): Given {
    return { place, ...valueIn(this.#tokensIn(place.file), place, kind, name) }
  }

  #tokensIn(file: string): readonly Token[] {
    let found = this.#texts.get(file)
    if (found === undefined) {
      found = tokensOf(this.#readFile(file) ?? '')
      this.#texts.set(file, found)
    }
    return found
  }
}

/** The members of the object literal that a function returns. */
function membersOf({ tokens, span }: Given): ReadonlyMap<string, Span> {
  const object = span && objectGiven(tokens, span)
  return object === undefined ? new Map() : members(tokens, object)
}

/** The position of a part, or of everything that was passed. */
function placeOf(given: Given | undefined, part = given?.span): SourcePlace | undefined {
  if (given === undefined) return undefined
  const { tokens, place } = given
  return { file: place.file, line: (part && tokens[part.from]?.line) ?? place.line }
}

/** An item of a list literal. */
function listed(tokens: readonly Token[], list: Span | undefined, count: number, number: number): Span | undefined {
  if (list === undefined || tokens[list.from]?.text !== '[') return undefined
  const items = between(tokens, list.from)
  // The numbers must match, or the list is not written out here.
  return items.length === count ? items[number] : undefined
}

const tokensAt = (tokens: readonly Token[], { from }: Span) => tokens[from]?.text

/** The caller: the first entry of the stack. */
function caller(stack: string): SourcePlace | undefined {
  const [first = ''] = stack.split('\n')
  const [, file, line] = /\(?((?:file:\/\/)?[^\s()][^()]*):(\d+):\d+\)?$/.exec(first.trim().replace(/^at (?:async )?(?:.* \()?/, '')) ?? []
  return file === undefined ? undefined : { file: file.replace(/^file:\/\//, ''), line: Number(line) }
}

/** The argument of such a call for a name. */
function valueIn(
  tokens: readonly Token[],
  { line }: SourcePlace,
  kind: Written['kind'],
  name: string,
): { tokens: readonly Token[]; span?: Span } {
  const isCall = (at: number, word: string) => tokens[at]?.text === word && tokens[at + 1]?.text === '('
  for (let at = tokens.findIndex((token) => token.line >= line); at >= 0 && at < tokens.length; at++) {
    if (isCall(at, 'rulesOf') && kind === 'rules') {
      const span = between(tokens, at + 1)[1]
      return { tokens, ...(span ? { span } : {}) }
    }
    if (!isCall(at, kind)) continue
    const object = tokens[at + 2]?.text === '{' ? at + 2 : undefined
    const span = object === undefined ? undefined : members(tokens, object).get(name)
    return { tokens, ...(span ? { span } : {}) }
  }
  return { tokens }
}
