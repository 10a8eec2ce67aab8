import { PachterError } from '../condition/index.js'

/** The condition cannot be written exactly as a filter document. Evaluate it in memory, or write the rule in another way. */
export class DocumentError extends PachterError {
  constructor(what: string) {
    super('NOT_EXPRESSIBLE', `${what} cannot be written as a filter document. Evaluate the rule in memory, or write it in another way.`)
  }
}
