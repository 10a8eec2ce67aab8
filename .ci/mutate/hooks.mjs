// Records which mutants a test file reaches, including those that its imports reach.
import { writeFileSync } from 'node:fs'

process.on('exit', () => {
  const { static: always = {} } = globalThis.__stryker__?.mutantCoverage ?? {}
  writeFileSync(process.env.PACHTER_MUTATE_REACHED, JSON.stringify(Object.keys(always)))
})
