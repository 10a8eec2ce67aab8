import { comparable, isList, type TermNode, typeOf } from '../condition/index.js'
import { plainObject } from './definition.js'
import { RulebookError, unknownName } from './error.js'
import type { StampNodes, TypeModel, TypeRules } from './model.js'
import { literalFor } from './terms.js'

/** Reads the stamps of a record type. @throws RulebookError */
export function readStamps(type: TypeModel, given: unknown, at: string): TypeRules['stamps'] {
  const stamps = plainObject(given ?? {}, `${at}, stamps`, ['create', 'update'])
  return Object.freeze({
    create: readOf(type, stamps.create, `${at}, stamps.create`),
    update: readOf(type, stamps.update, `${at}, stamps.update`),
  })
}

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

function readOf(type: TypeModel, given: unknown, at: string): StampNodes {
  const nodes: Record<string, TermNode> = {}
  for (const [name, value] of Object.entries(plainObject(given ?? {}, at))) {
    const field = Object.hasOwn(type.fields, name) ? type.fields[name] : undefined
    if (field === undefined) throw new RulebookError(at, unknownName('field', name, Object.keys(type.fields)))
    if (name === type.key) throw new RulebookError(`${at}.${name}`, 'the key cannot be stamped: the server sets it anyway')
    if (value === null)
      throw new RulebookError(
        `${at}.${name}`,
        `null cannot be stamped, since a stamp without a value refuses the write. To clear "${name}", let a clause change it.`,
      )
    const node = literalFor(value, field, `${at}.${name}`)
    if (!canStamp(node)) throw new RulebookError(`${at}.${name}`, 'a stamp has to be a value, a claim or now')
    const theirs = typeOf(node)
    if (
      field.type === 'group' ||
      field.type === 'other' ||
      theirs === 'other' ||
      !comparable(theirs, field.type) ||
      isList(node) !== (field.list === true)
    ) {
      throw new RulebookError(
        `${at}.${name}`,
        `${isList(node) ? 'a list of ' : ''}${theirs} cannot be stamped on ${field.list ? 'a list of ' : ''}${field.type}`,
      )
    }
    nodes[name] = node
  }
  return Object.freeze(nodes)
}
