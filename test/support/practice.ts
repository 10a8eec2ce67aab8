// A veterinary practice where some people act as others, over routes.
import { rulebook } from 'pachter'
import { fromSession, type Identity, impersonation, liveLists, routes } from 'pachter/http'
import { inMemory, type LogEntry, openStore } from 'pachter/store'
import { z } from 'zod'

export type Me = { readonly id: string; readonly roles: string[] }
const id = z.string()
const built = rulebook({
  me: { shape: z.object({ id, roles: z.array(z.string()) }), key: 'id', roles: (me) => me.roles },
  records: {
    animal: { shape: z.object({ id, ownerId: id, name: z.string(), vet: z.string().optional() }), key: 'id', actions: ['release'] },
  },
})
export const book = built
  .rules({
    animal: (animal, { me, anyone, role }) => {
      const own = anyone.provided(animal.ownerId.is(me.id))
      return { may: { read: [own, role('vet')], update: [own.only('name'), role('vet')], delete: [own], create: [own], release: [own] } }
    },
  })
  .privileges({
    lookAsOwner: ({ role }) => [role('desk', 'chief')],
    changeAsOwner: ({ role }) => [role('chief')],
    register: ({ me }) => [me.id.isMissing()],
    askQuestions: ({ signedIn }) => [signedIn],
  })
  .routines({ adopt: ({ signedIn }) => [signedIn] })

export const PEOPLE: { readonly [name: string]: Me } = {
  mara: { id: 'mara', roles: [] },
  jon: { id: 'jon', roles: [] },
  vet: { id: 'vet', roles: ['vet'] },
  desk: { id: 'desk', roles: ['desk'] },
  'desk 2': { id: 'desk 2', roles: ['desk'] },
  chief: { id: 'chief', roles: ['chief'] },
}
export const signIn = fromSession((request) => PEOPLE[request.headers.get('x-session') ?? ''] ?? null)

export function practice(make?: (store: ReturnType<typeof open>['store']) => Identity<Me>) {
  const { store, log } = open()
  const asked: string[] = []
  const limited: unknown[] = []
  const identity =
    make?.(store) ??
    impersonation(signIn, {
      store,
      privilege: 'lookAsOwner',
      changePrivilege: 'changeAsOwner',
      personOf: (key) => {
        asked.push(key)
        return PEOPLE[key]
      },
      mayBe: ({ roles }) => !roles.includes('vet'),
    })
  const live = liveLists()
  const handle = routes(book, store, {
    identity,
    behindProxy: true,
    live,
    limit: (_request, me) => void limited.push(me),
    actions: {
      animal: { release: async ({ asSystem, record }) => asSystem('released').update('animal', record.id as string, { vet: 'free' }) },
    },
  })
  const ask = async (path: string, session?: string, { as, method = 'GET', body, ...more }: Sent = {}) => {
    const headers = {
      ...(session === undefined ? {} : { 'x-session': session }),
      ...(as === undefined ? {} : { 'act-as': encodeURIComponent(as) }),
      ...(method === 'GET' ? {} : { 'sec-fetch-site': 'same-origin' }),
      ...(body === undefined ? {} : { 'content-type': method === 'PATCH' ? 'application/merge-patch+json' : 'application/json' }),
      ...more.headers,
    }
    const sent = { method, headers, ...(body === undefined ? {} : { body: JSON.stringify(body) }) }
    const response = await handle(new Request(`http://${more.host ?? 'localhost'}${path}`, sent))
    const text = await response.text()
    return { status: response.status, body: text === '' ? undefined : JSON.parse(text) }
  }
  return { store, log, asked, limited, identity, handle, live, ask }
}

export interface Sent {
  readonly as?: string
  readonly method?: string
  readonly body?: object
  readonly headers?: Record<string, string>
  readonly host?: string
}

export function open() {
  const log: LogEntry[] = []
  const records = { animal: [row('a1', 'mara'), row('a2', 'jon'), row('a3', 'mara')] }
  return { log, store: openStore(book, inMemory(records), { log: (entry) => void log.push(entry), now: new Date('2026-05-01T10:00:00Z') }) }
}

function row(key: string, ownerId: string) {
  return { id: key, ownerId, name: `Rex ${key}` }
}

export const names = ({ body }: { readonly body: { readonly records: readonly { readonly id: string }[] } }) =>
  body.records.map(({ id: key }) => key)
