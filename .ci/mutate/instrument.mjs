// Adds every mutant to sources, each behind a switch: JSON from standard input to standard output. It is a separate process because the
// loader of TypeScript sources cannot load this package.
import { readFileSync } from 'node:fs'
import { Instrumenter } from '@stryker-mutator/instrumenter'

const quiet = () => {}
const never = () => false
const logger = {
  trace: quiet,
  debug: quiet,
  info: quiet,
  warn: console.error,
  error: console.error,
  fatal: console.error,
  isTraceEnabled: never,
  isDebugEnabled: never,
  isInfoEnabled: never,
  isWarnEnabled: never,
  isErrorEnabled: never,
  isFatalEnabled: never,
}
const files = JSON.parse(readFileSync(0, 'utf8')).map((name) => ({ name, content: readFileSync(name, 'utf8'), mutate: true }))
const made = await new Instrumenter(logger).instrument(files, { plugins: null, excludedMutations: ['StringLiteral'], ignorers: [] })
process.stdout.write(JSON.stringify(made))
