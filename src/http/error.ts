import { PachterError } from '../condition/index.js'

/** Who is asking cannot be believed: the credentials are broken, expired, or meant for somebody else. Never taken for a visitor. */
export class CredentialError extends PachterError {
  constructor(problem: string, options?: ErrorOptions) {
    super('BAD_CREDENTIALS', problem, options)
  }
}

/** A request that means nothing here. `status` is what HTTP calls it. */
export class RequestError extends PachterError {
  readonly status: number
  readonly headers: Readonly<Record<string, string>>

  constructor(status: number, problem: string, headers: Readonly<Record<string, string>> = {}) {
    super('BAD_REQUEST', problem)
    this.status = status
    this.headers = headers
  }
}

/** The routes were set up in a way that means nothing, or that gives something away. */
export class SetupError extends PachterError {
  constructor(at: string, problem: string, cause?: unknown) {
    super('BAD_SETUP', `${at}: ${problem}`, cause === undefined ? {} : { cause })
  }
}
