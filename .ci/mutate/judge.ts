import type { Covered } from './reach.js'
import { runTests } from './run-tests.js'
import type { Mutant, Sandbox } from './sandbox.js'

/** The result of a mutant. One that makes the tests run forever counts as killed. */
export type Outcome = 'killed' | 'timeout' | 'survived' | 'not reached'

// Most mutants are killed by one of the quickest tests, so these run first, and the others only if none of them fails.
const FIRST = 5

/** The databases that the code of a file is for. */
function enginesOf(file: string): string {
  if (file.includes('/postgres/')) return 'SQLite,PostgreSQL'
  if (file.includes('/mariadb/')) return 'SQLite,MariaDB'
  return file.startsWith('src/sql/') || file.includes('/backends/') ? 'SQLite,PostgreSQL,MariaDB' : 'SQLite'
}

export async function runMutant(sandbox: Sandbox, mutant: Mutant, { by, took }: Covered): Promise<Outcome> {
  const files = by.get(mutant.id)
  if (files === undefined) return 'not reached'
  const folder = mutant.file.split('/')[1] as string
  const isNear = (file: string) => file.startsWith(`test/${folder}/`)
  // Tests of the same folder before others.
  const inOrder = [...files.filter(isNear), ...files.filter((file) => !isNear(file))]
  const more = { __STRYKER_ACTIVE_MUTANT__: mutant.id, PACHTER_TEST_ENGINES: enginesOf(mutant.file) }
  for (const part of [inOrder.slice(0, FIRST), inOrder.slice(FIRST)]) {
    if (part.length === 0) continue
    const usual = part.reduce((sum, file) => sum + (took.get(file) ?? 0), 0)
    const { status } = await runTests(sandbox.folder, part, more, 20_000 + 2 * usual)
    if (status === null) return 'timeout'
    if (status !== 0) return 'killed'
  }
  return 'survived'
}
