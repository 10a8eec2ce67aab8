// Writes what the documents say of the source, from the source: the table of error codes, and the comparisons in docs/rules.md and in the
// JSON Schema of rules: `npm run generate`.
import { readdirSync, readFileSync, writeFileSync } from 'node:fs'
import { fileURLToPath } from 'node:url'
import { COMPARISONS, type Comparison, listSides, TAKES } from '../src/condition/operators.js'

const SOURCES = ['../src/', '../cli/src/'].map((folder) => fileURLToPath(new URL(folder, import.meta.url)))
const docs = fileURLToPath(new URL('./', import.meta.url))

const CLASS = /\/\*\*((?:(?!\*\/)[\s\S])*)\*\/\s*export class (\w+) extends (\w+)[^{]*\{((?:(?!\n\})[\s\S])*)\n\}/g

interface Code {
  readonly code: string
  readonly name: string
  readonly about: string
}

/** The codes of all error classes, with what their doc comments say. */
function codes(): Code[] {
  const found: Code[] = []
  const files = SOURCES.flatMap((folder) => (readdirSync(folder, { recursive: true }) as string[]).map((path) => folder + path))
  for (const path of files.filter((one) => one.endsWith('.ts'))) {
    for (const [, doc = '', name = '', , body = ''] of readFileSync(path, 'utf8').matchAll(CLASS)) {
      const code = /super\(\s*'([A-Z_]+)'/.exec(body)?.[1]
      const about = doc
        .split('\n')
        .map((line) => line.replace(/^\s*\* ?/, '').trim())
        .join(' ')
        .trim()
      if (code !== undefined) found.push({ code, name, about })
    }
  }
  return found.sort((a, b) => a.code.localeCompare(b.code, 'en'))
}

/** The page. */
export function errorsPage(): string {
  const rows = codes().map(({ code, name, about }) => `| \`${code}\` | \`${name}\` | ${about.replaceAll('|', '\\|')} |`)
  return `# Error codes

Every error that Pachter throws on purpose is a \`PachterError\` with a stable \`code\`; \`isPachterError(error, 'NOT_FOUND')\` tells it from
others. Messages of \`SIGN_IN\`, \`NOT_FOUND\`, \`REFUSED\` and \`INVALID\` are for the asker; the others are for developers and logs.
This page is made from the source, by \`npm run generate\`.

| code | class | meaning |
| --- | --- | --- |
${rows.join('\n')}
`
}

/** The comparisons of each kind of term, for the documents. */
function comparisonRows(): string[] {
  const named = (test: (by: Comparison) => boolean) =>
    COMPARISONS.filter(test)
      .map((by) => `\`${by}\`${by === 'isIgnoringCase' ? ' (A to Z: for email addresses)' : ''}`)
      .join(', ')
  const onOne = (by: Comparison) => !listSides(by)[0]
  const takes = (...kinds: readonly string[]) => named((by) => kinds.includes(TAKES[by]) && onOne(by))
  return [
    `| on any | ${takes('any')}, \`isMissing\`, \`isPresent\` |`,
    `| on numbers | ${takes('number', 'order')} |`,
    `| on times | ${takes('time', 'order')}; text that holds times is named beside its shape: \`times: ['writtenAt']\` |`,
    `| on days | the same as on times, with \`today\`, \`today.plusDays(7)\` and text such as "2026-05-31"; named beside the shape: \`days: ['until']\` |`,
    `| on text | ${takes('text')} |`,
    `| on lists | ${named((by) => !onOne(by))} |`,
  ]
}

/** A document, with the comparisons that there are. */
export function comparisonTable(text: string): string {
  return text.replace(/\| on any \|[\s\S]*?\| on lists \|[^\n]*/, () => comparisonRows().join('\n'))
}

/** The JSON Schema of rules, with the comparisons that there are. */
export function rulesSchema(text: string): string {
  const names = COMPARISONS.map((by) => JSON.stringify(by)).join(',\n                ')
  return text.replace(/("by": \{\s*"enum": \[\s*)"is",[^\]]*?(\s*\])/, (_, before: string, after: string) => `${before}${names}${after}`)
}

/** Every file that is made from the source, wholly or in part: its path from here, and how its text becomes what the source says. */
export const GENERATED: { readonly [path: string]: (text: string) => string } = {
  'errors.md': errorsPage,
  'rules.md': comparisonTable,
  'rulebook.schema.json': rulesSchema,
}

if (process.argv[1] === fileURLToPath(import.meta.url)) {
  for (const [path, made] of Object.entries(GENERATED)) {
    const file = docs + path
    writeFileSync(file, made(readFileSync(file, 'utf8')))
    console.log(file)
  }
}
