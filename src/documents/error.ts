import { PachterError } from '../condition/index.js'

/** A condition that no filter document can say. A filter that says something else would show too much or too little. */
export class DocumentError extends PachterError {
  constructor(what: string) {
    super('NOT_EXPRESSIBLE', `${what} cannot be written as a filter document. Evaluate the rule in memory, or write it in another way.`)
  }
}
