import { existsSync, mkdirSync, readFileSync, statSync } from 'node:fs'
import { dirname, join } from 'node:path'
import type { Expectation } from 'pachter/internal/review'
import { shownPath } from './expectations.js'
import { withExpectations } from './files/expectation-text.js'
import type { Loaded } from './load.js'
import { writeWhole } from './write.js'

/** Appends expectations to `saved.yaml` next to the others, or to the only file. Returns the file. @throws UsageError */
export function saveExpectations({ expectations }: Pick<Loaded, 'expectations'>, more: readonly Expectation[]): string {
  const single = existsSync(expectations) ? !statSync(expectations).isDirectory() : /\.ya?ml$/.test(expectations)
  const file = single ? expectations : join(expectations, 'saved.yaml')
  mkdirSync(dirname(file), { recursive: true })
  writeWhole(file, withExpectations(existsSync(file) ? readFileSync(file, 'utf8') : undefined, more))
  return shownPath(file)
}
