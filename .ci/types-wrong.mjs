// Checks that every entry point of the packages has correct types, for each way in which applications resolve modules. Packs without
// running scripts, because everything is built already.
import { execFileSync } from 'node:child_process'
import { mkdirSync } from 'node:fs'

for (const folder of ['.', 'cli']) {
  mkdirSync(`${folder}/tmp`, { recursive: true })
  const [{ filename }] = JSON.parse(
    execFileSync('npm', ['pack', '--ignore-scripts', '--json', '--pack-destination', 'tmp'], {
      cwd: folder,
      encoding: 'utf8',
      stdio: ['ignore', 'pipe', 'ignore'],
    }),
  )
  const packed = folder === '.' ? `tmp/${filename}` : `${folder}/tmp/${filename}`
  execFileSync('attw', [packed, '--profile', 'esm-only', '--format', 'ascii', '--quiet'], { stdio: 'inherit' })
}
