// Joins the compiled modules of both packages into one file for each entry point, and chunks that they share: Node starts in half the time
// with a few dozen files as with hundreds. The declarations stay as they are.
import { mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { rolldown } from 'rolldown'

const root = fileURLToPath(new URL('../', import.meta.url))

/** Besides its entry points, what starts as a thread or is called by tests. */
const STARTED = ['main.js', 'run.js', 'review/reading-thread.js']
const TESTED = ['review/following.js', 'review/reading.js', 'review/reviewed.js', 'review/server.js', 'save-expectations.js']

async function joinModules(folder, more = []) {
  const { exports, dependencies = {}, peerDependencies = {} } = JSON.parse(readFileSync(join(folder, 'package.json'), 'utf8'))
  const dist = join(folder, 'dist')
  const entries = Object.values(exports).flatMap((one) => (typeof one === 'object' ? [one.default.slice('./dist/'.length)] : []))
  const installed = Object.keys({ ...dependencies, ...peerDependencies }).map((name) => new RegExp(`^${name}(/|$)`))
  const modules = readdirSync(dist, { recursive: true }).filter((file) => file.endsWith('.js') && !file.startsWith('page/'))
  const build = await rolldown({
    input: Object.fromEntries([...entries, ...more].map((file) => [file.replace(/\.js$/, ''), join(dist, file)])),
    external: [/^node:/, ...installed],
    platform: 'node',
    treeshake: { moduleSideEffects: false },
  })
  // Chunks are at the top, so that addresses relative to a module at the top hold for them too.
  const { output } = await build.generate({ format: 'es', entryFileNames: '[name].js', chunkFileNames: 'chunk-[name].js' })
  for (const file of modules) rmSync(join(dist, file))
  for (const { fileName, code } of output) {
    mkdirSync(dirname(join(dist, fileName)), { recursive: true })
    writeFileSync(join(dist, fileName), code)
  }
}

await joinModules(root)
await joinModules(join(root, 'cli'), [...STARTED, ...TESTED])
