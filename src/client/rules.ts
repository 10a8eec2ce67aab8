import type { ConditionNode } from '../condition/index.js'

/**
 * A condition as a page has it: specialised for one person, links followed by `some` alone, with `UNDECIDED` where only the
 * server can tell.
 */
export type PageCondition = ConditionNode

/** A clause that can hold for the person. */
export interface PageClause {
  readonly when: PageCondition
  /** The fields that it lets see, send or change, besides the key; all, if left out. */
  readonly fields?: readonly string[]
  /** What has to hold afterwards, where that is something else. */
  readonly afterwards?: PageCondition
  /** Stamped fields that may be sent all the same. */
  readonly overriding?: readonly string[]
}

/** The rules of an action; left out where it never is allowed. */
export interface PageAction {
  readonly clauses: readonly PageClause[]
  /** What must hold besides a clause; nothing, if left out. */
  readonly open?: PageCondition
  /** The gates, of an update: what must hold of the record as it becomes, too. */
  readonly gate?: PageCondition
  /** Closed gates and vetoes, with their words. */
  readonly vetoes?: readonly { readonly when: PageCondition; readonly message: string }[]
  /** Allowed within a routine only: which is the server's business. */
  readonly ask?: true
}

/** A value that the server sets: one that is known, the instant, or one that only the server knows. */
export type PageStamp = { readonly value: unknown } | { readonly now: true } | { readonly ask: true }

/** A record type as the person stands towards it. */
export interface PageType {
  readonly key: string
  readonly fields: readonly string[]
  readonly actions: { readonly [action: string]: PageAction }
  /** What the refused are told. */
  readonly messages?: { readonly [action: string]: string }
  readonly stamps?: { readonly create?: { readonly [field: string]: PageStamp }; readonly update?: { readonly [field: string]: PageStamp } }
}

/** One person's rules, as a page is given them. */
export interface PageRules {
  readonly 'pachter rules': 1
  /** The key of the person; null for a visitor. */
  readonly me: string | number | null
  /** Where people sign in. */
  readonly signIn?: string
  readonly types: { readonly [type: string]: PageType }
  readonly privileges: readonly string[]
  readonly routines: readonly string[]
}
