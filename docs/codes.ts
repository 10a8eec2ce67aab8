// Writes docs/errors.md, the table of error codes, from the source: `npm run codes`.
import { readdirSync, readFileSync, writeFileSync } from 'node:fs'
import { fileURLToPath } from 'node:url'

const src = fileURLToPath(new URL('../src/', import.meta.url))
const file = fileURLToPath(new URL('./errors.md', import.meta.url))

const CLASS = /\/\*\*((?:(?!\*\/)[\s\S])*)\*\/\s*export class (\w+) extends (\w+)[^{]*\{((?:(?!\n\})[\s\S])*)\n\}/g

interface Code {
  readonly code: string
  readonly name: string
  readonly about: string
}

/** The codes of all error classes, with what their doc comments say. */
function codes(): Code[] {
  const found: Code[] = []
  for (const path of readdirSync(src, { recursive: true }) as string[]) {
    if (!path.endsWith('.ts')) continue
    for (const [, doc = '', name = '', , body = ''] of readFileSync(src + path, 'utf8').matchAll(CLASS)) {
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
others. Messages of \`SIGN_IN\`, \`NOT_FOUND\`, \`REFUSED\` and \`INVALID\` are for whoever asked; the others are for developers and logs.
This page is made from the source, by \`npm run codes\`.

| code | class | meaning |
| --- | --- | --- |
${rows.join('\n')}
`
}

if (process.argv[1] === fileURLToPath(import.meta.url)) {
  writeFileSync(file, errorsPage())
  console.log(file)
}
