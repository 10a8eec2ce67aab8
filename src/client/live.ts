import { again, readEvents, refusalOf } from './events.js'
import { type Held, holdList, type LiveList, listOf } from './list-state.js'

/** Where lists come from. */
interface Source {
  readonly headers?: () => Record<string, string> | Promise<Record<string, string>>
  /** Default: the browser's. */
  readonly fetch?: typeof fetch
  /** Is told that what the person may do has changed: to ask for the rules again. */
  readonly rulesChanged?: () => void
}

/** A list to be kept up to date. */
export interface LiveSource extends Source {
  /** Its address, with its filters: `/api/plots?where.state=let&may=update`. */
  readonly url: string
  /** The field that is the key of its records. Default: `id`. */
  readonly key?: string
}

/**
 * Keeps a list up to date by Server-Sent Events. When the connection is lost it is made again, the whole list comes anew, and what
 * has changed meanwhile is changed here. For several lists of a page: `keepLists`.
 *
 * @example
 * const list = watchList({ url: '/api/plots?where.state=vacant', rulesChanged: () => rules.refresh() })
 * list.subscribe(() => show(list.records))
 */
export function watchList({ url, key = 'id', headers, fetch: ask = globalThis.fetch, rulesChanged }: LiveSource): LiveList {
  const closing = new AbortController()
  const held = holdList(key)
  const isOver = () => closing.signal.aborted || held.isOver
  const read = async () => {
    const response = await ask(url, { headers: { accept: 'text/event-stream', ...(await headers?.()) }, signal: closing.signal })
    if (!response.ok || response.body === null) return held.over('refused', await refusalOf(response))
    await readEvents(response.body, (event, data) => void (held.take(event, data) || (event === 'rules' && rulesChanged?.())), isOver)
  }
  void again(read, held.lost, isOver)
  return listOf(held, () => closing.abort())
}

/** Several lists to be kept up to date by one connection. */
export interface ListsSource extends Source {
  /** Where the server keeps several: `/api/my-lists`. */
  readonly url: string
}

/** The lists of a page. */
export interface KeptLists {
  /**
   * A list by its address below the routes, `plots?where.state=let&may=update`: the same one for all who ask for it, until each of them
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
 * Keeps the lists of a page up to date by one connection, of which a browser makes six to a server and no more. Which lists are wanted
 * may change: then the connection is made anew, and what is there stays until it is told again.
 *
 * @example
 * const lists = keepLists({ url: '/api/my-lists', rulesChanged: () => rules.refresh() })
 * const plots = lists.watch('plots?may=update')
 * plots.subscribe(() => show(plots.records))
 */
export function keepLists({ url, headers, fetch: ask = globalThis.fetch, rulesChanged }: ListsSource): KeptLists {
  const wanted = new Map<string, Wanted>()
  let connection: AbortController | undefined
  let connected = ''
  let planned: ReturnType<typeof setTimeout> | undefined
  let told: ReturnType<typeof setTimeout> | undefined

  function connect(): void {
    planned = undefined
    const lists = [...wanted].flatMap(([address, { held }]) => (held.isOver ? [] : [{ address, held }]))
    const search = lists.map(({ address }) => `list=${encodeURIComponent(address)}`).join('&')
    if (search === connected) return
    connected = search
    connection?.abort()
    connection = undefined
    if (lists.length === 0) return
    const mine = new AbortController()
    connection = mine
    const isOver = () => mine.signal.aborted || lists.every(({ held }) => held.isOver)
    const take = (event: string, data: { readonly [name: string]: unknown }) => {
      if (isOver()) return
      // Each list says so; one question is enough.
      if (event === 'rules') told ??= setTimeout(tellRules, 20)
      // Somebody who is not known any more sees none of them.
      else if (data.list === undefined) for (const { held } of lists) held.take(event, data)
      else {
        const held = lists[data.list as number]?.held
        held?.take(event, data)
        if (event !== 'ended' || data.why !== 'failed') return
        // A list that failed is asked for again, with all others.
        held?.lost()
        connected = ''
        plan(1000)
      }
    }
    const read = async () => {
      const asked = { headers: { accept: 'text/event-stream', ...(await headers?.()) }, signal: mine.signal }
      const response = await ask(`${url}?${search}`, asked)
      if (!response.ok || response.body === null) {
        const saying = await refusalOf(response)
        for (const { held } of lists) held.over('refused', saying)
      } else await readEvents(response.body, take, isOver)
    }
    const lost = () => {
      for (const { held } of lists) held.lost()
    }
    void again(read, lost, isOver)
  }

  function tellRules(): void {
    told = undefined
    rulesChanged?.()
  }

  function plan(wait = 0): void {
    planned ??= setTimeout(connect, wait)
  }

  function begin(address: string, key: string): Wanted {
    const mine = { users: 0, held: holdList(key) }
    wanted.set(address, mine)
    connected = ''
    plan()
    return mine
  }

  return Object.freeze({
    watch(address: string, key = 'id') {
      const there = wanted.get(address)
      const mine = there === undefined || there.held.isOver ? begin(address, key) : there
      mine.users++
      return listOf(mine.held, () => {
        if (--mine.users > 0 || wanted.get(address) !== mine) return
        wanted.delete(address)
        plan()
      })
    },
    close() {
      clearTimeout(planned)
      clearTimeout(told)
      wanted.clear()
      connection?.abort()
      connection = undefined
      connected = ''
    },
  })
}
