// The demo world's project, and `pachter review` over it, for tests.
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { accessMatrix, type Expectation, type Project, projectOf } from 'pachter/review'
import { book } from '../../examples/world/rulebook.js'
import { root } from './command.js'
import { expectations, ground, options, records } from './world.js'

type Serving = { readonly url: string; readonly close: () => Promise<void> }

export const project = projectOf(book, {
  canSave: true,
  title: 'pachter.config.ts',
  people: ground.people,
  everyone: {
    type: 'member',
    people: Object.fromEntries(
      (records.member ?? []).map((row) => [
        row.id,
        [{ name: row.id, claims: { id: row.id, email: (row as { email?: string }).email ?? '' } }],
      ]),
    ),
  },
  records,
  now: options.now,
})
export const matrixOf = (type: string) => accessMatrix(book, type, { people: ground.people, records, now: options.now })

/** Serves the project while the tests of a `describe` run, with a folder for what is kept. */
export function reviewSite() {
  const kept = mkdtempSync(join(tmpdir(), 'pachter-kept-'))
  let serving: Serving | undefined
  before(async () => {
    const { serveReview } = (await import(join(root, 'cli/dist/review/server.js'))) as {
      serveReview: (reviewed: unknown, port: number) => Promise<Serving>
    }
    const { unchanging } = (await import(join(root, 'cli/dist/review/reviewed.js'))) as {
      unchanging: (project: Project, keep: (expectations: readonly Expectation[]) => string, findings: object) => object
    }
    const { saveExpectations } = (await import(join(root, 'cli/dist/save-expectations.js'))) as {
      saveExpectations: (where: { readonly expectations: string }, more: readonly Expectation[]) => string
    }
    serving = await serveReview(
      unchanging(project, (more) => saveExpectations({ expectations: kept }, more), {
        expectations: { all: expectations.length, failing: [] },
        written: expectations,
        baseline: 'pachter.baseline.yaml',
      }),
      0,
    )
  })
  after(async () => {
    await serving?.close()
    rmSync(kept, { recursive: true })
  })
  return {
    kept,
    get url(): string {
      return (serving as Serving).url
    },
  }
}
