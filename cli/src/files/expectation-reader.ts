import type { Row } from 'pachter/internal/condition'
import { EXTENTS, type Expectation, type Extent, REFUSALS, type Refusal, type TryExpectation } from 'pachter/internal/review'
import type { TypeModel } from 'pachter/internal/rulebook'
import { isMap, isScalar, isSeq, type Node } from 'yaml'
import { type KnownNames, Names } from './expectation-names.js'
import type { Entry, YamlReader } from './yaml-reader.js'

export type { KnownNames } from './expectation-names.js'

const OTHERS = 'everyone else'
const GRANTS = ['has', 'has not', 'may call', 'may not call'] as const
const WORDS = [...Object.values(EXTENTS.read), ...Object.values(EXTENTS.update), 'may exactly', 'may', 'is refused', ...GRANTS] as const

/** The keys that may describe an attempt. */
interface More {
  sending?: Row
  within?: string
  as?: Refusal
  message?: string
  giving?: Row
}

/** Reads the expectations about people, and about one record. */
export class ExpectationReader {
  readonly yaml: YamlReader
  readonly #known: KnownNames
  readonly #names: Names

  constructor(yaml: YamlReader, known: KnownNames) {
    this.yaml = yaml
    this.#known = known
    this.#names = new Names(yaml, known)
  }

  /** The people that a key stands for. */
  peopleOf(key: Node): readonly string[] {
    const { people, drawn } = this.#known
    const found = drawn?.get(this.yaml.written(key, 'person'))
    if (typeof found === 'string') return this.yaml.fail(key, found)
    return found ?? [this.yaml.oneOf(key, people, 'person')]
  }

