/**
 * Thin hooks over `pachter/client`, for React 18 and later.
 * @module
 */
import {
  createContext,
  createElement,
  type ReactElement,
  type ReactNode,
  useContext,
  useEffect,
  useMemo,
  useRef,
  useState,
  useSyncExternalStore,
} from 'react'
import type { LiveList } from '../client/list-state.js'
import { type LiveListClient, type LiveSource, liveList } from '../client/live.js'
import type { PageAction, PageField, PageRecord, WorldIn } from '../client/page-types.js'
import { checkRoute, type RouteAccess, type RouteNeeds } from '../client/route-access.js'
import type { RulesClient } from '../client/rules-client.js'
import type { PageVerdict, PageView, VerdictOptions } from '../client/view.js'
import type { TypeName, World } from '../rulebook/types.js'

const Rules = createContext<RulesClient<any> | undefined>(undefined)
const Lists = createContext<LiveListClient | undefined>(undefined)

/** The rules and lists of one person. */
export interface RulesProviderProps {
  readonly rules: RulesClient<any>
  /** The live lists, over one connection. Without it, each list has its own connection. */
  readonly lists?: LiveListClient
  readonly children?: ReactNode
}

/**
 * Provides the rules of one person to the components inside, and loads them.
 *
 * @example
 * const rules = rulesClient<typeof book>({ url: '/api/my-rules' })
 * const lists = liveListClient({ url: '/api/my-lists', rulesChanged: () => rules.refresh() })
 * <RulesProvider rules={rules} lists={lists}><App /></RulesProvider>
 */
export function RulesProvider({ rules, lists, children }: RulesProviderProps): ReactElement {
  useEffect(() => {
    // If loading fails, the state says so.
    rules.refresh().catch(() => undefined)
  }, [rules])
  return createElement(Rules.Provider, { value: rules }, createElement(Lists.Provider, { value: lists }, children))
}

function useKept(): RulesClient {
  const rules = useContext(Rules)
  if (rules === undefined) throw new Error('useRules and the other hooks need a <RulesProvider> around them')
  return rules
}

/** The rules as they are now, with their state. The component renders again when they change. */
export function useRules(): { readonly view: PageView; readonly state: RulesClient['state']; readonly refresh: () => Promise<PageView> } {
  const rules = useKept()
  const view = useSyncExternalStore(
    rules.subscribe,
    () => rules.view,
    () => rules.view,
  )
  const state = useSyncExternalStore(
    rules.subscribe,
    () => rules.state,
    () => rules.state,
  )
  return { view, state, refresh: rules.refresh }
}

/**
 * May the person do this to this record? For buttons and forms.
 *
 * @example
 * const { allowed, message } = useVerdict('delete', 'plot', plot)
 */
export function useVerdict(action: string, type: string, record: object, options?: VerdictOptions): PageVerdict {
  return useRules().view.verdict(action, type, record, options)
}

/**
 * The same, with the server's verdict if the page cannot work it out. Until that arrives, nothing is allowed. It is requested again
 * if the rules or the question change, or a value in `since`: lists that the answer depends on, for example.
 *
 * @example
 * const { allowed, message } = useServerVerdict('create', 'entry', { plotId, audience: 'plot', text: 'Sown.' }, { since: [plot, shares] })
 */
export function useServerVerdict(
  action: string,
  type: string,
  record: object,
  { since = [], ...options }: VerdictOptions & { readonly since?: readonly unknown[] } = {},
): PageVerdict & { readonly asking: boolean } {
  const rules = useKept()
  const { view } = useRules()
  const mine = view.verdict(action, type, record, options)
  const isOpen = mine.outcome === 'ask the server'
  const question = JSON.stringify([action, type, record, options.changes ?? null])
  const [answer, setAnswer] = useState<{ readonly question: string; readonly view: PageView; readonly verdict: PageVerdict }>()
  const latest = useRef({ record, options })
  latest.current = { record, options }
  useEffect(() => {
    if (!isOpen) return
    let gone = false
    rules.serverVerdict(action, type, latest.current.record, latest.current.options).then((verdict) => {
      if (!gone) setAnswer({ question, view, verdict })
    })
    return () => {
      gone = true
    }
  }, [rules, view, question, isOpen, ...since])
  // While the question is asked again under the same rules, the previous answer stays.
  const told = answer?.question === question && answer.view === view ? answer.verdict : undefined
  return { ...(isOpen ? (told ?? mine) : mine), asking: isOpen && told === undefined }
}

