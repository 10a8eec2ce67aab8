import type { ConditionNode } from '../condition/index.js'

/** A condition in page rules: specialised for one person, links only as `some`, and `UNDECIDED` where only the server can tell. */
export type PageCondition = ConditionNode

/** A clause that may hold for the person. */
export interface PageClause {
  readonly when: PageCondition
  /** The fields that it allows, besides the key. Default: all. */
  readonly fields?: readonly string[]
  /** The condition on the changed record, if it differs. */
  readonly afterwards?: PageCondition
  /** Stamped fields that may be sent anyway. */
  readonly overriding?: readonly string[]
}

/** The rules of an action. Absent if the action is never allowed. */
export interface PageAction {
  readonly clauses: readonly PageClause[]
  /** What must hold besides a clause. Absent if nothing. */
  readonly open?: PageCondition
  /** For an update: the gates, which must also hold on the changed record. */
  readonly gate?: PageCondition
  /** Closed gates and vetoes, with their messages. */
  readonly vetoes?: readonly { readonly when: PageCondition; readonly message: string }[]
  /** Allowed only within a routine, which only the server can run. */
  readonly ask?: true
}

/** A value set by the server: a known value, the current time, or a value that only the server knows. */
export type PageStamp = { readonly value: unknown } | { readonly now: true } | { readonly ask: true }

/** The rules of a record type for one person. */
export interface PageType {
  /** The field of the key, or several. */
  readonly key: string | readonly string[]
  readonly fields: readonly string[]
  readonly actions: { readonly [action: string]: PageAction }
  /** The messages for refused actions. */
  readonly messages?: { readonly [action: string]: string }
  readonly stamps?: { readonly create?: { readonly [field: string]: PageStamp }; readonly update?: { readonly [field: string]: PageStamp } }
}

/** The rules of one person, as sent to a page. */
export interface PageRules {
  readonly 'pachter rules': 1
  /** The key of the person; null for a visitor. */
  readonly me: string | number | null
  /**
   * Who acts as this person, if that is another person: their key, null if nobody has signed in (RFC 8693, section 4.1). In development also the
   * names of people that a page can choose from.
   */
  readonly act?: { readonly sub?: string | number | null; readonly readOnly?: boolean; readonly people?: readonly string[] } | undefined
  /** The sign-in address. */
  readonly signIn?: string
  readonly types: { readonly [type: string]: PageType }
  readonly privileges: readonly string[]
  readonly routines: readonly string[]
}
