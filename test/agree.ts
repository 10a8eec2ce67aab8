// Long runs of the agreement tests: npm run agree -- --cases 200000 --seed 1 --with PostgreSQL
import { parseArgs } from 'node:util'
import { postgres } from 'pachter/sql'
import { AT_ONCE, agrees, agreesInOwnSchema } from './support/agreement.js'
import { agreesInCollations } from './support/collations.js'
import { agreesInDocuments } from './support/documents.js'
import { everyEngine } from './support/engines.js'
import { ASKED_AT_ONCE, ownQueriesAgree, ownQueriesTellNothing } from './support/own-queries.js'
import { agreesInRowSecurity } from './support/row-security.js'
import { agreesInCollatedRulebooks, agreesInRulebooks } from './support/rulebooks.js'

const { values } = parseArgs({
  options: { cases: { type: 'string', default: '20000' }, seed: { type: 'string' }, with: { type: 'string', multiple: true } },
})
const cases = Number(values.cases)
const seed = values.seed === undefined ? Math.floor(Math.random() * 2 ** 31) : Number(values.seed)
if (!Number.isSafeInteger(cases) || cases < 1 || !Number.isSafeInteger(seed)) throw new Error('--cases and --seed are whole numbers')

/** What memory is compared with. Says what is to be told besides. */
const COMPARED: { [name: string]: (runs: number, seed: number) => Promise<unknown> } = {
  ...Object.fromEntries(everyEngine.map((engine) => [engine.name, (runs: number, from: number) => agrees(engine, runs, from)])),
  ...Object.fromEntries(
    everyEngine.map((engine) => [`${engine.name}, own tables`, (runs: number, from: number) => agreesInOwnSchema(engine, runs, from)]),
  ),
  ...Object.fromEntries(
    everyEngine.map((engine) => [`${engine.name}, collations`, (runs: number, from: number) => agreesInCollations(engine, runs, from)]),
  ),
  ...Object.fromEntries(
    everyEngine
      .filter(({ dialect }) => dialect === postgres)
      .flatMap((engine) => [
        [`${engine.name}, row security`, (runs: number, from: number) => agreesInRowSecurity(engine, runs * AT_ONCE, from)],
        [
          `${engine.name}, row security, own tables`,
          (runs: number, from: number) => agreesInRowSecurity(engine, runs * AT_ONCE, from, true),
        ],
      ]),
  ),
  documents: agreesInDocuments,
  ...Object.fromEntries(
    everyEngine.map((engine) => [
      `${engine.name}, rulebooks`,
      (runs: number, from: number) => agreesInRulebooks(engine, runs * AT_ONCE, from),
    ]),
  ),
  ...Object.fromEntries(
    everyEngine.map((engine) => [
      `${engine.name}, rulebooks, collations`,
      (runs: number, from: number) => agreesInCollatedRulebooks(engine, runs * AT_ONCE, from),
    ]),
  ),
}
for (const engine of everyEngine) {
  COMPARED[`${engine.name}, own queries`] = (runs, from) => ownQueriesAgree(engine, Math.ceil((runs * AT_ONCE) / ASKED_AT_ONCE), from)
  COMPARED[`${engine.name}, own queries, hidden`] = (runs, from) =>
    ownQueriesTellNothing(engine, Math.ceil((runs * AT_ONCE) / ASKED_AT_ONCE), from)
}
const names = Object.keys(COMPARED)
const odd = values.with?.find((name) => !names.includes(name))
if (odd !== undefined) throw new Error(`--with ${odd}: there are ${names.join('; ')}`)

// In batches, so that progress is seen; each with a seed of its own, which is said where it finds something.
const BATCH = 100
let failed = false
for (const name of values.with ?? names) {
  const runs = Math.ceil(cases / AT_ONCE)
  let done = 0
  let disagreement: unknown
  for (let batch = 0; done < runs && disagreement === undefined; batch++) {
    const now = Math.min(BATCH, runs - done)
    await COMPARED[name]?.(now, seed + batch).catch((error: unknown) => {
      disagreement = error
    })
    done += now
    process.stderr.write(`\r${name}: ${(done * AT_ONCE).toLocaleString('en')} of ${(runs * AT_ONCE).toLocaleString('en')} `)
  }
  process.stderr.write('\r')
  const outcome = disagreement === undefined ? 'no disagreement with memory' : 'a disagreement with memory:'
  console.log(`${name}: ${(done * AT_ONCE).toLocaleString('en')} cases from seed ${seed}, ${outcome}`)
  if (disagreement !== undefined) {
    failed = true
    // What the smallest case was about comes first: the rest lists conditions that agree as well.
    const { cause, message = String(disagreement) } = disagreement as { cause?: { message?: string }; message?: string }
    console.log(`${cause?.message ?? ''}\n${message.slice(0, 2000)}`)
  }
}
process.exit(failed ? 1 : 0)
