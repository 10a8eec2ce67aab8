// How long it takes to judge guarantees, to look at rules that may do nothing, to prove a rulebook the same as itself, and to look for people
// who give themselves more, for rulebooks of some sizes: npm run bench:prove -- --types 40 --types 80
import { parseArgs } from 'node:util'
import { rulebook, toMany, toOne } from 'pachter'
import { driftForEveryone, idleRules, judgeGuarantees, selfPromotions } from 'pachter/prove'
import { z } from 'zod'

const { values } = parseArgs({ options: { types: { type: 'string', multiple: true, default: ['40', '80'] } } })
const id = z.string()
const Folder = z.object({
  ...{
    id,
    ownerId: id,
    parentId: id.nullable(),
    teamId: id,
    state: z.enum(['open', 'shut', 'kept']),
    amount: z.number(),
    note: z.string(),
  },
})

/** A rulebook in which each of so many types is linked to the one before and the one after it. */
function rulebookOf(count: number): any {
  const names = Array.from({ length: count }, (_, at) => `folder${at}`)
  const at = (place: number) => names[Math.min(count - 1, Math.max(0, place))] as string
  const records: { [name: string]: object } = {
    user: { shape: z.object({ id, teamId: id, roles: z.array(z.enum(['admin', 'staff'])) }), key: 'id' },
  }
  for (const [place, name] of names.entries())
    records[name] = {
      shape: Folder,
      key: 'id',
      links: { parent: toOne(at(place - 1), 'parentId'), kids: toMany(at(place + 1), 'parentId') },
    }
  const of = <T>(make: T) => Object.fromEntries(names.map((name) => [name, make]))
  const begun: any = rulebook({
    me: { shape: z.object({ id }), key: 'id', links: { user: toOne('user', 'id') }, roles: (me: any) => me.user.roles },
    records,
  } as never)
  return begun
    .standings(
      of((record: any, { me }: any) => ({
        owner: record.ownerId.is(me.id),
        mate: record.teamId.is(me.user.teamId),
        above: record.parent.ownerId.is(me.id),
        below: record.kids.some((kid: any) => kid.ownerId.is(me.id)),
      })),
    )
    .rules({
      user: (_user: any, { role }: any) => ({ may: { read: [role('admin')] } }),
      ...of((record: any, { standing: { owner, mate, above, below }, role }: any) => ({
        may: {
          read: [owner, mate.except('note'), above, below.only('state'), role('admin')],
          create: [owner],
          update: [owner.except('amount'), role('staff').only('amount')],
          delete: [owner.provided(record.state.is('open'))],
        },
        vetoes: [{ actions: ['update'], provided: record.state.is('kept'), unless: role('admin'), message: 'It is kept.' }],
      })),
    })
    .guarantees(
      of((_record: any, { role, standing: { owner } }: any) => [
        { never: 'update', fields: ['amount'], unless: role('staff') },
        { never: 'update', fields: ['note'], unless: owner },
        { never: 'delete', unless: owner },
      ]),
    )
}

function timed<T>(what: string, work: () => readonly T[], isRight: (one: T) => boolean, took?: number): void {
  const begun = performance.now()
  const found = work()
  const time = took ?? performance.now() - begun
  if (!found.every(isRight)) throw new Error(`${what}: a wrong answer`)
  const memory = Math.round(process.memoryUsage().rss / 1e6)
  console.log(
    `${what.padEnd(34)}${String(found.length).padStart(6)}${(time / 1000).toFixed(1).padStart(8)} s${(time / found.length).toFixed(1).padStart(8)} ms each${String(memory).padStart(6)} MB`,
  )
}

for (const types of values.types.map(Number)) {
  const { model } = rulebookOf(types)
  timed(
    `${types} types: guarantees`,
    () => [...judgeGuarantees(model)],
    ({ judged }) => judged.outcome === 'proved',
  )
  timed(
    `${types} types: rules`,
    () => [...idleRules(model)],
    (rule) => rule === undefined,
  )
  timed(
    `${types} types: drift questions`,
    () => [...driftForEveryone(model, model)],
    ({ widening }) => widening === undefined,
  )
  // Every tenth type, on which each write is asked for gains of all types.
  const some = Object.keys(model.types).filter((_, at) => at % 10 === 1)
  const asked: { readonly found: readonly unknown[] }[] = []
  const begun = performance.now()
  for await (const one of selfPromotions(model, some)) asked.push(one)
  const took = performance.now() - begun
  timed(
    `${types} types: self-promotion`,
    () => asked,
    () => true,
    took,
  )
}
