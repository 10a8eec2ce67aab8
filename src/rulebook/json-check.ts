import {
  type AncestorsNode,
  type ConditionNode,
  claimNodesIn,
  type FieldNode,
  fieldNodesIn,
  type LinkNode,
  type OverNode,
  type PlaceNode,
  presenceNode,
  type RecordsNode,
  type TermNode,
} from '../condition/index.js'
import { conditionFromJson } from '../condition/json.js'
import { sameTerm } from '../condition/same.js'
import { refuseUnguardedNegations } from './absence.js'
import { plainObject } from './definition.js'
import { RulebookError, unknownName } from './error.js'
import type { Model, Roles, TypeModel } from './model.js'
import { roleOf } from './role-condition.js'
import type { Field, Fields } from './shape.js'

/** The fields of a record type, or of the objects in a list. */
export interface FieldOwner {
  readonly name: string
  readonly fields: Fields
  readonly ids: readonly string[]
}

/** Checks that a place exists and has the stated type. */
export function checkPlace(place: PlaceNode | undefined, { name, fields, ids }: FieldOwner, at: string): Field {
  const path = place?.path
  if (!Array.isArray(path) || path.length === 0) throw new RulebookError(at, 'needs a path')
  let known: Fields = fields
  let field: Field | undefined
  for (const step of path) {
    field = Object.hasOwn(known, step) ? known[step] : undefined
    if (field === undefined) throw new RulebookError(at, `${name}: ${unknownName('field', step, Object.keys(known))}`)
    known = field.list ? {} : (field.fields ?? {})
  }
  const { type, list } = field as Field
  const wanted = type === 'group' ? 'other' : type
  const id = wanted === 'text' && path.length === 1 && ids.includes(path[0] as string)
  const fits = place?.type === (id ? 'id' : wanted) && (place?.list === true) === (wanted !== 'other' && list === true)
  if (!fits)
    throw new RulebookError(at, `${name}.${path.join('.')} holds ${list ? 'a list of ' : ''}${id ? 'id' : wanted}, not ${place?.type}`)
  return field as Field
}

export class Checker {
  readonly #types: Model['types']
  readonly #me: FieldOwner & Pick<TypeModel, 'links'>

  constructor(types: Model['types'], me: TypeModel) {
    this.#types = types
    this.#me = { ...me, name: 'me' }
  }

