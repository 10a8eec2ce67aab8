// The plain data that the page and the rules exchange.
import type { Row } from 'pachter/internal/condition'
import type { ClauseLine, Failing, RuleUse, SourcePlace } from 'pachter/internal/review'
import type { Field, Key } from 'pachter/internal/rulebook'

/** An access matrix in the form that the page draws. */
export interface Drawn {
  readonly type: string
  readonly people: readonly string[]
  readonly keys: readonly Key[]
  /** The label of each record, or an empty text. */
  readonly labels: readonly string[]
  /** The actions on a stored record; the first is `read`. */
  readonly actions: readonly string[]
  /** For each person and record: one bit for each action, in their order. */
  readonly cells: readonly Uint16Array[]
  /** For each person and record: 1 if only some fields are read. */
  readonly partial: readonly Uint8Array[]
  readonly creates: readonly Creates[]
  /** Records on which no person has a standing. */
  readonly unreached: readonly Key[]
}

/** Whether a person may create records of a type. */
export type Creates = 'always' | 'never' | 'depending'

/** The change of each cell, by person and record: 0 none, 1 gain, 2 loss, 3 both. */
export type Changes = readonly Uint8Array[]

/** The display of a type: its matrix, and the changes by the trial or since the page was opened. */
export interface Shown {
  readonly drawn: Drawn
  readonly changes?: Changes | undefined
}

/** Why a person may or may not do something, for display. */
export interface Told {
  readonly allowed: boolean
  readonly outcome: string
  readonly message?: string | undefined
  readonly fields?: readonly string[] | undefined
  /** The action whose clauses decided. */
  readonly decidedBy: string
  readonly withheld: readonly {
    readonly kind: string
    readonly title: string
    readonly lines: readonly ClauseLine[]
    readonly place: SourcePlace | null
  }[]
  readonly clause?: {
    readonly title: string
    /** The id of the rule in the page. */
    readonly rule: string
    readonly holds: boolean
    readonly lines: readonly ClauseLine[]
    readonly place: SourcePlace | null
    /** What would have to change for it to hold. */
    readonly failing: readonly Failing[]
  }
  readonly others: readonly { readonly title: string; readonly holds: boolean; readonly place: SourcePlace | null }[]
  /** All people with a standing on the record, and which. */
  readonly standings: readonly { readonly person: string; readonly is: readonly string[] }[]
}

/** A person's list of a type: the visible records with their visible fields. */
export interface Listed {
  readonly fields: readonly string[]
  readonly rows: readonly { readonly key: Key; readonly values: Row; readonly hidden: readonly string[] }[]
  /** The number of records that the system sees. */
  readonly of: number
}

/** A trial, which is never written. */
export interface Trial {
  /** Changed records; null for a deleted one. */
  readonly records: readonly { readonly type: string; readonly key: Key; readonly record: Row | null }[]
  /** Changed claims, including those of new people. */
  readonly people: readonly { readonly name: string; readonly claims: Row }[]
  /** Removed clauses and vetoes. */
  readonly off: readonly { readonly type: string; readonly title: string; readonly action?: string | undefined }[]
}

/** An action that a person gained or lost. */
export interface Difference {
  readonly type: string
  readonly person: string
  /** Absent if it is about create. */
  readonly key?: Key | undefined
  readonly action: string
  readonly gained: boolean
  /** The gained or lost fields, if the action itself did not change. */
  readonly fields?: readonly string[] | undefined
}

/** All changes. */
export interface Differences {
  readonly gained: number
  readonly lost: number
  /** The first changes, as many as a person can read one by one. */
  readonly first: readonly Difference[]
}

/** People of the records that a search found. */
export interface PeopleFound {
  readonly count: number
  readonly first: readonly { readonly key: string; readonly label: string; readonly claims: Row }[]
}

/** A form field: its value as text, in the format of `--set`. */
export interface FormField {
  readonly name: string
  readonly text: string
  /** The field has no value. */
  readonly isMissing: boolean
  readonly field: Field
}

/** A rule and its source position. */
/** A privilege or routine, and who has it. */
export interface GrantShown {
  readonly kind: 'privilege' | 'routine'
  readonly name: string
  readonly meaning: string
  readonly people: readonly string[]
}

export interface RuleShown extends RuleUse {
  readonly place: SourcePlace | null
}

/** The standings by person and record, one bit each. */
export interface Standings {
  readonly names: readonly string[]
  readonly bits: readonly Uint32Array[]
}

/** The id of a rule in an address. */
export const ruleId = ({ kind, actions, number }: Pick<RuleShown, 'kind' | 'actions' | 'number'>): string =>
  [kind, ...(kind === 'clause' || kind === 'stamp' ? actions : []), number].join('-')
