// The public API of the packages: every exported name with its declaration, in .ci/api-report.txt. `npm run check` fails if the report
// differs from the build, so that no name is added or removed unnoticed; `npm run generate` writes it. Errors that can reach users must be
// among the names.
import { readdirSync, readFileSync, writeFileSync } from 'node:fs'
import { fileURLToPath } from 'node:url'
import ts from 'typescript'

const root = fileURLToPath(new URL('../', import.meta.url))
const file = `${root}.ci/api-report.txt`

interface Entry {
  readonly id: string
  readonly types: string
}

/** The public entry points, without those for the command and for tests. */
function entries(): Entry[] {
  return ['', 'cli/'].flatMap((folder) => {
    const { name, exports } = JSON.parse(readFileSync(`${root}${folder}package.json`, 'utf8')) as {
      name: string
      exports: { readonly [path: string]: string | { readonly types: string } }
    }
    return Object.entries(exports).flatMap(([path, to]) =>
      typeof to === 'string' || path.startsWith('./internal/')
        ? []
        : [{ id: name + path.slice(1), types: root + folder + to.types.slice(2) }],
    )
  })
}

/** A declaration without comments, on one line. */
function declarationOf(symbol: ts.Symbol): string {
  const texts = (symbol.declarations ?? []).map((declaration) => {
    const whole = ts.isVariableDeclaration(declaration) ? declaration.parent.parent : declaration
    const text = ts.createPrinter({ removeComments: true }).printNode(ts.EmitHint.Unspecified, whole, declaration.getSourceFile())
    return text
      .replace(/\s+/g, ' ')
      .replace(/^export |declare /g, '')
      .trim()
  })
  return [...new Set(texts)].join(' & ')
}

/** The report. */
export function apiReport(): string {
  const found = entries()
  const program = ts.createProgram(
    found.map(({ types }) => types),
    {
      module: ts.ModuleKind.NodeNext,
      moduleResolution: ts.ModuleResolutionKind.NodeNext,
      target: ts.ScriptTarget.ES2023,
      skipLibCheck: true,
    },
  )
  const checker = program.getTypeChecker()
  const names = new Set<string>()
  const sections = found.map(({ id, types }) => {
    const source = program.getSourceFile(types)
    const module = source && checker.getSymbolAtLocation(source)
    if (module === undefined) throw new Error(`${types} is not there: build first`)
    const lines = checker.getExportsOfModule(module).map((one) => {
      names.add(one.name)
      const symbol = one.flags & ts.SymbolFlags.Alias ? checker.getAliasedSymbol(one) : one
      return `${one.name}: ${declarationOf(symbol)}`
    })
    return `## ${id} (${lines.length})\n\n${lines.sort().join('\n')}\n`
  })
  checkErrors(names)
  return `${sections.join('\n')}`
}

/** Errors that never leave the library or the command. */
const INSIDE = ['TextError', 'UsageError', 'DataError']

function checkErrors(names: ReadonlySet<string>): void {
  const files = ['src/', 'cli/src/'].flatMap((folder) =>
    (readdirSync(root + folder, { recursive: true }) as string[]).map((path) => root + folder + path),
  )
  const errors = files
    .filter((path) => path.endsWith('.ts'))
    .flatMap((path) =>
      [...readFileSync(path, 'utf8').matchAll(/export class (\w+Error) extends (\w+Error)\b/g)].map(([, name]) => name as string),
    )
  const missing = errors.filter((name) => !names.has(name) && !INSIDE.includes(name))
  if (missing.length > 0) throw new Error(`errors that reach users and that they cannot import: ${missing.join(', ')}`)
}

if (process.argv[1] === fileURLToPath(import.meta.url)) {
  const report = apiReport()
  if (process.argv.includes('--write')) writeFileSync(file, report)
  else if (readFileSync(file, 'utf8') !== report) {
    console.error('what is public is not what .ci/api-report.txt says: look at the difference, and run npm run generate')
    process.exitCode = 1
  }
}
