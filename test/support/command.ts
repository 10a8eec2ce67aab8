import { spawnSync } from 'node:child_process'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { stripVTControlCharacters } from 'node:util'
import { expect } from 'chai'

/** The folder of the project. */
export const root = fileURLToPath(new URL('../..', import.meta.url))
const main = join(root, 'cli/dist/main.js')

const { FORCE_COLOR: _, ...surroundings } = process.env
/** The environment of a command whose output is compared: without colours, whatever this process was told of them. */
export const plain = { ...surroundings, NO_COLOR: '1', COLUMNS: '120' }

// As a shell reads them: what is in single quotes is kept as it is.
const words = (args: string) =>
  args.match(/'[^']*'|"[^"]*"|\S+/g)?.map((word) => (word.startsWith("'") ? word.slice(1, -1) : word.replaceAll('"', ''))) ?? []

/** Runs the command as a user would, as a process of its own, in a folder. */
export function pachter(args: string, cwd = root) {
  const { status, stdout, stderr } = spawnSync(process.execPath, [main, ...words(args)], { cwd, encoding: 'utf8', env: plain })
  return { status, stdout, stderr }
}

/** Runs a command line within this process, which saves the time to start one. */
export async function within(args: string) {
  const { run } = (await import(join(root, 'cli/dist/run.js'))) as { run: (args: readonly string[]) => Promise<number> }
  const said = { stdout: '', stderr: '' }
  const { COLUMNS } = process.env
  const [out, err] = [process.stdout.write, process.stderr.write]
  const keep = (to: keyof typeof said) => (text: string | Uint8Array) => {
    said[to] += stripVTControlCharacters(String(text))
    return true
  }
  process.env.COLUMNS = plain.COLUMNS
  process.stdout.write = keep('stdout') as typeof out
  process.stderr.write = keep('stderr') as typeof err
  try {
    return { status: await run(words(args)), ...said }
  } finally {
    process.stdout.write = out
    process.stderr.write = err
    if (COLUMNS === undefined) delete process.env.COLUMNS
    else process.env.COLUMNS = COLUMNS
  }
}

/** A test that a command line ends with this status and says these things, with no stack trace. */
export function runs(args: string, status: number, ...says: (string | RegExp)[]) {
  it(`pachter ${args}`, async () => {
    const result = await within(args)
    expect(result.status, result.stdout + result.stderr).to.equal(status)
    const output = status === 2 ? result.stderr : result.stdout
    for (const words of says) {
      if (typeof words === 'string') expect(output).to.include(words)
      else expect(output).to.match(words)
    }
    expect(result.stdout + result.stderr, 'no stack trace').not.to.match(/\n\s+at /)
  })
}
