import type { Row } from '../../condition/index.js'
import type { Key } from '../../rulebook/index.js'

/** How much is said of a set: that it is exactly these, that these are in it, or that none of them is. */
export type Extent = 'exactly' | 'at least' | 'none'

/** Where an expectation is written. */
export interface FileLine {
  readonly file: string
  /** From 1. */
  readonly line: number
}

interface About {
  /** A name among the people. */
  readonly person: string
  readonly place?: FileLine
  /** The instant at which it is judged, where it is another than for the rest. */
  readonly at?: Date
}

/** On which records of a type somebody may do an action: which they see, where it is `read`. */
export interface ReachExpectation extends About {
  readonly kind: 'reach'
  readonly action: string
  readonly type: string
  readonly extent: Extent
  readonly keys: readonly Key[] | 'all'
}

/** Which fields of a record somebody sees, or may change; besides the key. */
export interface FieldsExpectation extends About {
  readonly kind: 'fields'
  readonly action: 'read' | 'update'
  readonly type: string
  readonly key: Key
  readonly extent: Extent
  readonly fields: readonly string[] | 'all'
}

/** The ways in which something is refused. `invalid` is what does not fit the record type, for every sender. */
export const REFUSALS = ['sign in', 'not found', 'refused', 'invalid'] as const
/** One of them. */
export type Refusal = (typeof REFUSALS)[number]

/** The result of an action. */
export interface TryExpectation extends About {
  readonly kind: 'try'
  readonly action: string
  readonly type: string
  /** Of the stored record; none for create. */
  readonly key?: Key
  /** The fields that are sent. An update without any is the question whether something may be changed at all. */
  readonly sending?: Row
  /** The routine within which it is done. */
  readonly within?: string
  readonly allowed: boolean
  /** In which way it is refused; any but invalid if left out. */
  readonly as?: Refusal
  /** The words of the refusal. */
  readonly message?: string
  /** Fields that the record has when it is done. */
  readonly giving?: Row
}

/** Whether somebody has a privilege, or may call a routine. */
export interface PrivilegeExpectation extends About {
  readonly kind: 'privilege' | 'routine'
  readonly name: string
  readonly has: boolean
}

/** All that somebody may do to a stored record: these actions and no others. */
export interface AccessExpectation extends About {
  readonly kind: 'access'
  readonly type: string
  readonly key: Key
  readonly actions: readonly string[]
}

/** What somebody is meant to see or be refused, as plain data. */
export type Expectation = ReachExpectation | FieldsExpectation | TryExpectation | PrivilegeExpectation | AccessExpectation

/** The words of an expectation file, for seeing and for changing. */
export const EXTENTS: { readonly [A in 'read' | 'update']: { readonly [E in Extent]: string } } = {
  read: { exactly: 'sees exactly', 'at least': 'sees', none: 'does not see' },
  update: { exactly: 'changes exactly', 'at least': 'changes', none: 'does not change' },
}

/** An expectation in one line, by the words of the files: "ines sees exactly plot: p-01, p-03". */
export function expectationTitle(expectation: Expectation): string {
  const { person } = expectation
  switch (expectation.kind) {
    case 'reach': {
      const { action, type, extent, keys } = expectation
      const said = keys === 'all' ? 'all' : fewOf(keys.map(String)) || 'none'
      if (action === 'read' || action === 'update') return `${person} ${EXTENTS[action][extent]} ${type}: ${said}`
      return `${person} may${extent === 'exactly' ? ' exactly' : extent === 'none' ? ' not' : ''} ${action} ${type}: ${said}`
    }
    case 'fields': {
      const { action, type, key, extent, fields } = expectation
      return `${person} ${EXTENTS[action][extent]}, of ${type} ${key}: ${fields === 'all' ? 'all' : fields.join(', ') || 'the key alone'}`
    }
    case 'try':
      return `${person} ${expectation.allowed ? 'may' : 'is refused'}: ${tryText(expectation)}`
    case 'privilege':
      return `${person} ${expectation.has ? 'has' : 'has not'}: ${expectation.name}`
    case 'routine':
      return `${person} ${expectation.has ? 'may call' : 'may not call'}: ${expectation.name}`
    case 'access':
      return `${person}, ${expectation.type} ${expectation.key}: ${expectation.actions.join(', ') || 'nothing'}`
  }
}

function tryText({ action, type, key, sending, within }: TryExpectation): string {
  const sent = sending === undefined ? '' : ` sending ${Object.keys(sending).join(', ') || 'nothing'}`
  return `${action} ${type}${key === undefined ? '' : ` ${key}`}${sent}${within === undefined ? '' : ` within ${within}`}`
}

function fewOf(names: readonly string[]): string {
  return names.length <= 8 ? names.join(', ') : `${names.slice(0, 7).join(', ')} and ${names.length - 7} more`
}
