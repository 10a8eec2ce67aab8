// Requests to the server, with the token of the signed-in person. They are noted for the developer's drawer.

import { liveListClient, rulesClient } from 'pachter/client'
import { RulesProvider } from 'pachter/react'
import { createContext, type ReactNode, useContext, useMemo, useSyncExternalStore } from 'react'
import { useSession } from './session.js'

/** What the server says where it will not: problem details, as RFC 9457 has them. */
export interface Problem {
  readonly status: number
  readonly title: string
  readonly detail?: string
  readonly fields?: readonly string[]
  readonly faults?: readonly { readonly field: string; readonly problem: string }[]
}

export class ProblemError extends Error {
  constructor(readonly problem: Problem) {
    super(problem.detail ?? problem.title)
  }
}

/** A request that was made. */
export interface LoggedRequest {
  readonly number: number
  readonly method: string
  readonly path: string
  readonly body: string | undefined
  readonly status: number | undefined
  readonly took: number | undefined
}

let asked: readonly LoggedRequest[] = []
let count = 0
const listeners = new Set<() => void>()
const note = (one: LoggedRequest) => {
  const others = asked.filter(({ number }) => number !== one.number)
  asked = [one, ...others].sort((a, b) => b.number - a.number).slice(0, 60)
  for (const listener of listeners) listener()
}
const subscribe = (listener: () => void) => {
  listeners.add(listener)
  return () => void listeners.delete(listener)
}

/** The requests of this page, the latest first. */
export function useAsked(): readonly LoggedRequest[] {
  return useSyncExternalStore(subscribe, () => asked)
}

/** Asks, and notes it. */
const noting: typeof fetch = async (address, init = {}) => {
  const began = performance.now()
  const { method = 'GET', body } = init
  const one = { number: ++count, method, path: String(address), body: typeof body === 'string' ? body : undefined }
  note({ ...one, status: undefined, took: undefined })
  try {
    const response = await fetch(address, init)
    note({ ...one, status: response.status, took: performance.now() - began })
    return response
  } catch (error) {
    note({ ...one, status: 0, took: performance.now() - began })
    throw error
  }
}

/** Sends a request and returns the response. @throws ProblemError */
export type Send = (method: string, path: string, body?: object) => Promise<any>

const Context = createContext<{ readonly send: Send; readonly headers: () => Record<string, string> } | undefined>(undefined)

/** The rules, lists and requests of the signed-in person. With another person, all of it starts again. */
export function ApiProvider({ children }: { readonly children: ReactNode }) {
  const { session } = useSession()
  const token = session?.token
  const api = useMemo(() => {
    const headers = (): Record<string, string> => (token === undefined ? {} : { authorization: `Bearer ${token}` })
    const rules = rulesClient({ url: '/api/my-rules', headers, fetch: noting })
    const lists = liveListClient({
      url: '/api/my-lists',
      headers,
      fetch: noting,
      rulesChanged: () => rules.refresh().catch(() => undefined),
    })
    const send: Send = async (method, path, body) => {
      const sending = body === undefined ? {} : { body: JSON.stringify(body) }
      const type = method === 'PATCH' ? 'application/merge-patch+json' : 'application/json'
      let response: Response
      try {
        response = await noting(path, { method, headers: { ...headers(), ...(body ? { 'content-type': type } : {}) }, ...sending })
      } catch {
        throw new ProblemError({ status: 0, title: 'The server cannot be reached. It is unknown whether the change was made.' })
      }
      if (response.status === 204) return undefined
      const answer = (await response.json().catch(() => ({ status: response.status, title: 'The response cannot be read.' }))) as unknown
      if (!response.ok) throw new ProblemError(answer as Problem)
      return answer
    }
    return { headers, rules, lists, send }
  }, [token])
  return (
    <Context.Provider value={api}>
      <RulesProvider key={token ?? ''} rules={api.rules} lists={api.lists}>
        {children}
      </RulesProvider>
    </Context.Provider>
  )
}

export function useApi() {
  const api = useContext(Context)
  if (api === undefined) throw new Error('useApi needs an <ApiProvider> around it')
  return api
}
