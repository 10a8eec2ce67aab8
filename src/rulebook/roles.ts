import {
  allOfNode,
  type ConditionNode,
  type FieldNode,
  presenceNode,
  type SomeNode,
  someNode,
  type TermNode,
  TRUE,
} from '../condition/nodes.js'
import { onLinked } from '../condition/removal.js'
import { noLeftovers } from './build-context.js'
import { meTerms } from './callback-args.js'
import { useCondition } from './conditions.js'
import { RulebookError } from './error.js'
import { type LinkModel, placesOf } from './links.js'
import type { MeModel, Model, Roles, TypeModel } from './model.js'
import { termNode } from './node.js'
import { finished } from './normalize.js'
import { mineOf, recordTerms } from './record-terms.js'
import { roleOf } from './role-condition.js'
import type { Field, Fields } from './shape.js'
import { newEach } from './terms.js'

type Me = Pick<MeModel, 'fields' | 'links' | 'key'>
type Types = Model['types']
const AT = 'me.roles'

/** Reads where the roles are: in a claim, or in the person's own rows. @throws RulebookError */
export function readRoles(given: unknown, me: Me, types: Types): Roles | undefined {
  if (given !== undefined && typeof given !== 'function') throw new RulebookError(AT, 'needs a function: (me) => me.roles')
  const rows = new Map<number, { readonly link: LinkModel; readonly of: ConditionNode }>()
  const terms = meTerms(me, types, (link) => ({ where: (fits: unknown) => rowsWhere(types, link, fits, rows) })) as Record<string, unknown>
  const usual = ['roles', 'role'].find((name) => Object.hasOwn(me.fields, name))
  if (given === undefined) {
    const term = termNode(usual && terms[usual])
    return term?.kind === 'claim' && term.type === 'text' ? rolesAt(term, me, types) : undefined
  }
  return noLeftovers(
    AT,
    () => (given as (me: unknown) => unknown)(terms),
    (result) => {
      const term = termNode(result)
      const found = term?.kind === 'field' ? rows.get(term.of as number) : undefined
      if (term === undefined || (term.kind !== 'claim' && found === undefined))
        throw new RulebookError(
          AT,
          'must return a claim, as in (me) => me.roles, or a field of own rows: (me) => me.memberships.where(...).role',
        )
      if (term.kind === 'field' && found !== undefined) return rolesIn(term, found, types)
      if (!isRole(term)) throw new RulebookError(AT, 'roles have to be texts or whole numbers')
      return rolesAt(term as TermNode & { kind: 'claim' }, me, types)
    },
  )
}

function isRole(term: TermNode): boolean {
  switch (term.kind) {
    case 'claim':
    case 'field':
      return term.type === 'text' || term.type === 'id' || term.type === 'integer'
    case 'literal':
    case 'now':
    case 'forever':
    case 'orElse':
      return false
  }
}

function rowsWhere(types: Types, link: LinkModel, fits: unknown, rows: Map<number, { link: LinkModel; of: ConditionNode }>): object {
  const each = newEach()
  const record = recordTerms(types, types[link.to] as TypeModel, each)
  if (fits !== undefined && typeof fits !== 'function')
    throw new RulebookError(AT, `${link.name}.where(...) takes a function: (one) => one.field.is(...)`)
  const of = fits === undefined ? TRUE : useCondition((fits as (one: object) => unknown)(record), 'where')
  rows.set(each, { link, of })
  return record
}

function rolesAt(term: TermNode & { kind: 'claim' }, me: Me, types: Types): Roles {
  return withKnown({ term }, claimField(me, types, term.path))
}

/** Roles in the person's own rows. */
function rolesIn(term: FieldNode, { link, of }: { readonly link: LinkModel; readonly of: ConditionNode }, types: Types): Roles {
  if (!isRole(term)) throw new RulebookError(AT, 'roles have to be texts or whole numbers')
  const each = term.of as number
  const owner = types[link.to] as TypeModel
  const removal = owner.removal === undefined ? undefined : placesOf(owner)(owner.removal)
  const there = onLinked(removal === undefined ? {} : { removal }, each, of)
  const rows = finished(someNode(each, mineOf(link), allOfNode([there, presenceNode(term, true)])), AT) as SomeNode
  const last = (term.via ?? []).at(-1)
  return withKnown({ term: roleOf(rows), rows }, fieldAt((last === undefined ? owner : (types[last.to] as TypeModel)).fields, term.path))
}

function withKnown(roles: Roles, field: Field | undefined): Roles {
  const known = field?.values?.filter((value) => typeof value !== 'boolean')
  return Object.freeze({ ...roles, ...(known && known.length > 0 ? { known } : {}) })
}

/** The field that a claim is read from: among the claims, or in a record linked to them. */
function claimField(me: Pick<MeModel, 'fields' | 'links'>, types: Types, [first = '', ...rest]: readonly string[]): Field | undefined {
  const link = me.links[first]
  if (link !== undefined) return claimField(types[link.to] as TypeModel, types, rest)
  return fieldAt(me.fields, [first, ...rest])
}

function fieldAt(fields: Fields, path: readonly string[]): Field | undefined {
  const [name, ...rest] = path
  const field = name === undefined ? undefined : fields[name]
  return rest.length === 0 ? field : fieldAt(field?.fields ?? {}, rest)
}
