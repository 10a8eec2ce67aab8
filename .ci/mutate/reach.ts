import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { runTests } from './run-tests.js'
import type { Sandbox } from './sandbox.js'

/** Which test files reach a mutant, the quickest first, and how long each takes (in milliseconds). */
export interface Covered {
  readonly by: ReadonlyMap<string, readonly string[]>
  readonly took: ReadonlyMap<string, number>
}

/** Runs every test file by itself, without any mutant. One that fails so is left out. */
export async function coverage(sandbox: Sandbox): Promise<Covered> {
  const took = new Map<string, number>()
  const reached = new Map<string, string[]>()
  const waiting = [...sandbox.tests]
  const work = async () => {
    for (let file = waiting.shift(); file !== undefined; file = waiting.shift()) {
      const began = performance.now()
      const list = join(sandbox.folder, `reached-${file.replaceAll('/', '-')}.json`)
      const { status, output } = await runTests(sandbox.folder, [file], { PACHTER_MUTATE_REACHED: list })
      if (status !== 0) {
        console.log(`left out, since it fails without any mutant: ${file}\n${output.slice(-2000)}`)
        continue
      }
      took.set(file, performance.now() - began)
      for (const id of JSON.parse(readFileSync(list, 'utf8')) as string[]) reached.set(id, [...(reached.get(id) ?? []), file])
    }
  }
  await Promise.all([work(), work()])
  const quickest = (a: string, b: string) => (took.get(a) ?? 0) - (took.get(b) ?? 0)
  return { by: new Map([...reached].map(([id, files]) => [id, files.sort(quickest)])), took }
}
