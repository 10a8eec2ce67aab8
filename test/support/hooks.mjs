import { randomUUID } from 'node:crypto'
import { rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import fc from 'fast-check'

// What the workers of a run share. They are given it by the process that starts them, which takes it away in the end.
process.env.PACHTER_TEST_SHARED ??= join(tmpdir(), `pachter-run-${randomUUID()}`)

export function mochaGlobalTeardown() {
  rmSync(process.env.PACHTER_TEST_SHARED, { recursive: true, force: true })
}

// The same random cases at every run, so that a change is judged by what it changes. PACHTER_TEST_SEED tries others,
// and so does `npm run agree`, which is where new ones are looked for.
fc.configureGlobal({ seed: Number(process.env.PACHTER_TEST_SEED ?? 20_260_615) })

// Connections to servers would keep the process from ending. Who opens one leaves a way to close it here.
export const mochaHooks = {
  async afterAll() {
    for (const close of globalThis.pachterClosings ?? []) await close()
  },
}
