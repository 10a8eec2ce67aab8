import { describeOdd } from '../condition/describe.js'
import { PachterError } from '../condition/error.js'
import { nearest } from './nearest.js'

/** A rulebook contains a mistake. `at` is the place: record type, then field, action or clause. */
export class RulebookError extends PachterError {
  readonly at: string

  constructor(at: string, problem: string) {
    super('BAD_RULEBOOK', `${at}: ${problem}`)
    this.at = at
  }
}

/** A record type, action, field or person does not exist. The message suggests the nearest name. */
export class UnknownNameError extends PachterError {
  readonly unknown: string

  constructor(what: string, name: unknown, known: readonly string[], where = '') {
    super('UNKNOWN_NAME', `${where && `${where}: `}${unknownName(what, name, known)}`)
    this.unknown = typeof name === 'string' ? name : describeOdd(name)
  }
}

/** "There is no field "holdrId". Did you mean "holderId"?" */
export function unknownName(what: string, name: unknown, known: readonly string[]): string {
  const shown = describeOdd(name)
  const near = typeof name === 'string' ? nearest(name, known) : undefined
  if (near !== undefined) return `there is no ${what} ${shown}. Did you mean "${near}"?`
  const some = known.slice(0, 12).join(', ')
  return `there is no ${what} ${shown}; there ${known.length === 1 ? 'is' : 'are'} ${some || 'none'}${known.length > 12 ? ', ...' : ''}`
}
