import type { TypeName, World } from '../rulebook/types.js'
import { post, request } from './events.js'
import type { PageAction, PageField, PageRecord, WorldIn } from './page-types.js'
import type { PageRules } from './rules.js'
import { no, type PageVerdict, type PageView, pageView, type VerdictOptions } from './view.js'

/** The source of the rules. */
export interface RulesSource {
  /** The address of the person's own rules: `/api/my-rules`. */
  readonly url: string
  /** Adds credentials, if the browser does not send them itself. */
  readonly headers?: () => Record<string, string> | Promise<Record<string, string>>
  /** Default: that of the browser. */
  readonly fetch?: typeof fetch
}

/** The rules of the signed-in person, kept up to date. */
export interface RulesClient<W extends World = World> {
  /** The view of the last response. Before the first one, it allows nothing. */
  readonly view: PageView<W>
  /** `loading` at first; `ready`; `lost` if loading failed, when the last view stays. */
  readonly state: 'loading' | 'ready' | 'lost'
  /** Loads the rules again: after signing in or out, or when a list reports that they have changed. */
  refresh(): Promise<PageView<W>>
  /**
   * The verdict of the page, or that of the server if the page cannot work it out: on a record with this key or, for `create`, on one to be sent.
   * Nothing is written. Questions at the same time share a request. If the server cannot be reached, nothing is allowed.
   *
   * @example
   * const { allowed } = await rules.serverVerdict('create', 'entry', { plotId: 'p-01', audience: 'plot', text: 'Sown.' })
   */
  serverVerdict<K extends TypeName<W>>(
    action: PageAction<W, K>,
    type: K,
    record: PageRecord<W, K>,
    options?: VerdictOptions<W, K>,
  ): Promise<PageVerdict<PageField<W, K>>>
  /** Calls back after every change. Returns a function that unsubscribes. */
  subscribe(changed: () => void): () => void
}

interface Asking {
  readonly question: object
  readonly answered: (verdict: PageVerdict) => void
}

const UNANSWERED = no('ask the server', 'The server cannot be reached.')
/** The server accepts this many questions at once. */
const AT_ONCE = 100

/** A view that allows nothing, used until rules are loaded. */
function closed(): PageView {
  const never = () => false
  const message = () => 'The rules are not loaded yet.'
  return Object.freeze({
    me: null,
    signIn: undefined,
    may: () => 'never' as const,
    verdict: () => no('ask the server', message()),
    fields: () => [],
    message,
    keyOf: () => '',
    has: never,
    mayCall: never,
  })
}

/**
 * Keeps the rules of one person in a page. With the type of the rulebook, unknown names do not compile. The type brings no
 * code into the page.
 *
 * @example
 * import type { book } from '../server/rules.js'
 * const rules = rulesClient<typeof book>({ url: '/api/my-rules' })
 * await rules.refresh()
 * if (rules.view.verdict('update', 'plot', plot).allowed) show(editButton)
 */
export function rulesClient<B = never>(source: RulesSource): RulesClient<WorldIn<B>> {
  const { url } = source
  let view = closed()
  let state: RulesClient['state'] = 'loading'
  let tag: string | null = null
  let asked = 0
  const subscribers = new Set<() => void>()
  const set = (next: PageView, now: RulesClient['state']) => {
    view = next
    state = now
    for (const listener of subscribers) listener()
  }
  const asking: Asking[] = []
  async function askAll(): Promise<void> {
    const those = asking.splice(0, AT_ONCE)
    if (asking.length > 0) void askAll()
    let verdicts: readonly PageVerdict[] = []
    try {
      const response = await post(source, `${url}/verdicts`, { questions: those.map(({ question }) => question) })
      if (response.ok) verdicts = ((await response.json()) as { verdicts: PageVerdict[] }).verdicts
    } catch {
      // Unknown is not allowed.
    }
    for (const [at, { answered }] of those.entries()) answered(verdicts[at] ?? UNANSWERED)
  }
  return Object.freeze({
    get view() {
      return view
    },
    async serverVerdict(action: string, type: string, record: object, options?: VerdictOptions) {
      const mine = view.verdict(action, type, record, options)
      if (mine.outcome !== 'ask the server' || state === 'loading') return mine
      const about = action === 'create' ? { record } : { key: view.keyOf(type, record), changes: options?.changes }
      return new Promise<PageVerdict>((answered) => {
        if (asking.push({ question: { action, type, ...about }, answered }) === 1) setTimeout(askAll, 0)
      })
    },
    get state() {
      return state
    },
    async refresh() {
      const mine = ++asked
      try {
        const known = tag === null ? {} : { 'if-none-match': tag }
        const response = await request(source, url, { headers: { accept: 'application/json', ...known } })
        // A newer question replaces the answer to an older one.
        if (mine !== asked) return view
        if (response.status === 304) {
          if (state !== 'ready') set(view, 'ready')
          return view
        }
        // A person whose session has ended may do nothing.
        if (response.status === 401) {
          tag = null
          set(closed(), 'ready')
          return view
        }
        if (!response.ok) throw new Error(`${url}: ${response.status}`)
        const next = pageView((await response.json()) as PageRules)
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
      subscribers.add(changed)
      return () => subscribers.delete(changed)
    },
  }) as RulesClient as RulesClient<WorldIn<B>>
}
