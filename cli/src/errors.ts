import { PachterError } from 'pachter/internal/condition'

/** The command was called with wrong options, or a file that it needs is missing. Exit status 2. */
export class UsageError extends PachterError {
  constructor(message: string) {
    super('BAD_USAGE', message)
  }
}

/** A data file cannot be read. The message names the file, row and field. Exit status 2. */
export class DataError extends PachterError {
  constructor(file: string, problem: string) {
    super('BAD_DATA', `${file}: ${problem}`)
  }
}
