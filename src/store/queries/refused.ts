import { PachterError } from '../../condition/index.js'

/** A query of your own has something in it that cannot be guarded. The message names it, and what to write instead. Nothing was asked. */
export class OwnQueryError extends PachterError {
  constructor(problem: string) {
    super('OWN_QUERY', `own queries: ${problem}`)
  }
}

/**
 * The database could not answer a query of your own. `sqlState` is its code for the kind of failure (ISO/IEC 9075), or that of the driver. Its
 * text, which may contain stored values, is only told to `failed` of `queries({ failed })`.
 */
export class QueryFailedError extends PachterError {
  readonly sqlState: string | undefined

  constructor(sqlState: string | undefined) {
    const code = sqlState === undefined ? '' : ` (${sqlState})`
    super('QUERY_FAILED', `the database could not answer this query${code}: pass queries({ failed }) to be told why`)
    this.sqlState = sqlState
  }
}
