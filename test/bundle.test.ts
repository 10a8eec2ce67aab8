import { readdirSync, readFileSync } from 'node:fs'
import { fileURLToPath } from 'node:url'
import { gzipSync } from 'node:zlib'
import { expect } from 'chai'
import { build, type Rollup } from 'vite'

const dist = fileURLToPath(new URL('../dist/', import.meta.url))

describe('the core in a browser', () => {
  it('bundles without Node, without packages and without eval', async () => {
    const asked: string[] = []
    const [output] = (await build({
      configFile: false,
      logLevel: 'silent',
      plugins: [{ name: 'note-imports', enforce: 'pre', resolveId: (id, importer) => void (importer && asked.push(id)) }],
      build: { write: false, lib: { entry: `${dist}index.js`, formats: ['es'] }, rolldownOptions: { output: { minify: true } } },
    })) as Rollup.RollupOutput[]
    const code = output?.output.map((chunk) => ('code' in chunk ? chunk.code : '')).join('') ?? ''
    expect(code).to.have.length.above(10_000)
    expect(asked.filter((id) => !id.startsWith('.'))).to.deep.equal([])
    expect(code).not.to.match(/\beval\s*\(|new Function|\bFunction\s*\(|\bprocess\.|\bBuffer\.|\brequire\s*\(|\bimport\s*\(/)
    console.log(
      `      the core: ${(code.length / 1000).toFixed(1)} kB, ${(gzipSync(code, { level: 9 }).length / 1000).toFixed(1)} kB with gzip`,
    )
  })

  it('is published with types for every entry', () => {
    const { exports } = JSON.parse(readFileSync(new URL('../package.json', import.meta.url), 'utf8'))
    for (const [name, entry] of Object.entries(exports as Record<string, string | { types: string; default: string }>)) {
      const files = typeof entry === 'string' ? [entry] : [entry.types, entry.default]
      for (const file of files) expect(readFileSync(new URL(`../${file}`, import.meta.url), 'utf8'), name).not.to.equal('')
    }
    expect(readdirSync(dist)).to.include.members(['condition', 'rulebook', 'viewpoint', 'sql', 'store', 'cli'])
  })
})
