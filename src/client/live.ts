import { again, readEvents, refusalOf, type Take } from './events.js'
import { type Held, holdList, type LiveList, listOf } from './list-state.js'

/** The source of live lists. */
interface Source {
  readonly headers?: () => Record<string, string> | Promise<Record<string, string>>
  /** Default: that of the browser. */
  readonly fetch?: typeof fetch
  /** Called when the person's rules have changed, so that they can be loaded again. */
  readonly rulesChanged?: () => void
}

/** The source of one live list. */
export interface LiveSource extends Source {
  /** Its address, with its filters: `/api/plots?where.state=let&may=update`. */
  readonly url: string
  /** The field that is the key of its records. Default: `id`. */
  readonly key?: string
}

/**
 * Keeps a list up to date by Server-Sent Events. When the connection is lost, it reconnects, loads the whole list again and applies
 * what has changed in the meantime. For several lists on one page, use `liveListClient`.
 *
 * @example
 * const list = liveList({ url: '/api/plots?where.state=vacant', rulesChanged: () => rules.refresh() })
 * list.subscribe(() => show(list.records))
 */
export function liveList({ url, key = 'id', ...source }: LiveSource): LiveList {
  const closing = new AbortController()
  const held = holdList(key)
  const isOver = () => closing.signal.aborted || held.isOver
  const take: Take = (event, data) => void (held.take(event, data) || (event === 'rules' && source.rulesChanged?.()))
  void again(() => listen(source, url, closing.signal, take, isOver, [held]), held.lost, isOver)
  return listOf(held, () => closing.abort())
}

/** Requests events once and reads them until they end. If the server refuses, the lists end. */
async function listen(
  { headers, fetch: ask = globalThis.fetch }: Source,
  url: string,
  signal: AbortSignal,
  take: Take,
  isOver: () => boolean,
  lists: readonly Held[],
): Promise<void> {
  const response = await ask(url, { headers: { accept: 'text/event-stream', ...(await headers?.()) }, signal })
  if (response.ok && response.body !== null) return readEvents(response.body, take, isOver)
  const message = await refusalOf(response)
  for (const held of lists) held.over('refused', message)
}

/** The source of several live lists over one connection. */
export interface ListsSource extends Source {
  /** The address for several lists: `/api/my-lists`. */
  readonly url: string
}

/** The live lists of a page. */
export interface LiveListClient {
  /**
   * A list by its address below the routes, `plots?where.state=let&may=update`. All callers with the same address share it, until each of them
   * has closed it. `key` is the field that is the key of its records. Default: `id`.
   */
  watch(address: string, key?: string): LiveList
  /** Closes all of them. */
  close(): void
}

interface Wanted {
  readonly held: Held
  users: number
}

/**
 * Keeps the lists of a page up to date over one connection, since browsers allow only six to a server. The set of lists
 * may change: it then reconnects, and keeps the records that it has until the server has sent them again.
 *
 * @example
 * const lists = liveListClient({ url: '/api/my-lists', rulesChanged: () => rules.refresh() })
 * const plots = lists.watch('plots?may=update')
 * plots.subscribe(() => show(plots.records))
 */
export function liveListClient(source: ListsSource): LiveListClient {
  const lists = new Connection(source)
  return Object.freeze({
    watch: (address: string, key = 'id') => lists.watch(address, key),
    close: () => lists.close(),
  })
}

class Connection {
  readonly #source: ListsSource
  readonly #wanted = new Map<string, Wanted>()
  #connection: AbortController | undefined
  #connected = ''
  #planned: ReturnType<typeof setTimeout> | undefined
  #told: ReturnType<typeof setTimeout> | undefined

  constructor(source: ListsSource) {
    this.#source = source
  }

  watch(address: string, key: string): ReturnType<typeof listOf> {
    let mine = this.#wanted.get(address)
    if (mine === undefined || mine.held.isOver) {
      mine = { users: 0, held: holdList(key) }
      this.#wanted.set(address, mine)
      this.#connected = ''
      this.#plan()
    }
    mine.users++
    return listOf(mine.held, () => {
      if (--mine.users > 0 || this.#wanted.get(address) !== mine) return
      this.#wanted.delete(address)
      this.#plan()
    })
  }

  close(): void {
    clearTimeout(this.#planned)
    clearTimeout(this.#told)
    this.#wanted.clear()
    this.#connection?.abort()
    this.#connected = ''
  }

  #plan(wait = 0): void {
    this.#planned ??= setTimeout(() => this.#connect(), wait)
  }

  #connect(): void {
    this.#planned = undefined
    const lists = [...this.#wanted].flatMap(([address, { held }]) => (held.isOver ? [] : [{ address, held }]))
    const search = lists.map(({ address }) => `list=${encodeURIComponent(address)}`).join('&')
    if (search === this.#connected) return
    this.#connected = search
    this.#connection?.abort()
    if (lists.length === 0) return
    const mine = new AbortController()
    this.#connection = mine
    const all = lists.map(({ held }) => held)
    const isOver = () => mine.signal.aborted || all.every((held) => held.isOver)
    const take: Take = (event, data) => isOver() || this.#take(all, event, data)
    const read = () => listen(this.#source, `${this.#source.url}?${search}`, mine.signal, take, isOver, all)
    const lost = () => {
      for (const held of all) held.lost()
    }
    void again(read, lost, isOver)
  }

  #take(lists: readonly Held[], event: string, data: { readonly [name: string]: unknown }): void {
    // Each list reports it, and one callback is enough.
    if (event === 'rules')
      this.#told ??= setTimeout(() => {
        this.#told = undefined
        this.#source.rulesChanged?.()
      }, 20)
    // A person whose session has ended must not see any of the lists.
    else if (data.list === undefined) for (const held of lists) held.take(event, data)
    else {
      const held = lists[data.list as number]
      held?.take(event, data)
      if (event !== 'ended' || data.why !== 'failed') return
      // If one list failed, all of them are requested again.
      held?.lost()
      this.#connected = ''
      this.#plan(1000)
    }
  }
}
