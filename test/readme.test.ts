import { spawnSync } from 'node:child_process'
import { readFileSync, rmSync, writeFileSync } from 'node:fs'
import { fileURLToPath } from 'node:url'
import { expect } from 'chai'

const root = fileURLToPath(new URL('../', import.meta.url))
const readme = readFileSync(`${root}README.md`, 'utf8')

describe('the README', () => {
  it('runs as it is printed, and prints what it says', () => {
    const blocks = [...readme.matchAll(/```(ts|text)\n([\s\S]*?)```/g)].map(([, kind, text = '']) => ({ kind, text }))
    const code = blocks.flatMap(({ kind, text }) => (kind === 'ts' && !text.includes('export default') ? [text] : [])).join('\n')
    const expected = blocks.flatMap(({ kind, text }) => (kind === 'text' ? [text] : [])).join('')
    const file = `${root}readme-test.ts`
    writeFileSync(file, code)
    try {
      const { stdout, stderr } = spawnSync(process.execPath, ['--import', 'jiti/register', file], { encoding: 'utf8', cwd: root })
      expect(stdout, stderr).to.equal(expected)
    } finally {
      rmSync(file)
    }
  })

  it('links only to what is there', () => {
    for (const [, link = ''] of readme.matchAll(/\]\((?!https:)([^)#]+)\)/g)) expect(() => readFileSync(root + link), link).not.to.throw()
  })
})
