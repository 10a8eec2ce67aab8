import { spawnSync } from 'node:child_process'
import { randomUUID } from 'node:crypto'
import { cpSync, mkdirSync, readdirSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { dirname, join, relative } from 'node:path'
import { fileURLToPath } from 'node:url'
import ts from 'typescript'
import { filesBelow } from '../files.js'
import { CONFIG } from './run-tests.js'

const root = fileURLToPath(new URL('../../', import.meta.url))

/** One small change of the source. */
export interface Mutant {
  readonly id: string
  readonly file: string
  readonly line: number
  readonly column: number
  readonly kind: string
  readonly replacement: string
}

/** A copy of the project that contains every mutant, each switched on by an environment variable. */
export interface Sandbox {
  readonly folder: string
  readonly mutants: readonly Mutant[]
  /** The test files to run, relative to the folder. */
  readonly tests: readonly string[]
}

// What the tests of these folders need.
const COPIED = [
  'src',
  'cli',
  'test',
  'examples',
  'docs',
  'package.json',
  'tsconfig.json',
  'README.md',
  'pachter.config.ts',
  'pachter.baseline.yaml',
]
// Tests of the library itself. Those of the pages and the command take long and reach nothing more.
export const TESTED = ['condition', 'rulebook', 'viewpoint', 'store', 'sql', 'documents', 'client', 'review', 'prove', 'http']
// They start commands or read the sources.
const LEFT_OUT = /deployed|pages\.test|mutants|revisions|coverage\.test|rulebook\/json|races|faults|drift\.test/

export function openSandbox(folders: readonly string[], tested: readonly string[]): Sandbox {
  const folder = join(tmpdir(), `pachter-mutate-${randomUUID()}`)
  mkdirSync(folder)
  for (const name of COPIED) cpSync(join(root, name), join(folder, name), { recursive: true })
  linkPackages(folder)
  const sources = [...filesBelow(join(folder, 'src'))].filter((file) => /\.tsx?$/.test(file))
  const mutated = sources.filter((file) => folders.some((one) => relative(folder, file).startsWith(`${one}/`)))
  const { files, mutants: all } = instrument(mutated)
  const mutants = all.filter(({ status }) => status !== 'Ignored')
  const contents = new Map(files.map(({ name, content }) => [name, content]))
  for (const file of sources) compile(folder, file, contents.get(file) ?? readFileSync(file, 'utf8'))
  const { import: imported, require, timeout } = JSON.parse(readFileSync(join(root, '.mocharc.json'), 'utf8')) as Record<string, unknown>
  writeFileSync(join(folder, CONFIG), JSON.stringify({ import: imported, require, timeout }))
  const tests = tested
    .flatMap((name) => [...filesBelow(join(folder, 'test', name))])
    .filter((file) => file.endsWith('.test.ts') && !LEFT_OUT.test(file))
    .map((file) => relative(folder, file))
  return {
    folder,
    tests,
    mutants: mutants.map(({ id, fileName, location, mutatorName, replacement }) => ({
      id,
      file: relative(folder, fileName),
      line: location.start.line + 1,
      column: location.start.column + 1,
      kind: mutatorName,
      replacement: (replacement ?? '').replace(/\s+/g, ' ').slice(0, 160),
    })),
  }
}

/** The installed packages; our own come from the sandbox. */
function linkPackages(folder: string): void {
  const to = join(folder, 'node_modules')
  mkdirSync(to)
  for (const name of readdirSync(join(root, 'node_modules'))) {
    if (name !== 'pachter' && name !== 'pachter-cli') symlinkSync(join(root, 'node_modules', name), join(to, name))
  }
  symlinkSync(folder, join(to, 'pachter'))
  symlinkSync(join(folder, 'cli'), join(to, 'pachter-cli'))
}

export const closeSandbox = ({ folder }: Sandbox): void => rmSync(folder, { recursive: true, force: true })

interface Instrumented {
  readonly files: readonly { readonly name: string; readonly content: string }[]
  readonly mutants: readonly {
    readonly id: string
    readonly fileName: string
    readonly location: { readonly start: { readonly line: number; readonly column: number } }
    readonly mutatorName: string
    readonly replacement?: string
    /** Ignored: mutants of an excluded kind. */
    readonly status?: string
  }[]
}

function instrument(files: readonly string[]): Instrumented {
  const script = fileURLToPath(new URL('./instrument.mjs', import.meta.url))
  const { status, stdout, stderr } = spawnSync(process.execPath, [script], {
    input: JSON.stringify(files),
    encoding: 'utf8',
    maxBuffer: 1e9,
  })
  if (status !== 0) throw new Error(`the sources cannot be changed: ${stderr}`)
  return JSON.parse(stdout) as Instrumented
}

function compile(folder: string, file: string, text: string): void {
  const { outputText } = ts.transpileModule(text, {
    fileName: file,
    compilerOptions: { target: ts.ScriptTarget.ES2022, module: ts.ModuleKind.ESNext, jsx: ts.JsxEmit.ReactJSX },
  })
  const to = join(folder, 'dist', relative(join(folder, 'src'), file)).replace(/\.tsx?$/, '.js')
  mkdirSync(dirname(to), { recursive: true })
  writeFileSync(to, outputText)
}
