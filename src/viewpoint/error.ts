import { PachterError } from '../condition/index.js'

/** Something that is no record was handed over as one. */
export class RecordError extends PachterError {
  constructor(type: string, given: unknown) {
    super('BAD_RECORD', `a ${type} is needed, an object with its fields, not ${given === undefined ? 'nothing' : JSON.stringify(given)}`)
  }
}
