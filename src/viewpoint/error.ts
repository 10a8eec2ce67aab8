import { describeOdd, PachterError } from '../condition/index.js'

/** Something that is no record was handed over as one. */
export class RecordError extends PachterError {
  constructor(type: string, given: unknown) {
    super('BAD_RECORD', `expected a ${type}, an object with its fields, not ${describeOdd(given)}`)
  }
}

/** The clock gave no instant, so nothing that depends on the time can be judged. */
export class ClockError extends PachterError {
  constructor() {
    super('BAD_CLOCK', 'the clock returned an invalid Date: check the "now" option of the rulebook or the store')
  }
}
