import { spawnSync } from 'node:child_process'
import { readdirSync, readFileSync } from 'node:fs'
import { fileURLToPath } from 'node:url'
import { expect } from 'chai'

const here = fileURLToPath(new URL('./refused/', import.meta.url))
const compilers = { 'TypeScript 7': 'typescript-7/bin/tsc', 'TypeScript 5.9': 'typescript/bin/tsc' }

for (const [name, tsc] of Object.entries(compilers)) {
  describe(`what must not compile under ${name}`, () => {
    let output = ''

    before(() => {
      const path = fileURLToPath(new URL(`../../node_modules/${tsc}`, import.meta.url))
      output = spawnSync(process.execPath, [path, '-p', here, '--pretty', 'false'], { encoding: 'utf8' }).stdout
    })

    for (const file of readdirSync(here).filter((one) => one.endsWith('.ts'))) {
      const [, wanted = ''] = /The compiler says: (.*)/.exec(readFileSync(here + file, 'utf8')) ?? []
      it(`${file.replace('.ts', '').replaceAll('-', ' ')}: ${wanted}`, () => {
        const lines = output.split('\n').filter((line) => line.includes(`refused/${file}(`))
        expect(wanted).to.not.equal('')
        expect(lines.join('\n')).to.include(wanted)
      })
    }

    it('and nothing else is wrong', () => {
      const elsewhere = output.split('\n').filter((line) => /error TS/.test(line) && !line.includes('/refused/'))
      expect(elsewhere).to.deep.equal([])
    })
  })
}
