// What a draft assumes of the tables of a database.
import type { DraftField, DraftType } from './draft.js'

/** What a table or column looks like. */
export type GuessKind =
  | 'people'
  | 'owner'
  | 'author'
  | 'assignee'
  | 'parent'
  | 'tenant'
  | 'membership'
  | 'roles'
  | 'share'
  | 'published'
  | 'state'
  | 'removal'
  | 'secret'

/** A guess about a record type, or one of its fields. */
export interface Guess {
  readonly kind: GuessKind
  readonly type: string
  readonly field?: string
  readonly sure: 'sure' | 'likely' | 'unsure'
  /** The reason, as part of a sentence: `it is called user_id and refers to account`. */
  readonly why: string
  /** Of owners, authors and assignees: how the field holds the person. */
  readonly by?: 'key' | 'email' | 'list'
  /** Of parents: the link to the record whose owner counts. Of shares and memberships: the link to what is shared. */
  readonly link?: string
}

/** Everything that the draft assumes. */
export interface Guesses {
  readonly all: readonly Guess[]
  /** The record type of the people, if there seems to be one. */
  readonly people: DraftType | undefined
  /** The field of a person's record with their email address. */
  readonly email: string | undefined
  readonly tenant: Tenant | undefined
  readonly membership: Membership | undefined
}

/** What keeps tenants apart. */
export interface Tenant {
  /** The record type of tenants. */
  readonly type: string
  /** The field that holds the tenant's key, in most record types. */
  readonly field: string
  /** The record types without that field. */
  readonly except: readonly string[]
  /** The person's record has the field too. Otherwise the session says for which tenant the person acts. */
  readonly isOfPerson: boolean
}

/** Rows that give people roles. */
export interface Membership {
  readonly type: DraftType
  /** The field with the person's key. */
  readonly person: string
  readonly role: string
}

/** The field that says which role a person has. */
export function roleField({ fields }: DraftType): DraftField | undefined {
  return fields.find(
    ({ name, column }) => column.kind === 'text' && column.list !== true && /^(role|position|rank|function|level)(name|kind)?$/i.test(name),
  )
}
