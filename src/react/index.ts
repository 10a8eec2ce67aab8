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
import {
  type KeptRules,
  type Knowing,
  type LiveList,
  type LiveSource,
  type Needs,
  type PageVerdict,
  type PageView,
  type Passage,
  passageOf,
  watchList,
} from '../client/index.js'

const Rules = createContext<KeptRules | undefined>(undefined)

/**
 * Gives one person's rules to all that is within, and asks for them at first.
 *
 * @example
 * <RulesProvider rules={keepRules({ url: '/api/my-rules' })}><App /></RulesProvider>
 */
export function RulesProvider({ rules, children }: { readonly rules: KeptRules; readonly children?: ReactNode }): ReactElement {
  useEffect(() => {
    // Where they cannot be had, their state says so.
    rules.refresh().catch(() => undefined)
  }, [rules])
  return createElement(Rules.Provider, { value: rules }, children)
}

function useKept(): KeptRules {
  const rules = useContext(Rules)
  if (rules === undefined) throw new Error('useRules and its like work within a RulesProvider')
  return rules
}

/** The rules as they are now, with their state; drawn anew whenever they change. */
export function useRules(): { readonly view: PageView; readonly state: KeptRules['state']; readonly refresh: () => Promise<PageView> } {
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
 * const { allowed, saying } = useVerdict('delete', 'plot', plot)
 */
export function useVerdict(action: string, type: string, record: object, knowing?: Knowing): PageVerdict {
  return useRules().view.verdict(action, type, record, knowing)
}

/** Whether a page may be opened, and where to go instead: undefined as long as the rules are not here. */
export function usePassage(needs: Needs, here?: string): Passage | undefined {
  const { view, state } = useRules()
  return state === 'loading' ? undefined : passageOf(view, needs, here)
}

/**
 * A list that is kept up to date as long as the component is there. The address says which.
 *
 * @example
 * const { records, state, saying } = useLiveList('/api/plots?where.state=let')
 */
export function useLiveList(url: string, source: Omit<LiveSource, 'url'> = {}): Pick<LiveList, 'records' | 'state' | 'saying'> {
  const rules = useContext(Rules)
  const latest = useRef(source)
  latest.current = source
  const [list, setList] = useState<LiveList>()
  useEffect(() => {
    const made = watchList({
      ...latest.current,
      url,
      rulesChanged: () => {
        latest.current.rulesChanged?.()
        rules?.refresh().catch(() => undefined)
      },
    })
    setList(made)
    return () => made.close()
  }, [url, rules])
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
  return { records, state, saying: list?.saying }
}

const NONE: LiveList['records'] = Object.freeze([])
