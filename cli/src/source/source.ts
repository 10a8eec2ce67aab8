import type { SourcePlace, SourcePlaces } from 'pachter/internal/review'
import { type Model, type Written, writtenIn } from 'pachter/internal/rulebook'
import { between, members, objectGiven, type Span, type Token, tokensOf } from './tokens.js'

/**
 * Finds the parts of a rulebook in the source that it was loaded from. Where a part is not written out (a list of clauses that is
 * put together elsewhere, say), the nearest place around it is given: that of the action, or of the call that added the rules.
 *
 * @param read gives the text of a file; undefined where it cannot be read
 * @example
 * const places = sourcePlaces(book.model, (file) => readFileSync(file, 'utf8'))
 * console.log(places.clause('plot', 'read', 0))
 */
export function sourcePlaces(model: Model, read: (file: string) => string | undefined): SourcePlaces {
  const texts = new Map<string, readonly Token[]>()
  const tokensIn = (file: string): readonly Token[] => {
    let found = texts.get(file)
    if (found === undefined) {
      found = tokensOf(read(file) ?? '')
      texts.set(file, found)
    }
    return found
  }
  const calls = writtenIn(model).flatMap((written) => {
    const place = caller(written.stack)
    return place === undefined ? [] : [{ ...written, place }]
  })

  /** What was given to the call for one name, and where. */
  function given(kind: Written['kind'], name: string): { place: SourcePlace; tokens: readonly Token[]; span?: Span } | undefined {
    // Standings of a type may be added to; the call that names this one is asked for by itself.
    const call = calls.find((one) => one.kind === kind && one.names.includes(name))
    return call && { place: call.place, ...valueIn(tokensIn(call.place.file), call.place, kind, name) }
  }

  const lineOf = (tokens: readonly Token[], span: Span | undefined, { file, line }: SourcePlace): SourcePlace => ({
    file,
    line: (span && tokens[span.from]?.line) ?? line,
  })

  /** The rules of a type, written out: the members of what its function gives. */
  function parts(type: string) {
    const found = given('rules', type)
    if (found === undefined) return undefined
    const { place, tokens, span } = found
    const object = span && objectGiven(tokens, span)
    return { place, tokens, span, members: object === undefined ? new Map<string, Span>() : members(tokens, object) }
  }

  function listed(tokens: readonly Token[], list: Span | undefined, count: number, number: number): Span | undefined {
    if (list === undefined || tokens[list.from]?.text !== '[') return undefined
    const items = between(tokens, list.from)
    // As many as there are, or they are not what stands here.
    return items.length === count ? items[number] : undefined
  }

  return Object.freeze({
    rules(type: string) {
      const found = parts(type)
      return found && lineOf(found.tokens, found.span, found.place)
    },
    clause(type: string, action: string, number: number) {
      const found = parts(type)
      if (found === undefined) return undefined
      const may = found.members.get('may')
      const actions = may && tokensAt(found.tokens, may) === '{' ? members(found.tokens, may.from) : undefined
      const list = actions?.get(action)
      const count = model.types[type]?.rules?.may[action]?.length ?? 0
      const clause = listed(found.tokens, list, count, number)
      return lineOf(found.tokens, clause ?? list ?? may ?? found.span, found.place)
    },
    veto(type: string, number: number) {
      const found = parts(type)
      if (found === undefined) return undefined
      const list = found.members.get('vetoes')
      const veto = listed(found.tokens, list, model.types[type]?.rules?.vetoes.length ?? 0, number)
      return lineOf(found.tokens, veto ?? list ?? found.span, found.place)
    },
    standing(type: string, name: string) {
      const all = calls.filter((one) => one.kind === 'standings' && one.names.includes(type))
      for (const { place } of all) {
        const tokens = tokensIn(place.file)
        const { span } = valueIn(tokens, place, 'standings', type)
        const object = span && objectGiven(tokens, span)
        const found = object === undefined ? undefined : members(tokens, object).get(name)
        if (found !== undefined) return lineOf(tokens, found, place)
      }
      return all[0]?.place
    },
    grant(kind: 'privileges' | 'routines', name: string) {
      const found = given(kind, name)
      return found && lineOf(found.tokens, found.span, found.place)
    },
  })
}

const tokensAt = (tokens: readonly Token[], { from }: Span) => tokens[from]?.text

/** Who made a call: the first of its stack. */
function caller(stack: string): SourcePlace | undefined {
  const [first = ''] = stack.split('\n')
  const [, file, line] = /\(?((?:file:\/\/)?[^\s()][^()]*):(\d+):\d+\)?$/.exec(first.trim().replace(/^at (?:async )?(?:.* \()?/, '')) ?? []
  return file === undefined ? undefined : { file: file.replace(/^file:\/\//, ''), line: Number(line) }
}

/** What a call of this kind gives for a name. */
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
