// Checks that a project can use the packages after installation: packs both, and compiles test/consumer with the tarballs, strict and with
// declarations, with each compiler and module resolution that applications use. `npm run consumer`
import { execFileSync } from 'node:child_process'
import { cpSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, statSync, symlinkSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'

const root = fileURLToPath(new URL('../', import.meta.url))
const home = mkdtempSync(join(tmpdir(), 'pachter-consumer-'))
const MOST = 700_000

function pack(folder, name) {
  const [packed] = JSON.parse(
    execFileSync('npm', ['pack', '--ignore-scripts', '--json', '--pack-destination', home], {
      cwd: folder,
      encoding: 'utf8',
      stdio: ['ignore', 'pipe', 'ignore'],
    }),
  )
  const files = packed.files.map(({ path }) => path)
  const odd = files.filter((path) => /\.map$|\.png$|^src\/|^test\//.test(path))
  if (odd.length > 0) throw new Error(`${name}: the tarball has ${odd.join(', ')}`)
  if (packed.size > MOST) throw new Error(`${name}: the tarball has ${packed.size} bytes, more than ${MOST}`)
  const to = join(home, 'node_modules', name)
  mkdirSync(to, { recursive: true })
  execFileSync('tar', ['xzf', join(home, packed.filename), '-C', to, '--strip', '1'])
  console.log(`${name}: ${files.length} files, ${Math.round(packed.size / 1000)} kB packed`)
}

/** The packages that an application also installs. */
function link(names) {
  for (const name of names) {
    const to = join(home, 'node_modules', name)
    mkdirSync(dirname(to), { recursive: true })
    symlinkSync(join(root, 'node_modules', name), to)
  }
}

try {
  pack(root, 'pachter')
  pack(join(root, 'cli'), 'pachter-cli')
  const { dependencies = {} } = JSON.parse(readFileSync(join(home, 'node_modules/pachter/package.json'), 'utf8'))
  if (Object.keys(dependencies).length > 0) throw new Error(`pachter needs ${Object.keys(dependencies).join(', ')} at run time`)
  link(['zod', 'react', '@types/react', 'csstype', 'kysely'])
  cpSync(join(root, 'test/consumer'), home, { recursive: true })
  writeFileSync(join(home, 'package.json'), JSON.stringify({ name: 'harbour', private: true, type: 'module' }))
  for (const compiler of ['typescript', 'typescript-7'])
    for (const [module, resolution] of [
      ['nodenext', 'nodenext'],
      ['esnext', 'bundler'],
    ]) {
      rmSync(join(home, 'out'), { recursive: true, force: true })
      const begun = Date.now()
      const tsc = join(root, 'node_modules', compiler, 'bin/tsc')
      execFileSync(process.execPath, [tsc, '-p', home, '--module', module, '--moduleResolution', resolution], { stdio: 'inherit' })
      const bytes = readdirSync(join(home, 'out')).reduce(
        (sum, name) => sum + (name.endsWith('.d.ts') ? statSync(join(home, 'out', name)).size : 0),
        0,
      )
      console.log(`${compiler}, ${resolution}: compiles in ${((Date.now() - begun) / 1000).toFixed(1)} s, ${bytes} bytes of declarations`)
    }
} finally {
  rmSync(home, { recursive: true, force: true })
}
