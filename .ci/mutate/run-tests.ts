import { spawn } from 'node:child_process'
import { fileURLToPath } from 'node:url'

const HOOKS = fileURLToPath(new URL('./hooks.mjs', import.meta.url))
const MOCHA = fileURLToPath(new URL('../../node_modules/mocha/lib/cli/cli.js', import.meta.url))

/** How tests are loaded: as in `npm test`, but for chosen files and numbers of processes. */
export const CONFIG = 'mutate.json'

interface Ran {
  /** Null if it was stopped because of a timeout. */
  readonly status: number | null
  readonly output: string
}

/** Runs test files of a sandbox in one process, which stops at the first failing test. */
export function runTests(folder: string, files: readonly string[], more: Record<string, string>, timeout?: number): Promise<Ran> {
  const hooks = more.PACHTER_MUTATE_REACHED === undefined ? [] : ['--import', HOOKS]
  const options = ['--config', CONFIG, '--bail', '--exit', '--reporter', 'dot']
  const child = spawn(process.execPath, ['--import', 'jiti/register', ...hooks, MOCHA, ...options, ...files], {
    cwd: folder,
    env: { ...process.env, ...more },
    stdio: ['ignore', 'pipe', 'pipe'],
  })
  let output = ''
  for (const stream of [child.stdout, child.stderr]) stream.on('data', (text) => (output += text))
  return new Promise((resolve) => {
    const stopping = timeout === undefined ? undefined : setTimeout(() => child.kill('SIGKILL'), timeout)
    child.on('close', (status) => {
      clearTimeout(stopping)
      resolve({ status, output })
    })
  })
}