  /** The expectations of a person under one key. */
  said(person: string, entry: Entry): Expectation[] {
    const { yaml } = this
    const word = yaml.oneOf(entry.key, WORDS, 'word')
    const [action, extent] = extentOf(word) ?? []
    if (action !== undefined && extent !== undefined)
      return yaml.each(yaml.pairs(entry, word), (pair) => this.#reaching(person, action, extent, this.#names.typeOf(pair.key), pair)).flat()
    if (word === 'may exactly') return yaml.each(yaml.pairs(entry, word), (pair) => this.#mayExactly(person, pair)).flat()
    const grant = GRANTS.find((one) => one === word)
    if (grant !== undefined) return yaml.each(yaml.items(entry, word), (node) => this.#granted(person, grant, node))
    return yaml.each(yaml.items(entry, word), (node) => this.#trying(person, word === 'may', node))
  }

  #granted(person: string, word: (typeof GRANTS)[number], node: Node): Expectation {
    const { model } = this.#known
    const kind = word.startsWith('has') ? 'privilege' : 'routine'
    const name = this.yaml.oneOf(node, Object.keys(kind === 'privilege' ? model.privileges : model.routines), kind)
    return { kind, person, name, has: !word.includes('not'), place: this.yaml.placeOf(node) }
  }

  #mayExactly(person: string, pair: Entry): Expectation[] {
    const { action, type, key } = this.#names.deed(pair.key)
    if (key !== undefined) return this.yaml.fail(pair.key, `may exactly: write "${action} ${type.name}: [${key}]"`)
    if (action === 'create') return this.yaml.fail(pair.key, 'create has no record: write it under "may" or "is refused"')
    return this.#reaching(person, action, 'exactly', type, pair)
  }

  #reaching(person: string, action: string, extent: Extent, type: TypeModel, { key, value }: Entry): Expectation[] {
    const { yaml } = this
    const about = { person, action, type: type.name, extent, place: yaml.placeOf(key) } as const
    if (isScalar(value) && (value.value === 'all' || value.value === 'none')) {
      if (value.value === 'none' && extent !== 'exactly') return yaml.fail(value, `none: write it under "${EXTENTS.read.exactly}"`)
      return [{ kind: 'reach', ...about, keys: value.value === 'all' ? 'all' : [] }]
    }
    if (isSeq(value)) return [{ kind: 'reach', ...about, keys: yaml.each(value.items as Node[], (one) => this.#names.keyOf(one, type)) }]
    if (!isMap(value) || (action !== 'read' && action !== 'update')) {
      const orFields = action === 'read' ? ', or keys with fields' : ''
      return yaml.fail(value ?? key, `${type.name}: needs a list of keys, or all, or none${orFields}`)
    }
    const of = yaml.each(value.items as Entry[], ({ key: record, value: names }) => {
      const fields = this.#names.fieldsOf(names, type)
      const found = { person, action, type: type.name, key: this.#names.keyOf(record, type), extent, fields } as const
      return { kind: 'fields', ...found, place: yaml.placeOf(record) } as const
    })
    // A person who does not see some fields may still see the record.
    return extent === 'none' ? of : [{ kind: 'reach', ...about, keys: of.map((one) => one.key) }, ...of]
  }

  #trying(person: string, allowed: boolean, node: Node): TryExpectation {
    const { yaml } = this
    const pair: Entry = isMap(node) ? (node.items[0] as Entry) : ({ key: node, value: null } as Entry)
    if (isMap(node) && node.items.length !== 1) return yaml.fail(node, 'write one action per line')
    const { action, type, key } = this.#names.deed(pair.key)
    if (action === 'create' && key !== undefined) return yaml.fail(pair.key, 'create: the server sets the key. Leave it out.')
    if (action !== 'create' && key === undefined) return yaml.fail(pair.key, `${action} ${type.name}: add the key of the record`)
    const more = this.#more(pair, action, type, allowed)
    if (more.sending !== undefined && action !== 'create' && action !== 'update')
      return yaml.fail(pair.key, `${action}: cannot have "sending"`)
    const about = { kind: 'try', person, action, type: type.name, allowed, place: yaml.placeOf(pair.key) } as const
    return { ...about, ...(key === undefined ? {} : { key: this.#names.keyOf(pair.key, type, key) }), ...more }
  }

  #more(pair: Entry, action: string, type: TypeModel, allowed: boolean): More {
    const { yaml } = this
    if (pair.value === null || (isScalar(pair.value) && pair.value.value === null)) return {}
    if (isScalar(pair.value)) {
      if (allowed) return yaml.fail(pair.value, 'write the sent values under "sending": { sending: { ... } }')
      return { message: yaml.written(pair.value, 'message') }
    }
    const known = allowed ? ['sending', 'within', 'giving'] : ['sending', 'within', 'as', 'message']
    const more: More = {}
    yaml.each(yaml.pairs(pair, action), ({ key: word, value }) => {
      const name = yaml.oneOf<string>(word, known, 'word')
      if (name === 'sending' || name === 'giving') more[name] = this.#names.valuesOf(value, type)
      if (name === 'within') more.within = yaml.oneOf(value, Object.keys(this.#known.model.routines), 'routine')
      if (name === 'as') more.as = yaml.oneOf(value, REFUSALS, 'kind of refusal')
      if (name === 'message') more.message = yaml.written(value, 'message')
    })
    return more
  }

  /** The row of a person in a table of one record: what they may do to it, and nothing else. */
  table(entry: Entry): Expectation[] {
    const { yaml } = this
    const { people } = this.#known
    const [, typeName, keyText] = /^(\S+)\s(.+)$/s.exec(yaml.written(entry.key, 'a table')) ?? []
    if (typeName === undefined) return yaml.fail(entry.key, 'a table needs one record: write its type and key, as in "plot p-01"')
    const type = this.#names.typeOf(entry.key, typeName)
    const key = this.#names.keyOf(entry.key, type, keyText)
    const rows = yaml.pairs(entry, `${typeName} ${keyText}`)
    const named = rows.map((row) => yaml.oneOf(row.key, [...people, OTHERS], 'person'))
    const read = yaml.each(rows, (row) => {
      const actions = this.#actionsIn(row, type)
      const name = named[rows.indexOf(row)] as string
      const who = name === OTHERS ? people.filter((one) => !named.includes(one)) : [name]
      return who.map((person) => ({ kind: 'access' as const, person, type: type.name, key, actions, place: yaml.placeOf(row.key) }))
    })
    return read.flat()
  }

  #actionsIn({ value }: Entry, type: TypeModel): string[] {
    const { yaml } = this
    const nodes = isSeq(value) ? (value.items as Node[]).map((node) => yaml.written(node, 'an action')) : undefined
    const plain = (nodes ?? yaml.written(value, 'actions').split(',')).map((name) => name.trim())
    const isNothing = plain.length === 1 && plain[0] === 'nothing'
    const actions = isNothing ? [] : plain.map((name) => this.#names.actionOf(value as Node, type, name))
    if (actions.includes('create')) return yaml.fail(value, 'create has no record: write it under "may" or "is refused"')
    return actions
  }
}

/** The action and the kind of statement behind words such as "sees exactly". */
function extentOf(word: string): readonly [action: string, extent: Extent] | undefined {
  for (const [action, words] of Object.entries(EXTENTS))
    for (const [extent, one] of Object.entries(words)) if (one === word) return [action, extent as Extent]
  return undefined
}
