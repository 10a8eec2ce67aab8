import type { Row } from 'pachter/internal/condition'
import {
  type Field,
  isKeyField,
  isUnlisted,
  type Key,
  keyFromText,
  knownAction,
  type Model,
  type TypeModel,
  typeModel,
  unknownName,
  unlistedFrom,
} from 'pachter/internal/rulebook'
import { isMap, isSeq, type Node } from 'yaml'
import type { Entry, YamlReader } from './yaml-reader.js'

/** The names that an expectation file may use. */
export interface KnownNames {
  readonly model: Model
  /** The names of the people. */
  readonly people: readonly string[]
  /** The names of people by other texts, such as a search; or what is wrong with the text. */
  readonly drawn?: ReadonlyMap<string, readonly string[] | string>
  /** The keys of the records of a type. */
  keys(type: string): readonly Key[]
}

/** An action on a record, or on records of a type. */
export interface Deed {
  readonly action: string
  readonly type: TypeModel
  readonly key: string | undefined
}

/** Reads the names in nodes: record types, keys, actions, fields with values. */
export class Names {
  readonly #yaml: YamlReader
  readonly #known: KnownNames

  constructor(yaml: YamlReader, known: KnownNames) {
    this.#yaml = yaml
    this.#known = known
  }

  typeOf(node: Node, name = this.#yaml.written(node, 'record type')): TypeModel {
    const { model } = this.#known
    if (Object.hasOwn(model.types, name)) return typeModel(model, name)
    return this.#yaml.fail(node, unknownName('record type', name, Object.keys(model.types)))
  }

  keyOf(node: Node | null, type: TypeModel, text = this.#yaml.written(node, `a key of ${type.name}`)): Key {
    const key = keyFromText(type, text)
    const known = this.#known.keys(type.name)
    return known.includes(key) ? key : this.#yaml.fail(node, unknownName(type.name, text, known.map(String)))
  }

  actionOf(node: Node, type: TypeModel, name: string): string {
    if (type.actions.includes(name)) return knownAction(type, name)
    return this.#yaml.fail(node, unknownName(`action of ${type.name}`, name, type.actions))
  }

  /** A list of fields, "all", "all but rentDue", or "the key alone". */
  fieldsOf(node: Node | null, type: TypeModel): readonly string[] | 'all' {
    const yaml = this.#yaml
    const names = Object.keys(type.fields).filter((name) => !isKeyField(type, name))
    const known = (name: string, at = node): string =>
      names.includes(name) ? name : yaml.fail(at, unknownName(`field of ${type.name}`, name, Object.keys(type.fields)))
    if (isSeq(node)) return yaml.each(node.items as Node[], (one) => known(yaml.written(one, 'a field'), one))
    const text = yaml.written(node, `fields of ${type.name}`)
    if (text === 'all') return 'all'
    if (text === 'the key alone') return []
    const but = text.startsWith('all but ')
    const listed = (but ? text.slice('all but '.length) : text).split(',')
    const said = yaml.each(listed, (name) => known(name.trim()))
    return but ? names.filter((name) => !said.includes(name)) : said
  }

  /** "update plot p-01", in the words of the command line. */
  deed(node: Node): Deed {
    const [, action, typeName, key] = /^(\S+)\s+(\S+)(?:\s(.+))?$/s.exec(this.#yaml.written(node, 'an action')) ?? []
    if (action === undefined || typeName === undefined)
      return this.#yaml.fail(node, 'write action, record type and key, as in "update plot p-01"')
    const type = this.typeOf(node, typeName)
    return { action: this.actionOf(node, type, action), type, key }
  }

  /** Values by field. */
  valuesOf(node: Node | null, type: TypeModel): Row {
    const yaml = this.#yaml
    const fields = Object.keys(type.fields)
    if (!isMap(node)) return yaml.fail(node, `needs fields of ${type.name}, as in { ${fields[1] ?? 'field'}: value }`)
    return Object.fromEntries(
      yaml.each(node.items as Entry[], ({ key, value }) => {
        const name = yaml.written(key, 'a field')
        if (!Object.hasOwn(type.fields, name)) return yaml.fail(key, unknownName(`field of ${type.name}`, name, fields))
        return [name, asHeld(type.fields[name] as Field, value === null ? null : value.toJSON())]
      }),
    )
  }
}

/** A value in the form of its field: YAML has no times, bigints and bytes. */
function asHeld(field: Field, value: unknown): unknown {
  if (isUnlisted(field)) return unlistedFrom(field, value)
  return field.type === 'time' && field.held === 'date' && typeof value === 'string' ? new Date(value) : value
}
