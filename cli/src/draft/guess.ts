// What the tables of a database look like: who the people are, who owns what, what keeps tenants apart. Guesses only: the draft says why.
import type { Draft, DraftField, DraftLink, DraftType } from './draft.js'
import { peopleOf } from './guess-people.js'
import { sharesOf } from './guess-shares.js'
import { tenantOf } from './guess-tenant.js'
import { type Guess, type Guesses, type GuessKind, type Membership, roleField, type Tenant } from './guesses.js'
import {
  ASSIGNEE,
  AUDIT,
  AUTHOR,
  EMAIL,
  PERSON,
  PUBLIC_LABEL,
  PUBLISHED,
  PUBLISHED_AT,
  REMOVED_AT,
  REMOVED_FLAG,
  SECRET,
  STATE,
  VISIBILITY,
} from './words.js'

/** Looks at the record types of a draft. */
export function guessesOf(draft: Draft): Guesses {
  const { types } = draft
  const { people, guess: found } = peopleOf(types)
  const email = people?.fields.find(({ name, column }) => column.kind === 'text' && EMAIL.test(name))?.name
  const tenant = tenantOf(types, people)
  const shared = people === undefined ? [] : sharesOf(types, people, tenant)
  const membership = membershipOf(types, shared, people)
  const owned = types.flatMap((type) => (people === undefined ? [] : personFields(type, people, email, shared)))
  const all = [
    ...(found ?? []),
    ...(tenant === undefined ? [] : tenantGuesses(types, tenant)),
    ...shared,
    ...owned,
    ...parentsOf(types, owned, [...shared.map(({ type }) => type), people?.name, tenant?.type]),
    ...types.flatMap((type) => type.fields.flatMap((field) => fieldGuess(type, field) ?? [])),
    ...(people === undefined ? [] : rolesOfPeople(people)),
  ]
  return { all, people, email, tenant, membership }
}

function tenantGuesses(types: readonly DraftType[], { type, field, except }: Tenant): Guess[] {
  const holders = types.filter(({ name }) => name !== type && !except.includes(name))
  return holders.map(({ name }) => ({
    kind: 'tenant',
    type: name,
    field,
    sure: 'sure',
    why: `${holders.length} of ${types.length} tables have it, and it leads to ${type}`,
  }))
}

function membershipOf(types: readonly DraftType[], shared: readonly Guess[], people: DraftType | undefined): Membership | undefined {
  const guess = shared.find(({ kind }) => kind === 'membership')
  const type = types.find(({ name }) => name === guess?.type)
  const person = type?.links.find((link) => link.to === people?.name && !link.many)
  const role = type && roleField(type)
  if (type === undefined || person === undefined || role === undefined) return undefined
  return { type, person: person.by[0]?.[1] as string, role: role.name }
}

function rolesOfPeople({ name: type, fields }: DraftType): Guess[] {
  return fields.flatMap(({ name, column }): Guess[] => {
    if (/^roles?$/i.test(name) && column.kind === 'text')
      return [{ kind: 'roles', type, field: name, sure: 'sure', why: 'it is called so, in the table of people' }]
    if (/^(is)?(admin|staff|superuser|manager)$/i.test(name) && column.kind === 'boolean')
      return [{ kind: 'roles', type, field: name, sure: 'likely', why: 'it is a flag of people, and called so' }]
    return []
  })
}

/** The fields of a record type that hold a person. */
function personFields(type: DraftType, people: DraftType, email: string | undefined, shared: readonly Guess[]): Guess[] {
  if (shared.some((one) => one.type === type.name) || type.name === people.name) return []
  const byKey = type.links
    .filter((link) => link.to === people.name && !link.many && link.isByKey)
    .flatMap((link) => personGuess(type, link.by[0]?.[1] as string, 'key', `refers to ${people.name}`) ?? [])
  const byEmail =
    email === undefined
      ? []
      : type.fields
          .filter(
            ({ name, column }) => column.kind === 'text' && /e?mail$/i.test(name) && /(assign|owner|author|holder|handler)/i.test(name),
          )
          .flatMap(({ name }) => personGuess(type, name, 'email', 'holds an email address, as people have') ?? [])
  return [...byKey, ...byEmail, ...namedPersons(type, people)]
}

