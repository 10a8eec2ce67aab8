import { PachterError } from '../condition/index.js'

/** A condition that no filter document can say. A filter that says something else would show too much or too little. */
export class DocumentError extends PachterError {
  constructor(what: string) {
    super('NOT_EXPRESSIBLE', `${what} cannot be said by a filter document: ask about each record in memory, or say the rule otherwise`)
  }
}
