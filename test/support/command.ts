import { spawnSync } from 'node:child_process'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { expect } from 'chai'

/** The folder of the project. */
export const root = fileURLToPath(new URL('../..', import.meta.url))
const main = join(root, 'dist/cli/main.js')

/** Runs the command as a user would, in a folder. */
export function pachter(args: string, cwd = root) {
  const words = args.match(/"[^"]*"|\S+/g)?.map((word) => word.replaceAll('"', '')) ?? []
  const { status, stdout, stderr } = spawnSync(process.execPath, [main, ...words], {
    cwd,
    encoding: 'utf8',
    env: { ...process.env, NO_COLOR: '1', COLUMNS: '120' },
  })
  return { status, stdout, stderr }
}

/** A test that a command line ends with this status and says these things, with no stack trace. */
export function runs(args: string, status: number, ...says: (string | RegExp)[]) {
  it(`pachter ${args}`, () => {
    const result = pachter(args)
    expect(result.status, result.stdout + result.stderr).to.equal(status)
    const output = status === 2 ? result.stderr : result.stdout
    for (const words of says) {
      if (typeof words === 'string') expect(output).to.include(words)
      else expect(output).to.match(words)
    }
    expect(result.stdout + result.stderr, 'no stack trace').not.to.match(/\n\s+at /)
  })
}
