import { PachterError } from 'pachter/internal/condition'
import type { FileLine } from 'pachter/internal/review'

/** An expectation file contains a mistake. The message names the file and line. */
export class ExpectationFileError extends PachterError {
  readonly place: FileLine
  /** Every mistake that was found, in the order of the file. */
  readonly mistakes: readonly Mistake[]

  constructor(mistakes: readonly Mistake[]) {
    super('BAD_EXPECTATION', mistakes.map(({ place, problem }) => `${place.file}, line ${place.line}: ${problem}`).join('\n'))
    this.place = (mistakes[0] as Mistake).place
    this.mistakes = mistakes
  }
}

/** An error at one place of an expectation file. */
export interface Mistake {
  readonly place: FileLine
  readonly problem: string
}