  /** Reads a condition on a record of the type, or on no record. */
  condition(json: unknown, at: string, type: TypeModel | undefined, law?: 'positive'): ConditionNode {
    const node = conditionFromJson(json)
    this.#walk(
      node,
      at,
      new Map(
        type === undefined
          ? []
          : [
              ['record', type],
              ['after', type],
            ],
      ),
    )
    if (law !== undefined) refuseUnguardedNegations(node, at, type?.name ?? 'record')
    return node
  }

  roles(json: unknown): Roles {
    const { term, rows, known } = plainObject(json, 'me.roles', ['term', 'rows', 'known']) as { [word: string]: unknown }
    const names = known === undefined ? {} : { known: rolesKnown(known) }
    if (rows !== undefined) {
      const own = this.condition(rows, 'me.roles', undefined)
      if (own.kind !== 'some' || own.over.kind !== 'records' || !own.over.mine)
        throw new RulebookError('me.roles', 'rows have to be those of me')
      if (!sameTerm(roleOf(own), term as TermNode)) throw new RulebookError('me.roles', 'the term has to be that of the rows')
      return Object.freeze({ term: roleOf(own), rows: own, ...names })
    }
    const node = this.condition({ kind: 'presence', term, present: true }, 'me.roles', undefined) as { term?: TermNode }
    if (node.term?.kind !== 'claim') throw new RulebookError('me.roles', 'must be a claim')
    return Object.freeze({ term: node.term, ...names })
  }

  term(json: unknown, at: string): TermNode {
    return (this.condition({ kind: 'presence', term: json, present: true }, at, undefined) as unknown as { term: TermNode }).term
  }

  #walk(node: ConditionNode, at: string, scope: ReadonlyMap<FieldNode['of'], FieldOwner & Partial<TypeModel>>): void {
    switch (node.kind) {
      case 'allOf':
      case 'anyOf':
        for (const part of node.of) this.#walk(part, at, scope)
        return
      case 'not':
      case 'named':
        return this.#walk(node.of, at, scope)
      case 'some': {
        const inner = this.#over(node.over, at, scope)
        return this.#walk(node.of, at, new Map([...scope, [node.each, inner]]))
      }
      case 'constant':
        return
      case 'compare':
      case 'presence':
      case 'listChange': {
        for (const claim of claimNodesIn(node)) this.#claim(claim, at)
        for (const field of fieldNodesIn(node)) this.#field(field, at, scope)
      }
    }
  }

  #over(over: OverNode, at: string, scope: ReadonlyMap<FieldNode['of'], FieldOwner & Partial<TypeModel>>): FieldOwner & Partial<TypeModel> {
    switch (over.kind) {
      case 'elements': {
        const { fields } = this.#field(over.list, at, scope)
        if (fields === undefined) throw new RulebookError(at, `${over.list.path.join('.')} does not hold objects`)
        return { name: 'it', fields, ids: [] }
      }
      case 'records':
        if (over.mine) this.#mine(over, at)
        return this.#joined(over, at, scope)
      case 'ancestors': {
        const type = this.#joined(over, at, scope)
        this.#link(over.link, type, at)
        for (const place of over.keys) checkPlace(place, type, at)
        const isKey =
          over.keys.map(({ path }) => path.join('.')).join() === (type.keys ?? []).join() && over.self.length === over.keys.length
        if (!isKey) throw new RulebookError(at, `a chain needs the key of ${type.name}, of the records and of the one that it starts at`)
        for (const part of over.self) this.#walk(presenceNode(part, true), at, scope)
        return type
      }
    }
  }

  /** Records of the person must be those of a link of me, because they are read by that link. */
  #mine({ name = '', type, by }: RecordsNode, at: string): void {
    const link = Object.hasOwn(this.#me.links, name) ? this.#me.links[name] : undefined
    const joins = link?.by.map(({ to, from: { ignoringCase: _how, ...from } }) => ({ to, from: { kind: 'claim', ...from } }))
    const bare = by.map(({ to, from }) => ({ to, from: { ...from, optional: undefined, links: undefined } }))
    if (link?.to !== type || !link.many || JSON.stringify(sorted(joins)) !== JSON.stringify(sorted(JSON.parse(JSON.stringify(bare)))))
      throw new RulebookError(at, `me has no such link "${name}" to many ${type}`)
  }

  #joined(over: RecordsNode | AncestorsNode, at: string, scope: ReadonlyMap<FieldNode['of'], FieldOwner & Partial<TypeModel>>): TypeModel {
    const type = Object.hasOwn(this.#types, over.type) ? this.#types[over.type] : undefined
    if (type === undefined) throw new RulebookError(at, unknownName('record type', over.type, Object.keys(this.#types)))
    for (const { to, from } of over.by) {
      checkPlace(to, type, at)
      this.#walk({ kind: 'presence', term: from, present: true }, at, scope)
    }
    return type
  }

  #field(field: FieldNode, at: string, scope: ReadonlyMap<FieldNode['of'], FieldOwner & Partial<TypeModel>>): Field {
    let known = scope.get(field.of)
    if (known === undefined) throw new RulebookError(at, 'uses a record, but there is none here')
    for (const link of field.via ?? []) known = this.#link(link, known, at)
    return checkPlace(field as PlaceNode, known, at)
  }

  /** A link in a condition must be a link of its record type. */
  #link(link: LinkNode, from: FieldOwner & Partial<TypeModel>, at: string): TypeModel {
    const own = from.links !== undefined && Object.hasOwn(from.links, link.name) ? from.links[link.name] : undefined
    const same =
      own !== undefined && !own.many && own.to === link.to && JSON.stringify(sorted(joinOf(own))) === JSON.stringify(sorted(joinOf(link)))
    if (!same) throw new RulebookError(at, `${from.name} has no such link "${link.name}" to one record`)
    return this.#types[link.to] as TypeModel
  }

  #claim({ path, links = 0, ...rest }: Extract<TermNode, { kind: 'claim' }>, at: string): void {
    let known: FieldOwner & Pick<TypeModel, 'links'> = this.#me
    for (const step of path.slice(0, links)) {
      const link = Object.hasOwn(known.links, step) ? known.links[step] : undefined
      if (link === undefined || link.many)
        throw new RulebookError(at, `${known.name}: ${unknownName('link to one record', step, Object.keys(known.links))}`)
      known = this.#types[link.to] as TypeModel
    }
    checkPlace({ ...rest, path: path.slice(links) } as PlaceNode, known, at)
  }
}

/** What decides which record a link leads to. */
function joinOf({ by, removal }: LinkNode): object {
  return removal === undefined ? { by } : { by, removal }
}

export function sorted(value: unknown): unknown {
  if (typeof value !== 'object' || value === null || Array.isArray(value)) return value
  return Object.fromEntries(
    Object.entries(value)
      .sort(([a], [b]) => (a < b ? -1 : 1))
      .map(([name, one]) => [name, sorted(one)]),
  )
}

export function texts(given: unknown, at: string): string[] {
  if (!Array.isArray(given) || given.some((one) => typeof one !== 'string')) throw new RulebookError(at, 'needs a list of names')
  return [...given]
}

export function text(value: unknown, at: string): string {
  if (typeof value !== 'string' || value.trim() === '') throw new RulebookError(at, 'needs a text')
  return value
}

function rolesKnown(known: unknown): readonly (string | number)[] {
  if (Array.isArray(known) && known.every((one) => typeof one === 'string' || Number.isSafeInteger(one))) return known
  throw new RulebookError('me.roles', 'known: needs a list of roles')
}
