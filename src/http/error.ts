import { PachterError } from '../condition/index.js'

/** The credentials are broken, expired, or meant for another application. The person has to sign in again. It never counts as a visitor. */
export class CredentialError extends PachterError {
  constructor(problem: string, options?: ErrorOptions) {
    super('BAD_CREDENTIALS', problem, options)
  }
}

/** The request is malformed. `status` is its HTTP status, and the message names the part to correct. */
export class RequestError extends PachterError {
  readonly status: number
  readonly headers: Readonly<Record<string, string>>

  constructor(status: number, problem: string, headers: Readonly<Record<string, string>> = {}) {
    super('BAD_REQUEST', problem)
    this.status = status
    this.headers = headers
  }
}

/** An option of the routes is missing or unsafe. The message names the option. */
export class SetupError extends PachterError {
  constructor(at: string, problem: string, cause?: unknown) {
    super('BAD_SETUP', `${at}: ${problem}`, cause === undefined ? {} : { cause })
  }
}
