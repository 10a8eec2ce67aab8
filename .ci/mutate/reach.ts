import { createHash } from 'node:crypto'
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { filesBelow } from '../files.js'
import { runTests } from './run-tests.js'
import type { Sandbox } from './sandbox.js'

/** Which test files reach a mutant, quickest first, and how long each takes (in milliseconds). */
export interface Covered {
  readonly by: ReadonlyMap<string, readonly string[]>
  readonly took: ReadonlyMap<string, number>
}

/** The cached result: valid as long as neither sources nor tests change. */
const CACHE = fileURLToPath(new URL('../../node_modules/.cache/pachter-mutate.json', import.meta.url))

interface Cached {
  readonly of: string
  readonly reached: readonly (readonly [string, readonly string[]])[]
  readonly took: readonly (readonly [string, number])[]
}

/** Runs every test file on its own without any mutant. Files that fail are left out. */
export async function coverage(sandbox: Sandbox): Promise<Covered> {
  const of = contentsOf(sandbox)
  const { reached, took } = cached(of) ?? (await found(sandbox, of))
  const durations = new Map(took)
  const quickest = (a: string, b: string) => (durations.get(a) ?? 0) - (durations.get(b) ?? 0)
  return { by: new Map(reached.map(([id, files]) => [id, [...files].sort(quickest)])), took: durations }
}

async function found(sandbox: Sandbox, of: string): Promise<Cached> {
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
  const all: Cached = { of, reached: [...reached], took: [...took] }
  mkdirSync(dirname(CACHE), { recursive: true })
  writeFileSync(CACHE, JSON.stringify(all))
  return all
}

function cached(of: string): Cached | undefined {
  try {
    const last = JSON.parse(readFileSync(CACHE, 'utf8')) as Cached
    return last.of === of ? last : undefined
  } catch {
    return undefined
  }
}

/** A hash of everything that the result depends on: sources, tests and available databases. */
function contentsOf({ folder, tests }: Sandbox): string {
  const hash = createHash('sha256').update(tests.join('\n'))
  for (const [name, value] of Object.entries(process.env)) if (name.startsWith('PACHTER_TEST_')) hash.update(`${name}=${value}\n`)
  for (const name of ['src', 'test', 'examples'])
    for (const path of filesBelow(join(folder, name))) hash.update(path.slice(folder.length)).update(readFileSync(path))
  return hash.digest('hex')
}
