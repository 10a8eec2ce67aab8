import { existsSync, readdirSync, readFileSync, statSync } from 'node:fs'
import { join, relative, resolve } from 'node:path'
import type { Expectation, Ground } from 'pachter/internal/review'
import type { DrawnPeople } from './drawn-people.js'
import { UsageError } from './errors.js'
import { readExpectations } from './files/expectation-file.js'
import type { Loaded } from './load.js'

/** The named expectation files, or all in the folder of the configuration. @throws UsageError if one does not exist */
export function expectationFiles({ expectations }: Loaded, named: readonly string[]): string[] {
  const places = named.length > 0 ? named.map((name) => resolve(name)) : existsSync(expectations) ? [expectations] : []
  return places.flatMap((place) => {
    if (!existsSync(place)) throw new UsageError(`the expectation file ${place} does not exist`)
    if (!statSync(place).isDirectory()) return [place]
    return readdirSync(place)
      .filter((name) => /\.ya?ml$/.test(name))
      .sort()
      .map((name) => join(place, name))
  })
}

/** Reads expectation files and reports the errors of all of them before anything is judged. @throws UsageError */
export function expectationsIn(files: readonly string[], ground: Ground, drawn?: DrawnPeople): readonly Expectation[] {
  const problems: string[] = []
  const people = Object.keys(ground.people)
  const found = files.flatMap((file) => {
    try {
      return readExpectations(readFileSync(file, 'utf8'), shownPath(file), {
        model: ground.model,
        people,
        keys: ground.keys,
        ...(drawn === undefined ? {} : { drawn: drawn.named }),
      })
    } catch (error) {
      problems.push(error instanceof Error ? error.message : String(error))
      return []
    }
  })
  if (problems.length > 0) throw new UsageError(problems.join('\n'))
  return found
}

/** A path relative to the working directory. */
export function shownPath(file: string): string {
  return relative(process.cwd(), file) || file
}
