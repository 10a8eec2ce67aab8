import { type ErrorCode, PachterError } from '../condition/index.js'
import { fieldMessage, type Verdict } from '../viewpoint/index.js'

/** An action was refused. `verdict` is the answer, and the message is for the asker. */
export class DeniedError extends PachterError {
  readonly verdict: Verdict

  constructor(code: ErrorCode, verdict: Verdict) {
    super(code, verdict.message ?? verdict.outcome)
    this.verdict = verdict
  }
}

/** Only a signed-in person may do this, on any record. */
export class SignInError extends DeniedError {
  constructor(verdict: Verdict) {
    super('SIGN_IN', verdict)
  }
}

/** The record does not exist, or the asker may not see it. The two cannot be told apart. */
export class NotFoundError extends DeniedError {
  constructor(verdict: Verdict) {
    super('NOT_FOUND', verdict)
  }
}

/** The asker may see the record, but may not do this to it. `fields` names the fields that may not be sent, if that is the only reason. */
export class RefusedError extends DeniedError {
  readonly fields: readonly string[]

  constructor(verdict: Verdict, fields: readonly string[] = []) {
    super('REFUSED', fields.length === 0 ? verdict : { ...verdict, message: fieldMessage(verdict.action, fields) })
    this.fields = fields
  }
}

/** The error of a verdict that allows nothing. */
export function denied(verdict: Verdict): DeniedError {
  if (verdict.outcome === 'sign in') return new SignInError(verdict)
  return verdict.outcome === 'not found' ? new NotFoundError(verdict) : new RefusedError(verdict)
}

/** A fault in one field. */
export interface FieldFault {
  readonly field: string
  readonly problem: string
}

/** The most faults that are listed. Beyond it, only their number is given. */
const MOST_FAULTS = 100

/** The sent values do not fit the record type. Lists the faults by field, at most a hundred. */
export class InvalidError extends PachterError {
  readonly type: string
  readonly faults: readonly FieldFault[]

  constructor(type: string, all: readonly FieldFault[]) {
    const more = all.length - MOST_FAULTS
    const faults = more <= 0 ? all : [...all.slice(0, MOST_FAULTS), { field: '', problem: `and ${more} more` }]
    super(
      'INVALID',
      `This ${type} is not valid: ${faults.map(({ field, problem }) => (field ? `${field}: ${problem}` : problem)).join('; ')}.`,
    )
    this.type = type
    this.faults = faults
  }
}

/** An option of a list, page, count or bulk change is invalid. The message names it. */
export class QueryError extends PachterError {
  constructor(type: string, problem: string) {
    super('BAD_QUERY', `${type}: ${problem}`)
  }
}

/** A stored row does not fit its record type. Correct the row, or the shape. */
export class RowError extends PachterError {
  constructor(type: string, field: string, problem: string) {
    super('BAD_ROW', `a stored ${type} does not fit its record type: ${field}: ${problem}`)
  }
}

/** A record with this key exists already. Only trusted code gets this error. */
export class DuplicateKeyError extends PachterError {
  constructor(type: string, key: string | number) {
    super('DUPLICATE_KEY', `a ${type} with the key ${JSON.stringify(key)} exists already`)
  }
}

/**
 * A constraint of the database forbids the row, such as a unique index. Only trusted code gets this error. Others are refused without a
 * reason, since it could reveal a record that they may not see.
 */
export class ConstraintError extends PachterError {
  constructor(type: string, cause: unknown) {
    super('CONSTRAINT', `the database refused this ${type}: ${cause instanceof Error ? cause.message : String(cause)}`, { cause })
  }
}

/**
 * Rules depend on records that must not exist ("at most three"), and the application's own transaction is not serializable. Begin it as
 * serializable, or let the store begin it.
 */
export class IsolationError extends PachterError {
  constructor() {
    super(
      'ISOLATION',
      'these rules depend on records that must not exist, which needs a serializable transaction, and this transaction is your own: begin it with isolation level serializable, or let the store begin it, by transaction(...). MariaDB reports the level only to users with the PROCESS privilege.',
    )
  }
}

/** The transaction conflicted with others, several times. Nothing was written. Try again. */
export class BusyError extends PachterError {
  constructor(cause: unknown) {
    super('BUSY', 'other writes to the same records got in between, several times. Nothing was written. Try again.', { cause })
  }
}

/**
 * The connection was lost during the commit, so the changes may or may not have been saved. Read the records before you try
 * again.
 */
export class UncertainError extends PachterError {
  constructor(cause: unknown) {
    super(
      'UNCERTAIN',
      `the connection to the database was lost as the transaction ended (${cause instanceof Error ? cause.message : String(cause)}): the changes may or may not have been saved. Read the records before you try again.`,
      { cause },
    )
  }
}

/** An unexpected failure of the database. Nothing was written. `cause` is the original error: for logs, not for the asker. */
export class StoreError extends PachterError {
  constructor(doing: string, cause: unknown) {
    super('STORE_FAILED', `${doing}: ${cause instanceof Error ? cause.message : String(cause)}; nothing was written`, { cause })
  }
}
