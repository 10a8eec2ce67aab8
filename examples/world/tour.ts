// A tour of the demo world in the terminal: what each person sees, may edit and may delete, and what happens on a forbidden attempt.

import { isPachterError } from 'pachter'
import type { Described } from 'pachter/store'
import pc from 'picocolors'
import { openWorld, today } from './open.js'
import { people } from './people.js'

const CAST = {
  ines: 'holds a plot',
  bram: 'holds two, helps on others',
  greta: 'holds one together with Odile',
  tomasz: 'warden of one site',
  farah: 'treasurer',
  kofi: 'secretary',
  hugo: 'holds plots, and is banned',
  visitor: 'not signed in',
} as const
const MOST = 5

const say = (text = '') => console.log(text)
const { store } = await openWorld()
const system = store.asSystem('compare with everything there is')
const storeOf = (name: keyof typeof CAST) => store.for(name === 'visitor' ? null : people[name])

const all = { plot: await system.list('plot'), entry: await system.list('entry'), notice: await system.list('notice') }
const labels = {
  plot: (plot: (typeof all.plot)[number]) =>
    `plot ${plot.number} on ${plot.siteId}, ${plot.state}${plot.planting ? `: ${plot.planting}` : ''}`,
  entry: (entry: (typeof all.entry)[number]) =>
    `by ${entry.authorId} for ${entry.audience === 'site' ? 'the site' : entry.audience === 'plot' ? 'the plot' : 'everyone'}: ${entry.text}`,
  notice: (notice: (typeof all.notice)[number]) => `${notice.title} (${notice.state})`,
}
const PLURAL = { plot: 'plots', entry: 'entries', notice: 'notices' }
type Shown = keyof typeof all

say(pc.bold('Marsh Lane Allotments'))
say(
  `${all.plot.length} plots, ${all.entry.length} diary entries and ${all.notice.length} notices, in SQLite, on ${today.toISOString().slice(0, 10)}.`,
)
say('One rulebook decides what each person gets. The filter is part of the query.')

const counts: string[][] = []
for (const name of Object.keys(CAST) as (keyof typeof CAST)[]) {
  say()
  say(`${pc.bold(name)}, ${CAST[name]}`)
  const row: string[] = [name]
  for (const type of Object.keys(all) as Shown[]) row.push(String(await show(name, type)))
  counts.push(row)
}

/** The list of a person, with what they may do to each record. Returns the number of records. */
async function show(name: keyof typeof CAST, type: Shown): Promise<number> {
  const mine = storeOf(name)
  const seen = (await mine.list(type, { withActions: ['update', 'delete'] })) as Described<{ id: string }>[]
  say(`  ${PLURAL[type]}: ${seen.length} of ${all[type].length}`)
  for (const {
    record,
    may: { update: edit, delete: remove },
  } of seen.slice(0, MOST)) {
    const may = [...(edit?.allowed ? [`edit ${edit.fields?.join(', ') ?? 'all'}`] : []), ...(remove?.allowed ? ['delete'] : [])]
    const actions = may.join('; ')
    say(
      `    ${record.id}  ${labels[type](record as never)
        .slice(0, 52)
        .padEnd(52)}  ${actions ? pc.yellow(actions) : pc.dim('read only')}`,
    )
  }
  if (seen.length > MOST) say(pc.dim(`    and ${seen.length - MOST} more`))
  return seen.length
}

say()
say(pc.bold('A guessed id'))
say("Ines was never shown Bram's plot p-02. She calls the server with its id all the same:")
const before = JSON.stringify(await system.get('plot', 'p-02'))
const ines = storeOf('ines')
await attempt("get('plot', 'p-02')", () => ines.get('plot', 'p-02'))
await attempt("update('plot', 'p-02', { holderId: 'm-01' })", () => ines.update('plot', 'p-02', { holderId: 'm-01' }))
await attempt("delete('plot', 'p-02')", () => ines.delete('plot', 'p-02'))
await attempt("get('plot', 'p-77'), which does not exist", () => ines.get('plot', 'p-77'))
say("Bram's entry e-03 is for everyone, so she may read it, and still not rewrite it:")
await attempt("update('entry', 'e-03', { text: 'Mine now' })", () => ines.update('entry', 'e-03', { text: 'Mine now' }))
say('Her own plot p-01 she may edit, but only what is planted on it:')
await attempt("update('plot', 'p-01', { rentDue: 0 })", () => ines.update('plot', 'p-01', { rentDue: 0 }))
const after = JSON.stringify(await system.get('plot', 'p-02'))
say(`Plot p-02, read by the system: ${after === before ? pc.green('untouched') : pc.red('CHANGED')}`)
say(pc.dim(`  ${after}`))

async function attempt(what: string, call: () => Promise<unknown>): Promise<void> {
  try {
    await call()
    say(`  ${what.padEnd(46)} ${pc.green('allowed')}`)
  } catch (error) {
    if (!isPachterError(error)) throw error
    say(`  ${what.padEnd(46)} ${pc.red(error.code)}  ${error.message}`)
  }
}

say()
say(pc.bold('A share, and its end'))
const plotsOf = async (name: keyof typeof CAST) =>
  (await storeOf(name).list('plot', { withStandings: true }))
    .map(({ record, standings }) => `${record.id} (${standings.join(', ') || 'public'})`)
    .join(', ')
say(`Bram sees ${await plotsOf('bram')}.`)
await attempt("as Ines: delete('share', 'h-01')", () => ines.delete('share', 'h-01'))
say(`Bram sees ${await plotsOf('bram')}.`)
say('Greta is made warden of the second site. Her token is the same; her record is not:')
await system.update('member', 'm-08', { roles: ['warden'], siteIds: ['s-02'] })
say(`Greta sees ${await plotsOf('greta')}.`)

say()
say(pc.bold('The same lists, counted'))
say(
  `  ${'who'.padEnd(10)}${Object.values(PLURAL)
    .map((word) => word.padStart(9))
    .join('')}`,
)
for (const [name = '', ...numbers] of [...counts, ['system', ...Object.values(all).map((records) => String(records.length))]]) {
  say(`  ${name.padEnd(10)}${numbers.map((number) => number.padStart(9)).join('')}`)
}

say()
say(pc.bold('Next'))
say('  npx pachter people')
say('  npx pachter list plot --for ines --for bram --for tomasz --for visitor')
say('  npx pachter try delete plot p-03 --for bram')
say('  npx pachter rules plot')
say('  npx pachter why read plot p-03 --for yuki')
say('The rules are in examples/world/rulebook.ts.')
