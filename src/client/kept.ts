import type { PageRules } from './rules.js'
import { type PageView, viewOf } from './view.js'

/** Where rules come from. */
export interface RulesSource {
  /** The address of one's own rules: `/api/my-rules`. */
  readonly url: string
  /** Adds credentials, where the browser does not send them by itself. */
  readonly headers?: () => Record<string, string> | Promise<Record<string, string>>
  /** Default: the browser's. */
  readonly fetch?: typeof fetch
}

/** The rules of whoever is signed in, kept up to date. */
export interface KeptRules {
  /** As of the last answer of the server; a view that allows nothing until there is one. */
  readonly view: PageView
  /** `loading` at first, `lost` where they could not be had: then nothing is allowed that was not before. */
  readonly state: 'loading' | 'ready' | 'lost'
  /** Asks the server again: after signing in or out, or when a list says that rules have changed. */
  refresh(): Promise<PageView>
  /** Is told of every change. Gives a way to stop. */
  subscribe(changed: () => void): () => void
}

const NOTHING: PageRules = { 'pachter rules': 1, me: null, types: {}, privileges: [], routines: [] }

/** A view that allows nothing, of any type: as long as nothing is known. */
function closed(): PageView {
  const none = viewOf(NOTHING)
  const verdict = () => Object.freeze({ allowed: false, outcome: 'ask the server', saying: 'The rules are not here yet.' } as const)
  return Object.freeze({ ...none, may: () => 'never' as const, verdict, fields: () => [] })
}

/**
 * Keeps one person's rules in a page.
 *
 * @example
 * const rules = keepRules({ url: '/api/my-rules' })
 * await rules.refresh()
 * if (rules.view.verdict('update', 'plot', plot).allowed) show(editButton)
 */
export function keepRules({ url, headers, fetch: ask = globalThis.fetch }: RulesSource): KeptRules {
  let view = closed()
  let state: KeptRules['state'] = 'loading'
  let tag: string | null = null
  let asked = 0
  const hearers = new Set<() => void>()
  const set = (next: PageView, now: KeptRules['state']) => {
    view = next
    state = now
    for (const hear of hearers) hear()
  }
  return Object.freeze({
    get view() {
      return view
    },
    get state() {
      return state
    },
    async refresh() {
      const mine = ++asked
      try {
        const known = tag === null ? {} : { 'if-none-match': tag }
        const response = await ask(url, { headers: { accept: 'application/json', ...known, ...(await headers?.()) } })
        // A later question has its own answer.
        if (mine !== asked) return view
        if (response.status === 304) {
          if (state !== 'ready') set(view, 'ready')
          return view
        }
        // Whoever is not known any more may do nothing.
        if (response.status === 401) {
          tag = null
          set(closed(), 'ready')
          return view
        }
        if (!response.ok) throw new Error(`${url}: ${response.status}`)
        const next = viewOf((await response.json()) as PageRules)
        if (mine !== asked) return view
        tag = response.headers.get('etag')
        set(next, 'ready')
        return view
      } catch (error) {
        if (mine === asked) set(view, 'lost')
        throw error
      }
    },
    subscribe(changed: () => void) {
      hearers.add(changed)
      return () => hearers.delete(changed)
    },
  })
}
