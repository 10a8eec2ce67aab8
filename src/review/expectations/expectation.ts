import type { Row } from '../../condition/index.js'
import type { Key } from '../../rulebook/index.js'

/** The kind of statement about a set: exactly these, at least these, or none of these. */
export type Extent = 'exactly' | 'at least' | 'none'

/** The position of an expectation in a file. */
export interface FileLine {
  readonly file: string
  /** From 1. */
  readonly line: number
}

interface About {
  /** The name of a person. */
  readonly person: string
  readonly place?: FileLine
  /** The time at which it is judged, if different from the rest. */
  readonly at?: Date
}

/** The records of a type on which a person may do an action; for `read`, the records that they see. */
export interface ReachExpectation extends About {
  readonly kind: 'reach'
  readonly action: string
  readonly type: string
  readonly extent: Extent
  readonly keys: readonly Key[] | 'all'
}

/** The fields of a record that a person sees or may change, besides the key. */
export interface FieldsExpectation extends About {
  readonly kind: 'fields'
  readonly action: 'read' | 'update'
  readonly type: string
  readonly key: Key
  readonly extent: Extent
  readonly fields: readonly string[] | 'all'
}

/** The kinds of refusal. `invalid` means that the values do not fit the record type, independent of the sender. */
export const REFUSALS = ['sign in', 'not found', 'refused', 'invalid'] as const
/** One kind of refusal. */
export type Refusal = (typeof REFUSALS)[number]

/** The result of an action. */
export interface TryExpectation extends About {
  readonly kind: 'try'
  readonly action: string
  readonly type: string
  /** The key of the stored record; absent for create. */
  readonly key?: Key
  /** The fields to send. An update without fields asks whether anything may be changed. */
  readonly sending?: Row
  /** The routine within which it is done. */
  readonly within?: string
  readonly allowed: boolean
  /** The expected kind of refusal. Default: any kind except invalid. */
  readonly as?: Refusal
  /** The expected message. */
  readonly message?: string
  /** The expected fields of the record afterwards. */
  readonly giving?: Row
}

/** Whether a person has a privilege, or may call a routine. */
export interface PrivilegeExpectation extends About {
  readonly kind: 'privilege' | 'routine'
  readonly name: string
  readonly has: boolean
}

/** All that a person may do to a stored record: exactly these actions. */
export interface AccessExpectation extends About {
  readonly kind: 'access'
  readonly type: string
  readonly key: Key
  readonly actions: readonly string[]
}

/** What a person should see or be refused, as plain data. */
export type Expectation = ReachExpectation | FieldsExpectation | TryExpectation | PrivilegeExpectation | AccessExpectation

/** The words of expectation files for reading and updating. */
export const EXTENTS: { readonly [A in 'read' | 'update']: { readonly [E in Extent]: string } } = {
  read: { exactly: 'sees exactly', 'at least': 'sees', none: 'does not see' },
  update: { exactly: 'changes exactly', 'at least': 'changes', none: 'does not change' },
}

/** Formats an expectation as one line, in the words of the files: "ines sees exactly plot: p-01, p-03". */
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
