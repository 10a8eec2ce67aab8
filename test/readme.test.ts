import { execFile } from 'node:child_process'
import { existsSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { promisify } from 'node:util'
import { expect } from 'chai'
import { GENERATED } from '../docs/generate.js'
import { pachter, plain, within } from './support/command.js'

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
  'docs/own-queries.md',
  'docs/checking.md',
  'docs/proofs.md',
  'docs/web.md',
]
const PAGES = readdirSync(new URL('../docs', import.meta.url)).flatMap((name) => (name.endsWith('.md') ? [`docs/${name}`] : []))
const textOf = (document: string) => readFileSync(root + document, 'utf8')
/** The blocks of a document: their language, the file that they are from, and their text. */
const blocksOf = (document: string) =>
  [...textOf(document).matchAll(/^```(\w+)(?: (\S+))?\n([\s\S]*?)^```/gm)].map(([, kind, file, text = '']) => ({ kind, file, text }))
/** Code without what formatting changes. */
const bare = (code: string) => code.replace(/\s/g, '').replace(/,(?=[)\]}]|$)/g, '')
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
      const code = blocksOf(document).flatMap(({ kind, file, text }) => (kind === 'ts' && file === undefined ? [text] : []))
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

  it('what is shown of a file is in that file, and no other code is shown', () => {
    let excerpts = 0
    for (const document of ['README.md', ...PAGES])
      for (const { kind, file, text } of blocksOf(document)) {
        expect(kind, `${document}: ${text}`).to.be.oneOf(['ts', 'tsx', 'sh', 'text', 'yaml', 'sql'])
        if (kind !== 'ts' && kind !== 'tsx') continue
        if (file === undefined) expect(DOCUMENTS, `${document}: ${text}`).to.include(document)
        else for (const part of text.split('\n\n')) expect(bare(textOf(file)), `${document}: ${file}`).to.include(bare(part))
        if (file !== undefined) excerpts++
      }
    expect(excerpts).to.be.greaterThan(12)
  })

  for (const document of DOCUMENTS) {
    it(`${document} runs as it is printed, and prints what it says`, async () => {
      const expected = blocksOf(document).flatMap(({ kind, text }) => (kind === 'text' ? [text] : []))
      const { stdout, stderr } = (await printed.get(document)) as Record<'stdout' | 'stderr', string>
      expect(stdout, stderr).to.equal(expected.join(''))
    })
  }

  for (const document of [...PAGES, 'README.md', 'CONTRIBUTING.md', 'SECURITY.md'])
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

describe('the expectations in the documents', () => {
  const folder = `${root}expectations-test/`
  after(() => rmSync(folder, { recursive: true, force: true }))
  const yamlOf = (document: string) => blocksOf(document).flatMap(({ kind, text }) => (kind === 'yaml' ? [text] : []))

  it('hold for the files of the quick start', async () => {
    const [rules, configuration] = ['// rules.ts', '// pachter.config.ts'].map(
      (name) => blocksOf('docs/quick-start.md').find(({ text }) => text.startsWith(name))?.text,
    )
    const plots = [
      { id: 'p-01', holderId: 'ines', planting: 'kale', rent: 30 },
      { id: 'p-02', holderId: 'bram', planting: 'beans', rent: 28 },
    ]
    mkdirSync(`${folder}data`, { recursive: true })
    mkdirSync(`${folder}expectations`)
    const files = {
      'rules.ts': rules,
      'pachter.config.ts': `import { book } from './rules.js'\n${configuration}`,
      'data/plot.json': JSON.stringify(plots),
      'data/entry.json': '[]',
      'expectations/plots.yaml': yamlOf('docs/quick-start.md').join(''),
    }
    for (const [name, text] of Object.entries(files)) writeFileSync(folder + name, text as string)
    const { status, stdout, stderr } = pachter('check', folder)
    expect(status, stdout + stderr).to.equal(0)
    expect(stdout).to.match(/4 expectations/)
    // They can fail.
    writeFileSync(`${folder}data/plot.json`, JSON.stringify(plots.map((plot) => ({ ...plot, holderId: 'ines' }))))
    expect(pachter('check', folder).status).to.equal(1)
  })

  it('run with the configuration in docs/commands.md', () => {
    const { status, stdout, stderr } = pachter('check', `${root}test/excerpts`)
    expect(status, stdout + stderr).to.equal(0)
    expect(stdout).to.match(/3 expectations/)
  })

  it('hold for the demo world', async () => {
    mkdirSync(folder, { recursive: true })
    const [people, drawn, tables] = yamlOf('docs/checking.md') as [string, string, string]
    writeFileSync(`${folder}demo.yaml`, people)
    writeFileSync(`${folder}drawn.yaml`, drawn)
    writeFileSync(`${folder}tables.yaml`, `pachter expectations: 1\n${tables}`)
    for (const name of ['demo', 'drawn', 'tables']) {
      const { status, stdout, stderr } = await within(`check ${folder}${name}.yaml`)
      expect(status, stdout + stderr).to.equal(0)
    }
  })
})

describe('the commands in the documents', () => {
  const commands = [...PAGES, 'README.md'].flatMap((document) =>
    [...textOf(document).matchAll(/^(?:.*&& )?npx pachter ([^\n#&>]*)/gm)].map(([, args = '']) => args.trim()),
  )
  const unique = [...new Set(commands)].sort()
  /** These need a server, a running application or a repository, write files, run until they are stopped, or take seconds and have tests. */
  const isElsewhere = (args: string) => /:\/\/|^review|^init|--save|--between|--watch|--mutants|coverage\/|sarif|^prove$/.test(args)

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
