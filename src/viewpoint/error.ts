import { describeOdd, PachterError } from '../condition/index.js'

/** A value that should be a record is not an object with fields. */
export class RecordError extends PachterError {
  constructor(type: string, given: unknown) {
    super('BAD_RECORD', `expected a ${type}, an object with its fields, not ${describeOdd(given)}`)
  }
}

/** The `now` option returned an invalid Date, so nothing that depends on the time can be judged. */
export class ClockError extends PachterError {
  constructor() {
    super('BAD_CLOCK', 'the clock returned an invalid Date: check the "now" option of the rulebook or the store')
  }
}
