import { again, listen, type Source, type Take } from './events.js'
import { holdList, type LiveList, listOf } from './list-state.js'
import { listsConnection } from './lists-connection.js'

/** The source of one live list. */
export interface LiveSource extends Source {
  /** Its address, with its filters: `/api/plots?where.state=let&may=update`. */
  readonly url: string
}

/**
 * Keeps a list up to date by Server-Sent Events. When the connection is lost, it reconnects, loads the whole list again and applies
 * what has changed in the meantime. For several lists on one page, use `liveListClient`.
 *
 * @example
 * const list = liveList({ url: '/api/plots?where.state=vacant', rulesChanged: () => rules.refresh() })
 * list.subscribe(() => show(list.records))
 */
export function liveList({ url, ...source }: LiveSource): LiveList {
  const closing = new AbortController()
  const held = holdList()
  const isOver = () => closing.signal.aborted || held.isOver()
  const take: Take = (event, data) => void (held.take(event, data) || (event === 'rules' && source.rulesChanged?.()))
  void again(() => listen(source, url, closing.signal, take, isOver, [{ held }]), held.lost, isOver)
  return listOf(held, () => closing.abort())
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
   * has closed it.
   */
  watch(address: string): LiveList
  /** Closes all of them. */
  close(): void
}

/**
 * Keeps the lists of a page up to date over one connection, since browsers allow only six to a server. The set of lists
 * may change: the server then sends the added lists. If the connection is lost, the records stay until the server has sent them again.
 *
 * @example
 * const lists = liveListClient({ url: '/api/my-lists', rulesChanged: () => rules.refresh() })
 * const plots = lists.watch('plots?may=update')
 * plots.subscribe(() => show(plots.records))
 */
export function liveListClient(source: ListsSource): LiveListClient {
  return listsConnection(source)
}
