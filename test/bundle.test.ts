import { mkdtempSync, readdirSync, readFileSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { gzipSync } from 'node:zlib'
import { expect } from 'chai'
import type { Rollup } from 'vite'
import { buildWith } from './support/vite.js'

const dist = fileURLToPath(new URL('../dist/', import.meta.url))

/** What a browser gets of an entry, and which packages it asks for. */
async function bundled(entry: string, file = `${dist}${entry}`) {
  const asked: string[] = []
  const [output] = (await buildWith({
    configFile: false,
    logLevel: 'silent',
    plugins: [{ name: 'note-imports', enforce: 'pre', resolveId: (id, importer) => void (importer && asked.push(id)) }],
    build: {
      write: false,
      lib: { entry: file, formats: ['es'] },
      rolldownOptions: { external: ['react'], output: { minify: true } },
    },
  })) as Rollup.RollupOutput[]
  const chunks = output?.output.map((chunk) => ('code' in chunk ? chunk.code : '')) ?? []
  // A library keeps these marks for the bundler of the application, which removes them.
  const code = chunks.join('').replaceAll('/* @__PURE__ */ ', '')
  const packed = gzipSync(code, { level: 9 }).length / 1000
  console.log(`      ${entry}: ${(code.length / 1000).toFixed(1)} kB, ${packed.toFixed(1)} kB with gzip`)
  return { code, packed, packages: asked.filter((id) => !/^[./]/.test(id)) }
}

const NOT_IN_A_PAGE = /\beval\s*\(|new Function|\bFunction\s*\(|\bprocess\.|\bBuffer\.|\brequire\s*\(|\bimport\s*\(/

describe('the core in a browser', () => {
  it('bundles without Node, without packages and without eval', async () => {
    const { code, packages } = await bundled('entries/pachter.js')
    expect(code).to.have.length.above(10_000)
    expect(packages).to.deep.equal([])
    expect(code).not.to.match(NOT_IN_A_PAGE)
  })

  it('is not needed by pages that are given rules: their client has 8 kB at most', async () => {
    // The bar for acting as another person is left out by pages that do not show it.
    const file = join(mkdtempSync(join(tmpdir(), 'pachter-')), 'client.js')
    const names = Object.keys(await import(`${dist}entries/client.js`)).filter((name) => !['actAs', 'actingBar'].includes(name))
    writeFileSync(file, `export { ${names} } from '${dist}entries/client.js'`)
    const { code, packed, packages } = await bundled('entries/client.js', file)
    expect(code).not.to.contain('act-as')
    expect((await bundled('entries/client.js')).packed).to.be.at.most(packed + 1.5)
    expect(packages).to.deep.equal([])
    expect(code).not.to.match(NOT_IN_A_PAGE)
    expect(packed).to.be.at.most(8)
    const react = await bundled('entries/react.js')
    expect(react.code.match(/from\s*["'][^"']+["']/g)).to.deep.equal(['from"react"'])
  })

  it('has types that need no package: an application without a database compiles without Kysely', () => {
    const needed = (file: string, seen = new Set<string>()): string[] => {
      if (seen.has(file)) return []
      seen.add(file)
      const code = readFileSync(file, 'utf8').replace(/\/\*[\s\S]*?\*\//g, '')
      const imported = [...code.matchAll(/(?:from|import\() ?["']([^"']+)["']/g)].map(([, id = '']) => id)
      return imported.flatMap((id) => {
        if (id.startsWith('.')) return needed(join(dirname(file), id.replace(/\.js$/, '.d.ts')), seen)
        if (id.startsWith('pachter/')) return needed(`${dist}entries/${id.slice('pachter/'.length)}.d.ts`, seen)
        return id.startsWith('node:') ? [] : [id]
      })
    }
    for (const name of ['pachter', 'condition', 'json', 'client', 'review', 'testing', 'documents', 'http', 'store'])
      expect(needed(`${dist}entries/${name}.d.ts`), name).to.deep.equal([])
    expect(new Set(needed(`${dist}entries/react.d.ts`))).to.deep.equal(new Set(['react']))
    expect(needed(`${dist}../cli/dist/config.d.ts`)).to.deep.equal([])
  })

  it('is published with types for every entry', () => {
    const { exports } = JSON.parse(readFileSync(new URL('../package.json', import.meta.url), 'utf8'))
    for (const [name, entry] of Object.entries(exports as Record<string, string | { types: string; default: string }>)) {
      const files = typeof entry === 'string' ? [entry] : [entry.types, entry.default]
      for (const file of files) expect(readFileSync(new URL(`../${file}`, import.meta.url), 'utf8'), name).not.to.equal('')
    }
    expect(readdirSync(dist)).to.include.members(['condition', 'rulebook', 'viewpoint', 'sql', 'store', 'entries'])
  })
})
