import { execFile } from 'node:child_process'
import { existsSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { promisify } from 'node:util'
import { expect } from 'chai'
import { GENERATED } from '../docs/generate.js'
import { plain, within } from './support/command.js'

it('what is made from the source is what the source says', () => {
  for (const [path, made] of Object.entries(GENERATED)) {
    const text = readFileSync(new URL(`../docs/${path}`, import.meta.url), 'utf8')
    expect(made(text), path).to.equal(text)
    expect(made(text.replace(/"contains",\s*|`contains`, /, '')), path).to.equal(text)
  }
  const page = readFileSync(new URL('../docs/errors.md', import.meta.url), 'utf8')
  for (const code of ['BAD_RULEBOOK', 'NOT_FOUND', 'REFUSED', 'INVALID', 'BAD_CURSOR', 'NO_LINKED_RECORDS'])
    expect(page).to.include(`| \`${code}\` |`)
})

const root = fileURLToPath(new URL('../', import.meta.url))

const DOCUMENTS = [
  'README.md',
  'docs/quick-start.md',
  'docs/concepts.md',
  'docs/rules.md',
  'docs/deploying.md',
  'docs/migrating.md',
  'docs/databases.md',
  'docs/checking.md',
  'docs/web.md',
]
/** What is shown of the source there stands in the source. */
const EXCERPTS = 'docs/allotment.md'
const textOf = (document: string) => readFileSync(root + document, 'utf8')
const blocksOf = (document: string) =>
  [...textOf(document).matchAll(/```(ts|text)\n([\s\S]*?)```/g)].map(([, kind, text = '']) => ({ kind, text }))
/** The anchors of the headings of a document, as code hosts make them. */
const headingsOf = (document: string) =>
  [...textOf(document).matchAll(/^#+ (.*)$/gm)].map(([, title = '']) =>
    title
      .toLowerCase()
      .replace(/[^\p{L}\p{N} _-]/gu, '')
      .replaceAll(' ', '-'),
  )
const fileOf = (document: string) => `${root}${document.replace(/\W/g, '-')}-test.ts`

/** What a program prints, and what it complains of. */
const outputOf = (args: readonly string[]) =>
  promisify(execFile)(process.execPath, args, { cwd: root, env: plain }).catch(
    ({ stdout, stderr }: Record<'stdout' | 'stderr', string>) => ({
      stdout,
      stderr,
    }),
  )

describe('what the documents print', () => {
  const project = `${root}documents-test.json`
  const printed = new Map<string, ReturnType<typeof outputOf>>()
  let compiled: ReturnType<typeof outputOf>

  before(() => {
    for (const document of DOCUMENTS) {
      const code = blocksOf(document).flatMap(({ kind, text }) => (kind === 'ts' && !text.includes('export default') ? [text] : []))
      writeFileSync(fileOf(document), code.join('\n'))
    }
    const compilerOptions = { noUncheckedIndexedAccess: false }
    writeFileSync(project, JSON.stringify({ extends: './test/tsconfig.json', compilerOptions, include: [], files: DOCUMENTS.map(fileOf) }))
    // All at once: most of the time, each waits for something.
    for (const document of DOCUMENTS) printed.set(document, outputOf(['--import', 'jiti/register', fileOf(document)]))
    compiled = outputOf([`${root}node_modules/typescript-7/bin/tsc`, '-p', project, '--pretty', 'false'])
  })
  after(() => {
    for (const file of [...DOCUMENTS.map(fileOf), project]) rmSync(file, { force: true })
  })

  it(`${EXCERPTS} shows of the source what is there`, () => {
    const found = [...textOf(EXCERPTS).matchAll(/```tsx? (\S+)\n([\s\S]*?)```/g)]
    expect(found.length).to.be.greaterThan(5)
    for (const [, file = '', text = ''] of found) expect(textOf(file), file).to.include(text)
  })

  for (const document of DOCUMENTS) {
    it(`${document} runs as it is printed, and prints what it says`, async () => {
      const expected = blocksOf(document).flatMap(({ kind, text }) => (kind === 'text' ? [text] : []))
      const { stdout, stderr } = (await printed.get(document)) as Record<'stdout' | 'stderr', string>
      expect(stdout, stderr).to.equal(expected.join(''))
    })
  }

  const pages = readdirSync(`${root}docs`).flatMap((name) => (name.endsWith('.md') ? [`docs/${name}`] : []))
  for (const document of [...pages, 'README.md', 'CONTRIBUTING.md', 'SECURITY.md'])
    it(`${document} links only to pages and headings that are there`, () => {
      for (const [, link = '', heading] of textOf(document).matchAll(/\]\((?!https:)([^)#]*)(?:#([^)]+))?\)/g)) {
        const target = link === '' ? document : join(dirname(document), link)
        expect(existsSync(root + target), link).to.equal(true)
        if (heading !== undefined) expect(headingsOf(target), `${link}#${heading}`).to.include(heading)
      }
    })

  it('every type fits', async () => {
    expect((await compiled).stdout).to.equal('')
  })
})

describe('the commands in the documents', () => {
  const commands = [...readdirSync(`${root}docs`).map((name) => `docs/${name}`), 'README.md']
    .filter((name) => name.endsWith('.md'))
    .flatMap((document) => [...textOf(document).matchAll(/^(?:.*&& )?npx pachter ([^\n#&>]*)/gm)].map(([, args = '']) => args.trim()))
  const unique = [...new Set(commands)].sort()
  /** These need a server, a running application or a repository, write files, or run until they are stopped. */
  const isElsewhere = (args: string) => /:\/\/|^review|--save|--between|--watch|--mutants|coverage\//.test(args)

  it('are those that there are, with the options that there are', async () => {
    expect(unique.length).to.be.greaterThan(25)
    for (const args of unique) {
      const command = (/^(?:db )?[\w-]+/.exec(args) as RegExpExecArray)[0]
      const { status, stdout } = await within(`${command} --help`)
      expect(status, args).to.equal(0)
      for (const [option] of args.matchAll(/--[\w-]+/g)) expect(stdout, args).to.include(`${option}`)
    }
  })

  for (const args of unique.filter((args) => !isElsewhere(args)))
    it(`pachter ${args}`, async () => {
      const { status, stderr } = await within(args)
      expect(status, stderr).to.be.lessThan(2)
    })
})