/** Whether the page may be opened, and where to redirect if not; undefined until the rules are loaded. */
export function useRouteAccess(needs: RouteNeeds, here?: string): RouteAccess | undefined {
  const { view, state } = useRules()
  return state === 'loading' ? undefined : checkRoute(view, needs, here)
}

/**
 * A live list, for as long as the component is mounted. If the provider has `lists`, the address is below the routes
 * (`plots?where.state=let`). Otherwise it is the address of the list itself (`/api/plots?where.state=let`).
 *
 * @example
 * const { records, state, message } = useLiveList('plots?where.state=let&may=update')
 */
export function useLiveList(url: string, source: Omit<LiveSource, 'url'> = {}): Pick<LiveList, 'records' | 'state' | 'message'> {
  const rules = useContext(Rules)
  const lists = useContext(Lists)
  const latest = useRef(source)
  latest.current = source
  const [list, setList] = useState<LiveList>()
  useEffect(() => {
    const rulesChanged = () => {
      latest.current.rulesChanged?.()
      rules?.refresh().catch(() => undefined)
    }
    const made = lists?.watch(url) ?? liveList({ ...latest.current, url, rulesChanged })
    setList(made)
    return () => {
      setList(undefined)
      made.close()
    }
  }, [url, rules, lists])
  const subscribe = useMemo(() => (changed: () => void) => list?.subscribe(changed) ?? (() => undefined), [list])
  const records = useSyncExternalStore(
    subscribe,
    () => list?.records ?? NONE,
    () => NONE,
  )
  const state = useSyncExternalStore(
    subscribe,
    () => list?.state ?? 'loading',
    () => 'loading' as const,
  )
  return { records, state, message: list?.message }
}

const NONE: LiveList['records'] = Object.freeze([])

/** The hooks, typed by a rulebook. */
export interface Hooks<W extends World = World> {
  useRules(): { readonly view: PageView<W>; readonly state: RulesClient['state']; readonly refresh: () => Promise<PageView<W>> }
  useVerdict<K extends TypeName<W>>(
    action: PageAction<W, K>,
    type: K,
    record: PageRecord<W, K>,
    options?: VerdictOptions<W, K>,
  ): PageVerdict<PageField<W, K>>
  useServerVerdict<K extends TypeName<W>>(
    action: PageAction<W, K>,
    type: K,
    record: PageRecord<W, K>,
    options?: VerdictOptions<W, K> & { readonly since?: readonly unknown[] },
  ): PageVerdict<PageField<W, K>> & { readonly asking: boolean }
  useRouteAccess<K extends TypeName<W>>(needs: RouteNeeds<W, K>, here?: string): RouteAccess | undefined
  /** `K` is the type of the records: `useLiveList<'plot'>('plots?where.state=let')`. */
  useLiveList<K extends TypeName<W>>(
    url: string,
    source?: Omit<LiveSource, 'url'>,
  ): Pick<LiveList, 'state' | 'message'> & { readonly records: readonly PageRecord<W, K>[] }
}

/**
 * The hooks with the types of a rulebook: a wrong action, record type, field or privilege does not compile. The type brings no
 * code into the page.
 *
 * @example
 * import type { book } from '../server/rules.js'
 * export const { useRules, useVerdict } = createHooks<typeof book>()
 */
export function createHooks<B>(): Hooks<WorldIn<B>> {
  return Object.freeze({ useRules, useVerdict, useServerVerdict, useRouteAccess, useLiveList }) as Hooks as unknown as Hooks<WorldIn<B>>
}
