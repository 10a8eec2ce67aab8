// What goes between the page and the rules: plain data.
import type { Row } from 'pachter/internal/condition'
import type { ClauseLine, Failing, RuleUse, SourcePlace } from 'pachter/internal/review'
import type { Field, Key } from 'pachter/internal/rulebook'

/** An access matrix as the page draws it. */
export interface Drawn {
  readonly type: string
  readonly people: readonly string[]
  readonly keys: readonly Key[]
  /** What each record is called: a text of its own, or nothing. */
  readonly labels: readonly string[]
  /** The actions that are done to a stored record; the first is `read`. */
  readonly actions: readonly string[]
  /** For each person, for each record: a bit for each action, in their order. */
  readonly cells: readonly Uint16Array[]
  /** For each person, for each record: 1 where some fields only are read. */
  readonly partial: readonly Uint8Array[]
  readonly creates: readonly Creates[]
  /** Records towards which nobody has any standing. */
  readonly unreached: readonly Key[]
}

/** Whether somebody may create records of a type. */
export type Creates = 'always' | 'never' | 'depending'

/** How each cell came to be otherwise, by person and record: 0 not at all, 1 more, 2 less, 3 both. */
export type Changes = readonly Uint8Array[]

/** What is shown of a type: its matrix, and what is otherwise in it by what is tried, or else since the page was opened. */
export interface Shown {
  readonly drawn: Drawn
  readonly changes?: Changes | undefined
}

/** Why somebody may or may not do something, as the page tells it. */
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
    /** What the page calls it among the rules. */
    readonly rule: string
    readonly holds: boolean
    readonly lines: readonly ClauseLine[]
    readonly place: SourcePlace | null
    /** What would have to be otherwise for it to hold. */
    readonly failing: readonly Failing[]
  }
  readonly others: readonly { readonly title: string; readonly holds: boolean; readonly place: SourcePlace | null }[]
  /** Everybody who has a standing towards the record, with what they are to it. */
  readonly standings: readonly { readonly person: string; readonly is: readonly string[] }[]
}

/** A person's list of a type: the records that they see, each with what they see of it. */
export interface Listed {
  readonly fields: readonly string[]
  readonly rows: readonly { readonly key: Key; readonly values: Row; readonly hidden: readonly string[] }[]
  /** How many there are for the system. */
  readonly of: number
}

/** What is tried, and written nowhere. */
export interface Trial {
  /** Records as they would be; null for one that would be gone. */
  readonly records: readonly { readonly type: string; readonly key: Key; readonly record: Row | null }[]
  /** Claims as they would be; somebody new among them. */
  readonly people: readonly { readonly name: string; readonly claims: Row }[]
  /** Clauses and vetoes that would not be there. */
  readonly off: readonly { readonly type: string; readonly title: string; readonly action?: string | undefined }[]
}

/** Something that somebody may do now and could not before, or the other way about. */
export interface Difference {
  readonly type: string
  readonly person: string
  /** None where it is about creating. */
  readonly key?: Key | undefined
  readonly action: string
  readonly gained: boolean
  /** The fields that came to it, or went, where the action itself is as it was. */
  readonly fields?: readonly string[] | undefined
}

/** All that is otherwise. */
export interface Differences {
  readonly gained: number
  readonly lost: number
  /** The first of them, as many as can be looked at one by one. */
  readonly first: readonly Difference[]
}

/** A field of a form: its value as text, as `--set` takes it on the command line. */
export interface FormField {
  readonly name: string
  readonly text: string
  /** There is no value. */
  readonly isMissing: boolean
  readonly field: Field
}

/** A rule with its place. */
/** A privilege or a routine, and who among the people has it. */
export interface GrantShown {
  readonly kind: 'privilege' | 'routine'
  readonly name: string
  readonly meaning: string
  readonly people: readonly string[]
}

export interface RuleShown extends RuleUse {
  readonly place: SourcePlace | null
}

/** Who is what to which record, by person and record: a bit for each standing. */
export interface Standings {
  readonly names: readonly string[]
  readonly bits: readonly Uint32Array[]
}

/** What a rule is called in an address. */
export const ruleId = ({ kind, actions, number }: Pick<RuleShown, 'kind' | 'actions' | 'number'>): string =>
  [kind, ...(kind === 'clause' || kind === 'stamp' ? actions : []), number].join('-')
