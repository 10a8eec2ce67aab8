import { instant, PachterError, type Row } from 'pachter/internal/condition'
import { EXTENTS, type Expectation, type Extent, type Place, REFUSALS, type Refusal, type TryExpectation } from 'pachter/internal/review'
import { type Field, type Key, knownAction, type Model, type TypeModel, typeModel, unknownName } from 'pachter/internal/rulebook'
import { isMap, isScalar, isSeq, LineCounter, type Node, type Pair, parseDocument, type Scalar, type YAMLMap } from 'yaml'

/** An expectation file says something that cannot be meant. */
export class ExpectationFileError extends PachterError {
  readonly place: Place
  /** Every mistake that was found, in the order of the file. */
  readonly mistakes: readonly Mistake[]

  constructor(mistakes: readonly Mistake[]) {
    super('BAD_EXPECTATION', mistakes.map(({ place, problem }) => `${place.file}, line ${place.line}: ${problem}`).join('\n'))
    this.place = (mistakes[0] as Mistake).place
    this.mistakes = mistakes
  }
}

/** What is wrong at one place of an expectation file. */
export interface Mistake {
  readonly place: Place
  readonly problem: string
}

/** What names in an expectation file may mean. */
export interface Known {
  readonly model: Model
  /** The names of the people. */
  readonly people: readonly string[]
  /** The keys of the records of a type. */
  keys(type: string): readonly Key[]
}

const VERSION = 1
const HEAD = 'pachter expectations'
const OTHERS = 'everyone else'
const WORDS = [
  ...Object.values(EXTENTS.read),
  ...Object.values(EXTENTS.update),
  'may exactly',
  'may',
  'is refused',
  'has',
  'has not',
  'may call',
  'may not call',
] as const

/** Reads an expectation file: YAML 1.2. @throws ExpectationFileError with every mistake, its file and line, and the nearest name that there is */
export function readExpectations(text: string, file: string, known: Known): readonly Expectation[] {
  const lines = new LineCounter()
  const document = parseDocument(text, { lineCounter: lines, uniqueKeys: true })
  const [error] = document.errors
  if (error !== undefined) {
    const problem = (error.message.split('\n')[0] as string).replace(/ at line.*/, '')
    throw new ExpectationFileError([{ place: { file, line: error.linePos?.[0].line ?? 1 }, problem }])
  }
  const reader = readerOf(file, lines, known)
  const root = document.contents as Node | null
  const version = isMap(root) ? root.get(HEAD) : undefined
  if (!isMap(root) || version !== VERSION) return reader.fail(root, `begin with "${HEAD}: ${VERSION}"`)
  const expectations: Expectation[] = []
  let at: Date | undefined
  const each = reader.each
  each(root.items as Entry[], (pair) => {
    const name = reader.oneOf(pair.key, [HEAD, 'at', 'people', 'tables'], 'word')
    if (name === 'at') {
      const time = instant(isScalar(pair.value) ? pair.value.value : undefined)
      if (time === undefined) return reader.fail(pair.value ?? pair.key, 'at: an instant is needed, as in 2026-06-15T09:00:00Z')
      at = new Date(time)
    }
    if (name === 'people')
      each(reader.pairs(pair, 'people'), (one) => {
        const person = reader.oneOf(one.key, known.people, 'person')
        return each(reader.pairs(one, person), (word) => void expectations.push(...reader.said(person, word)))
      })
    if (name === 'tables') each(reader.pairs(pair, 'tables'), (one) => void expectations.push(...reader.table(one)))
  })
  if (reader.mistakes.length > 0) throw new ExpectationFileError(reader.mistakes)
  return Object.freeze(expectations.map((one) => Object.freeze(at === undefined ? one : { ...one, at })))
}

type Entry = Pair<Node, Node | null>

