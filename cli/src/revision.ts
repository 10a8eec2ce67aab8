import { execFileSync } from 'node:child_process'
import { existsSync, mkdirSync, mkdtempSync, readFileSync, realpathSync, rmSync, symlinkSync } from 'node:fs'
import { createRequire } from 'node:module'
import { tmpdir } from 'node:os'
import { dirname, join, relative, sep } from 'node:path'
import type { Rulebook } from 'pachter/internal/viewpoint'
import { UsageError } from './errors.js'
import { PACKAGE } from './installed.js'
import { load } from './load.js'

/**
 * The rulebook of a git revision: its files are written to a temporary folder, with the currently installed packages, and the configuration
 * is loaded from there. The working tree and git's index stay untouched.
 * @throws UsageError if there is no such revision, or its configuration cannot be loaded
 */
export async function rulebookAt(revision: string, config: string): Promise<Rulebook> {
  const file = realpathSync(config)
  const root = git(dirname(file), ['rev-parse', '--show-toplevel'], `${config} is not in a git repository`)
  const commit = git(
    root,
    ['rev-parse', '--verify', '--quiet', '--end-of-options', `${revision}^{commit}`],
    `the revision ${revision} does not exist`,
  )
  const folder = mkdtempSync(join(tmpdir(), 'pachter-revision-'))
  try {
    const tree = join(folder, 'tree')
    mkdirSync(tree)
    const env = { ...process.env, GIT_INDEX_FILE: join(folder, 'index') }
    const failed = `revision ${revision} could not be checked out`
    git(root, ['read-tree', commit], failed, env)
    git(root, ['checkout-index', '--all', `--prefix=${tree}/`], failed, env)
    const place = relative(root, file)
    if (!existsSync(join(tree, place))) throw new UsageError(`revision ${revision} has no ${place}`)
    linkPackages(root, tree, dirname(place))
    try {
      return (await load(join(tree, place), aliases())).book
    } catch (error) {
      throw new UsageError(
        `revision ${revision}: ${error instanceof Error ? error.message.replaceAll(`${tree}${sep}`, '') : String(error)}`,
      )
    }
  } finally {
    rmSync(folder, { recursive: true, force: true })
  }
}

function git(cwd: string, args: readonly string[], problem: string, env = process.env): string {
  try {
    return execFileSync('git', args, { cwd, env, encoding: 'utf8', stdio: ['ignore', 'pipe', 'pipe'], maxBuffer: 2 ** 28 }).trim()
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'ENOENT') throw new UsageError('--between needs git, which was not found')
    const said = String((error as { stderr?: unknown }).stderr ?? '')
      .trim()
      .split('\n')[0]
    throw new UsageError(said ? `${problem}: ${said}` : problem)
  }
}

/** The packages of each folder from the root of the project to the configuration. */
function linkPackages(root: string, tree: string, place: string): void {
  const steps = place === '.' ? [] : place.split(sep)
  for (let depth = 0; depth <= steps.length; depth++) {
    const at = join(...['.', ...steps.slice(0, depth)])
    const [here, there] = [join(root, at, 'node_modules'), join(tree, at, 'node_modules')]
    if (existsSync(here) && !existsSync(there)) symlinkSync(here, there)
  }
}

/** These packages, whatever version the revision would load: the same code must judge both rulebooks. */
function aliases(): Record<string, string> {
  const here = createRequire(import.meta.url)
  return { ...entriesOf(here.resolve('pachter/package.json')), ...entriesOf(PACKAGE) }
}

/** The files of a package's entry points. */
function entriesOf(file: string): Record<string, string> {
  const { name, exports } = JSON.parse(readFileSync(file, 'utf8')) as {
    name: string
    exports: { readonly [path: string]: { readonly default?: string } | string }
  }
  return Object.fromEntries(
    Object.entries(exports).flatMap(([path, to]) =>
      typeof to === 'string' || to.default === undefined || path.includes('*')
        ? []
        : [[`${name}${path.slice(1)}`, join(dirname(file), to.default)]],
    ),
  )
}
