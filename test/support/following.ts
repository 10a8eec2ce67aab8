// Follows the files of a project as `pachter review` does, within the tests' own process.
import { createRequire } from 'node:module'
import { join } from 'node:path'
import type { MutantFindings } from 'pachter/internal/review'
import { root } from './command.js'

/** `pachter review`, as far as it follows the files. */
export interface Following {
  project(): string
  findings(): string | undefined
  mutants(): MutantFindings | undefined
  proofs(): string | undefined
  state(): {
    project: number
    findings: number
    mutants: number
    proofs: number
    problem?: string
    weakening?: readonly number[]
    proving?: readonly unknown[]
  }
  subscribe(listener: () => void): () => void
  weaken(): void
  prove(): void
  judged(): Promise<string | undefined>
  close(): Promise<void>
}
interface Options {
  readonly config: string
  readonly db?: string
}
type Tell = (told: object) => void
type Reader = (tell: Tell) => { weaken(): void; prove(): void; stop(): Promise<unknown> }
export const { follow } = (await import(join(root, 'cli/dist/review/following.js'))) as {
  follow: (options: Options, how: { canSave: boolean; reader?: Reader }) => Promise<Following>
}
const { startReading } = (await import(join(root, 'cli/dist/review/reading.js'))) as {
  startReading: (options: Options, canSave: boolean, tell: Tell) => { weaken(): Promise<void>; prove(): Promise<void> }
}

const { cache } = createRequire(import.meta.url)

/** Reads within this thread, which is much quicker than a thread for each time: what was loaded from the folder is forgotten before. */
export const here =
  (options: Options, folder: string): Reader =>
  (tell) => {
    for (const file of Object.keys(cache)) if (file.startsWith(folder)) delete cache[file]
    const { weaken, prove } = startReading(options, true, tell)
    return { weaken, prove, stop: async () => {} }
  }
export const { serveReview } = (await import(join(root, 'cli/dist/review/server.js'))) as {
  serveReview: (reviewed: Following, port: number) => Promise<{ readonly url: string; readonly close: () => Promise<void> }>
}
