import { comparable, isList, type TermNode, typeOf } from '../condition/index.js'
import { plainObject } from './definition.js'
import { RulebookError, unknownName } from './error.js'
import { isKeyField, serverKey } from './keys.js'
import type { StampNodes, TypeModel, TypeRules } from './model.js'
import type { Field } from './shape.js'
import { literalFor } from './terms.js'

/** Reads the stamps of a record type. @throws RulebookError */
export function readStamps(type: TypeModel, given: unknown, at: string): TypeRules['stamps'] {
  const stamps = plainObject(given ?? {}, `${at}, stamps`, ['create', 'update', 'delete'])
  if (stamps.delete !== undefined && type.removal === undefined)
    throw new RulebookError(`${at}, stamps.delete`, `${type.name} has no removal, so nothing is left to stamp`)
  return Object.freeze({
    create: readOf(type, stamps.create, `${at}, stamps.create`, 'create'),
    update: readOf(type, stamps.update, `${at}, stamps.update`, 'update'),
    ...(stamps.delete === undefined ? {} : { delete: readOf(type, stamps.delete, `${at}, stamps.delete`, 'delete') }),
  })
}

/** Stamps no value: what was there is cleared. */
const EMPTY: TermNode = Object.freeze({ kind: 'literal', type: 'text', value: null })

function canStamp(term: TermNode): boolean {
  switch (term.kind) {
    case 'claim':
    case 'literal':
    case 'now':
      return true
    case 'field':
    case 'forever':
    case 'orElse':
      return false
  }
}

function readOf(type: TypeModel, given: unknown, at: string, action: 'create' | 'update' | 'delete'): StampNodes {
  const nodes: Record<string, TermNode> = {}
  for (const [name, value] of Object.entries(plainObject(given ?? {}, at))) {
    const field = Object.hasOwn(type.fields, name) ? type.fields[name] : undefined
    if (field === undefined) throw new RulebookError(at, unknownName('field', name, Object.keys(type.fields)))
    if (name === serverKey(type)) throw new RulebookError(`${at}.${name}`, 'the key cannot be stamped: the server sets it anyway')
    if (isKeyField(type, name) && action !== 'create')
      throw new RulebookError(`${at}.${name}`, 'a field of the key can be stamped when a record is created only: it never changes')
    if (name === type.removal) throw new RulebookError(`${at}.${name}`, 'the time of removal cannot be stamped: a deletion sets it anyway')
    nodes[name] = value === null ? emptyFor(field, name, at) : stampFor(value, field, `${at}.${name}`)
  }
  return Object.freeze(nodes)
}

function emptyFor(field: Field, name: string, at: string): TermNode {
  if (field.optional) return EMPTY
  throw new RulebookError(`${at}.${name}`, `null cannot be stamped: "${name}" is required by its shape`)
}

function stampFor(value: unknown, field: Field, at: string): TermNode {
  const node = literalFor(value, field, at)
  if (!canStamp(node)) throw new RulebookError(at, 'a stamp has to be a value, a claim or now')
  const theirs = typeOf(node)
  const fits = field.type !== 'group' && field.type !== 'other' && theirs !== 'other' && comparable(theirs, field.type)
  if (fits && isList(node) === (field.list === true)) return node
  throw new RulebookError(
    at,
    `${isList(node) ? 'a list of ' : ''}${theirs} cannot be stamped on ${field.list ? 'a list of ' : ''}${field.type}`,
  )
}