/** Fields that no foreign key tells of, and that are called as the id of a person would be. */
function namedPersons(type: DraftType, people: DraftType): Guess[] {
  const key = people.fields.find(({ name }) => name === people.key[0])?.column
  const isLinked = (field: string) => type.links.some((link) => !link.many && link.by.some(([, mine]) => mine === field))
  return type.fields.flatMap(({ name, column }): Guess[] => {
    if (isLinked(name) || column.kind !== key?.kind || column.labels !== undefined) return []
    const form = column.list ? /^(.+)Ids$/ : /^(.+)(Id|By)$/
    if (!form.test(name) || !PERSON.test(name)) return []
    const guess = personGuess(type, name, column.list ? 'list' : 'key', `is called so, and no foreign key says where it leads`)
    return guess === undefined ? [] : [{ ...guess, sure: 'likely' }]
  })
}

function personGuess({ name: type, fields }: DraftType, field: string, by: 'key' | 'email' | 'list', how: string): Guess | undefined {
  if (AUDIT.test(field)) return undefined
  const column = fields.find(({ name }) => name === field)?.column.name
  const why = `${column} ${how}`
  if (ASSIGNEE.test(field)) return { kind: 'assignee', type, field, by, sure: 'likely', why }
  if (AUTHOR.test(field)) return { kind: 'author', type, field, by, sure: 'likely', why }
  return { kind: 'owner', type, field, by, sure: 'sure', why }
}

/** Record types that have no person of their own, and belong to a record that has an owner. */
function parentsOf(types: readonly DraftType[], owned: readonly Guess[], others: readonly (string | undefined)[]): Guess[] {
  const found: Guess[] = []
  const isOwned = (name: string) =>
    owned.some(({ type, kind }) => type === name && kind === 'owner') || found.some(({ type }) => type === name)
  // A step at a time: the lines of an order, and then what belongs to these.
  for (let before = -1; before < found.length; ) {
    before = found.length
    for (const type of types) {
      if (isOwned(type.name) || others.includes(type.name) || owned.some((one) => one.type === type.name)) continue
      const link = parentLink(type, isOwned)
      if (link !== undefined)
        found.push({
          kind: 'parent',
          type: type.name,
          link: link.name,
          sure: 'likely',
          why: `it refers to ${link.to}, which has an owner, and to no person`,
        })
    }
  }
  return found
}

function parentLink({ links, fields }: DraftType, isOwned: (name: string) => boolean): DraftLink | undefined {
  const isRequired = (link: DraftLink) => link.by.every(([, mine]) => fields.find(({ name }) => name === mine)?.column.nullable === false)
  const possible = links.filter((link) => !link.many && isOwned(link.to) && isRequired(link))
  // Of several, none is sure to be the one that it belongs to.
  return possible.length === 1 ? possible[0] : undefined
}

function fieldGuess({ name: type }: DraftType, { name: field, column }: DraftField): Guess | undefined {
  const guess = (kind: GuessKind, sure: Guess['sure'], why: string): Guess => ({ kind, type, field, sure, why })
  if (SECRET.test(field)) return guess('secret', 'sure', 'its name says that it is not for everyone')
  if (column.list) return undefined
  if (column.kind === 'time' && column.nullable && REMOVED_AT.test(field))
    return guess('removal', 'sure', 'it is a time that may be missing, and called so')
  if (column.kind === 'boolean' && REMOVED_FLAG.test(field)) return guess('removal', 'likely', 'it is a flag, and called so')
  if (column.kind === 'boolean' && PUBLISHED.test(field)) return guess('published', 'likely', 'it is a flag, and called so')
  if (column.kind === 'time' && column.nullable && PUBLISHED_AT.test(field))
    return guess('published', 'likely', 'it is a time that may be missing, and called so')
  if (column.labels?.some((label) => PUBLIC_LABEL.test(label)) && VISIBILITY.test(field))
    return guess('published', 'likely', `one of its values is ${column.labels.find((label) => PUBLIC_LABEL.test(label))}`)
  if (column.kind === 'text' && STATE.test(field)) return guess('state', column.labels === undefined ? 'likely' : 'sure', 'it is called so')
  return undefined
}
