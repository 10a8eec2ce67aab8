import { PachterError } from 'pachter/internal/condition'

/** The command was called in a way that means nothing, or what it needs is not there. Exit status 2. */
export class UsageError extends PachterError {
  constructor(message: string) {
    super('BAD_USAGE', message)
  }
}

/** Data on disk that cannot be read: says which file, row and field. Exit status 2. */
export class DataError extends PachterError {
  constructor(file: string, problem: string) {
    super('BAD_DATA', `${file}: ${problem}`)
  }
}