function readerOf(file: string, lines: LineCounter, { model, people, keys }: Known) {
  const lineOf = (node: Node | null | undefined) => (node?.range ? lines.linePos(node.range[0]).line : 1)
  const placeOf = (node: Node | null | undefined): Place => ({ file, line: lineOf(node) })
  const fail = (node: Node | null | undefined, problem: string): never => {
    throw new ExpectationFileError([{ place: placeOf(node), problem }])
  }
  const mistakes: Mistake[] = []
  /** Reads one after the other; what is wrong with one is noted, and the others are read all the same. */
  const each = <T, R>(all: readonly T[], read: (one: T) => R): R[] =>
    all.flatMap((one) => {
      try {
        return [read(one)]
      } catch (error) {
        if (!(error instanceof ExpectationFileError)) throw error
        mistakes.push(...error.mistakes)
        return []
      }
    })
  /** What was written, as it was written: a key of digits stays what it is. */
  const written = (node: Node | null, what: string): string => {
    if (!isScalar(node) || node.value === null) return fail(node, `${what}: a name is needed`)
    return typeof node.value === 'string' ? node.value : ((node as Scalar).source ?? String(node.value))
  }
  const oneOf = <N extends string>(node: Node | null, names: readonly N[], what: string): N => {
    const name = written(node, what)
    return names.includes(name as N) ? (name as N) : fail(node, unknownName(what, name, names))
  }
  const pairs = ({ key, value }: Entry, what: string): Entry[] =>
    isMap(value) ? ((value as YAMLMap).items as Entry[]) : fail(value ?? key, `${what}: needs entries of its own, as in name: value`)
  const items = ({ key, value }: Entry, what: string): Node[] =>
    isSeq(value) ? (value.items as Node[]) : fail(value ?? key, `${what}: a list is needed`)

  const typeOf = (node: Node, name = written(node, 'record type')): TypeModel =>
    Object.hasOwn(model.types, name) ? typeModel(model, name) : fail(node, unknownName('record type', name, Object.keys(model.types)))

  const keyOf = (node: Node | null, type: TypeModel, text = written(node, `a key of ${type.name}`)): Key => {
    const key = type.fields[type.key]?.type === 'integer' ? Number(text) : text
    const known = keys(type.name)
    return known.includes(key) ? key : fail(node, unknownName(type.name, text, known.map(String)))
  }
  const actionOf = (node: Node, type: TypeModel, name: string): string =>
    type.actions.includes(name) ? knownAction(type, name) : fail(node, unknownName(`action of ${type.name}`, name, type.actions))

  /** Which fields: a list of them, "all", "all but rentDue", or "the key alone". */
  const fieldsOf = (node: Node | null, type: TypeModel): readonly string[] | 'all' => {
    const names = Object.keys(type.fields).filter((name) => name !== type.key)
    const known = (name: string, at = node): string =>
      names.includes(name) ? name : fail(at, unknownName(`field of ${type.name}`, name, Object.keys(type.fields)))
    if (isSeq(node)) return each(node.items as Node[], (one) => known(written(one, 'a field'), one))
    const text = written(node, `fields of ${type.name}`)
    if (text === 'all') return 'all'
    if (text === 'the key alone') return []
    const but = text.startsWith('all but ')
    const listed = (but ? text.slice('all but '.length) : text).split(',')
    const said = each(listed, (name) => known(name.trim()))
    return but ? names.filter((name) => !said.includes(name)) : said
  }

  /** "update plot p-01", by the same words as the command line. */
  const deed = (node: Node): { action: string; type: TypeModel; key: string | undefined } => {
    const [, action, typeName, key] = /^(\S+)\s+(\S+)(?:\s(.+))?$/s.exec(written(node, 'an action')) ?? []
    if (action === undefined || typeName === undefined) return fail(node, 'write action, record type and key, as in "update plot p-01"')
    const type = typeOf(node, typeName)
    return { action: actionOf(node, type, action), type, key }
  }

  function reaching(person: string, action: string, extent: Extent, type: TypeModel, { key, value }: Entry): Expectation[] {
    const about = { person, action, type: type.name, extent, place: placeOf(key) } as const
    if (isScalar(value) && (value.value === 'all' || value.value === 'none')) {
      if (value.value === 'none' && extent !== 'exactly') return fail(value, `none: write it under "${EXTENTS.read.exactly}"`)
      return [{ kind: 'reach', ...about, keys: value.value === 'all' ? 'all' : [] }]
    }
    if (isSeq(value)) return [{ kind: 'reach', ...about, keys: each(value.items as Node[], (one) => keyOf(one, type)) }]
    if (!isMap(value) || (action !== 'read' && action !== 'update'))
      return fail(
        value ?? key,
        `${type.name}: a list of keys is needed, or all, or none${action === 'read' ? ', or keys with fields' : ''}`,
      )
    const of = each(value.items as Entry[], ({ key: record, value: names }) => {
      const found = { person, action, type: type.name, key: keyOf(record, type), extent, fields: fieldsOf(names, type) } as const
      return { kind: 'fields', ...found, place: placeOf(record) } as const
    })
    // Who is told that some fields are hidden may well see the record.
    return extent === 'none' ? of : [{ kind: 'reach', ...about, keys: of.map((one) => one.key) }, ...of]
  }

  function valuesOf(node: Node | null, type: TypeModel): Row {
    if (!isMap(node)) return fail(node, `fields of ${type.name} are needed, as in { ${Object.keys(type.fields)[1] ?? 'field'}: value }`)
    return Object.fromEntries(
      each(node.items as Entry[], ({ key, value }) => {
        const name = written(key, 'a field')
        if (!Object.hasOwn(type.fields, name)) return fail(key, unknownName(`field of ${type.name}`, name, Object.keys(type.fields)))
        return [name, asHeld(type.fields[name] as Field, value === null ? null : value.toJSON())]
      }),
    )
  }

  function trying(person: string, allowed: boolean, node: Node): TryExpectation {
    const pair: Entry = isMap(node) ? (node.items[0] as Entry) : ({ key: node, value: null } as Entry)
    if (isMap(node) && node.items.length !== 1) return fail(node, 'one action for each line of the list')
    const { action, type, key } = deed(pair.key)
    if (action === 'create' && key !== undefined) return fail(pair.key, 'create: the key comes from the server: leave it out')
    if (action !== 'create' && key === undefined) return fail(pair.key, `${action} ${type.name}: of which record? Add its key`)
    const more: { sending?: Row; within?: string; as?: Refusal; saying?: string; giving?: Row } = {}
    if (isScalar(pair.value) && pair.value.value !== null) {
      if (allowed) return fail(pair.value, 'what is sent needs a name: { sending: { ... } }')
      more.saying = written(pair.value, 'saying')
    } else if (pair.value !== null && !isScalar(pair.value))
      each(pairs(pair, action), ({ key: word, value }) => {
        const known = allowed ? (['sending', 'within', 'giving'] as const) : (['sending', 'within', 'as', 'saying'] as const)
        const name = oneOf<string>(word, known, 'word')
        if (name === 'sending' || name === 'giving') more[name] = valuesOf(value, type)
        if (name === 'within') more.within = oneOf(value, Object.keys(model.routines), 'routine')
        if (name === 'as') more.as = oneOf(value, REFUSALS, 'way of refusing')
        if (name === 'saying') more.saying = written(value, 'saying')
      })
    if (more.sending !== undefined && action !== 'create' && action !== 'update')
      return fail(pair.key, `${action}: nothing is sent with it`)
    const about = { kind: 'try', person, action, type: type.name, allowed, place: placeOf(pair.key) } as const
    return { ...about, ...(key === undefined ? {} : { key: keyOf(pair.key, type, key) }), ...more }
  }

  function said(person: string, entry: Entry): Expectation[] {
    const word = oneOf(entry.key, WORDS, 'word')
    for (const [action, words] of Object.entries(EXTENTS))
      for (const [extent, one] of Object.entries(words))
        if (one === word)
          return each(pairs(entry, word), (pair) => reaching(person, action, extent as Extent, typeOf(pair.key), pair)).flat()
    if (word === 'may exactly')
      return each(pairs(entry, word), (pair) => {
        const { action, type, key } = deed(pair.key)
        if (key !== undefined) return fail(pair.key, `may exactly: write "${action} ${type.name}: [${key}]"`)
        if (action === 'create') return fail(pair.key, 'create belongs to no record: write it under "may" or "is refused"')
        return reaching(person, action, 'exactly', type, pair)
      }).flat()
    if (word === 'has' || word === 'has not' || word === 'may call' || word === 'may not call')
      return each(items(entry, word), (node) => {
        const kind = word.startsWith('has') ? 'privilege' : 'routine'
        const name = oneOf(node, Object.keys(kind === 'privilege' ? model.privileges : model.routines), kind)
        return { kind, person, name, has: word === 'has' || word === 'may call', place: placeOf(node) }
      })
    return each(items(entry, word), (node) => trying(person, word === 'may', node))
  }

  /** The row of everybody in a table of one record: what they may do to it, and nothing else. */
  function table(entry: Entry): Expectation[] {
    const [, typeName, keyText] = /^(\S+)\s(.+)$/s.exec(written(entry.key, 'a table')) ?? []
    if (typeName === undefined) return fail(entry.key, 'a table is of one record: write its type and key, as in "plot p-01"')
    const type = typeOf(entry.key, typeName)
    const key = keyOf(entry.key, type, keyText)
    const rows = pairs(entry, `${typeName} ${keyText}`)
    const named = rows.map((row) => oneOf(row.key, [...people, OTHERS], 'person'))
    return each(rows, (row) => {
      const at = rows.indexOf(row)
      const nodes = isSeq(row.value) ? (row.value.items as Node[]).map((node) => written(node, 'an action')) : undefined
      const text = nodes ?? written(row.value, 'actions').split(',')
      const plain = text.map((name) => name.trim())
      const actions = plain.length === 1 && plain[0] === 'nothing' ? [] : plain.map((name) => actionOf(row.value as Node, type, name))
      if (actions.includes('create')) return fail(row.value, 'create belongs to no record: write it under "may" or "is refused"')
      const who = named[at] === OTHERS ? people.filter((name) => !named.includes(name)) : [named[at] as string]
      return who.map((person) => ({ kind: 'access' as const, person, type: type.name, key, actions, place: placeOf(row.key) }))
    }).flat()
  }

  return { fail, each, mistakes, oneOf, pairs, said, table }
}

/** A value as the shape of the field has it: YAML knows no times. */
function asHeld(field: Field, value: unknown): unknown {
  return field.type === 'time' && field.held === 'date' && typeof value === 'string' ? new Date(value) : value
}
