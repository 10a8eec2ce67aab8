// The data of the developer's drawer, which no client may get: why a verdict is what it is, with the compared and stored values. For this
// machine only, and never in production.
import { Hono } from 'hono'
import type { Identity } from 'pachter/http'
import { clauseLines } from 'pachter/review'
import type { Store } from 'pachter/store'
import { book } from '../../world/rulebook.js'

interface Question {
  readonly action: string
  readonly type: string
  readonly key?: string
  readonly record?: Record<string, unknown>
  readonly changes?: Record<string, unknown>
}

type World = typeof book extends { for(me: infer Me): unknown } ? Me : never

export function developer(store: Store<any>, identity: Identity<NonNullable<World>>) {
  if (process.env.NODE_ENV === 'production') throw new Error('the developer drawer shows hidden data, and cannot be used in production')
  const system = store.asSystem('the developer looks')
  const stored = async ({ type, key }: Question) =>
    key === undefined ? undefined : (await system.list(type, { where: (record: any) => record.id.is(key) }))[0]

  return new Hono()
    .use(async (context, next) => {
      const { hostname } = new URL(context.req.url)
      const from = context.req.header('sec-fetch-site') ?? 'same-origin'
      if (!['127.0.0.1', 'localhost'].includes(hostname) || from !== 'same-origin')
        return context.json({ detail: 'Requests from other machines are refused.' }, 403)
      context.header('cache-control', 'no-store')
      return next()
    })
    .get('/me', async (context) => {
      const me = await identity(context.req.raw)
      const member = me === null ? undefined : await stored({ action: 'read', type: 'member', key: (me as { id: string }).id })
      const mine = store.for(me)
      const held = async (names: string[], has: (name: string) => Promise<boolean>) => {
        const answers = await Promise.all(names.map(has))
        return names.filter((_, at) => answers[at])
      }
      return context.json({
        me,
        member: member ?? null,
        privileges: await held(Object.keys(book.model.privileges), (name) => mine.has(name as never)),
        routines: await held(Object.keys(book.model.routines), (name) => mine.mayCall(name as never)),
      })
    })
    .post('/record', async (context) => {
      const question = await context.req.json<Question>()
      return context.json({ record: (await stored(question)) ?? null, count: await system.count(question.type) })
    })
    .post('/why', async (context) => {
      const { action, type, key, record: sent, changes } = await context.req.json<Question>()
      const record = key === undefined ? sent : await stored({ action, type, key })
      if (record === undefined)
        return context.json({ lines: [{ depth: 0, holds: false, text: `There is no ${type} ${key} in the data.` }] })
      // Every record is read, so that links may be followed: of a few hundred that is nothing.
      const names = Object.keys(book.model.types)
      const records = Object.fromEntries(await Promise.all(names.map(async (name) => [name, await system.list(name)] as const)))
      const me = await identity(context.req.raw)
      const viewpoint = book.for(me as never, { now: new Date(), records } as never)
      const becomes = changes === undefined ? undefined : { ...record, ...changes }
      const { verdict, decidedBy, clause, clauses, withheldBy } = viewpoint.why(
        action as 'read',
        type as 'plot',
        record as never,
        becomes as never,
      )
      const wording = { record: `the ${type}` }
      return context.json({
        verdict,
        decidedBy,
        withheld: withheldBy.map(({ kind, title, trace }) => ({
          kind,
          title,
          lines: clauseLines({ title, holds: trace.holds, trace }, wording).flat(),
        })),
        clause: clause && { title: clause.title, holds: clause.holds, lines: clauseLines(clause, wording).flat() },
        others: clauses.filter((other) => other !== clause).map(({ title, holds }) => ({ title, holds })),
      })
    })
}
