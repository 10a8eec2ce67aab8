import { again, listen, post, type Source } from './events.js'
import { type Held, holdList, type LiveList, listOf } from './list-state.js'

interface Wanted {
  readonly address: string
  readonly held: Held
  users: number
}

/** The live lists of a page, over one connection. */
export interface ListsConnection {
  watch(address: string): LiveList
  close(): void
}

/** Brings the lists of a stream to those that are wanted. Returns what to change on the server; undefined if nothing. */
function bringTo(open: readonly Wanted[], lists: Wanted[]): object | undefined {
  const add: { [number: number]: string } = {}
  const remove: number[] = []
  lists.forEach((one, number) => {
    if (open.includes(one)) return
    delete lists[number]
    remove.push(number)
  })
  let isSame = remove.length === 0
  for (const one of open)
    if (!lists.includes(one)) {
      add[lists.push(one) - 1] = one.address
      isSame = false
    }
  return isSame ? undefined : { add, remove }
}

/** Calls it once after the time, however often it is asked to in between. */
function onceSoon(work: () => void): (wait?: number) => void {
  let isPlanned = false
  return (wait) => {
    if (isPlanned) return
    isPlanned = true
    setTimeout(() => {
      isPlanned = false
      work()
    }, wait)
  }
}

export function listsConnection(source: Source & { readonly url: string }): ListsConnection {
  const wanted = new Map<string, Wanted>()
  // The lists of the open stream by their numbers, and the name of the stream. Closed lists leave a hole: numbers are not used again.
  let lists: Wanted[] = []
  let stream: unknown
  let connection: AbortController | undefined
  let changing = false

  /** Lists that are wanted and have not ended. */
  const openLists = () => [...wanted.values()].filter(({ held }) => !held.isOver())
  const plan = onceSoon(() => void update())
  // Each list reports changed rules, and one callback is enough.
  const tellRules = onceSoon(() => source.rulesChanged?.())
  const disconnect = () => {
    connection?.abort()
    connection = stream = undefined
  }

  /** Brings the open stream to the lists that are wanted now. */
  async function update(): Promise<void> {
    const open = openLists()
    if (open.length === 0) return disconnect()
    if (connection === undefined) return connect()
    // Continued when the stream has begun, or when the change is done.
    if (stream === undefined || changing) return
    const change = bringTo(open, lists)
    if (change === undefined) return
    changing = true
    const response = await post(source, `${source.url}/${stream}`, change).catch(() => undefined)
    changing = false
    // For example if the request reached another server than the stream.
    if (!response?.ok) disconnect()
    plan()
  }

  function connect(): void {
    const mine = new AbortController()
    connection = mine
    const isOver = () => mine.signal.aborted || openLists().length === 0
    const read = () => {
      stream = undefined
      lists = openLists()
      const url = `${source.url}?${lists.map(({ address }) => `list=${encodeURIComponent(address)}`).join('&')}`
      return listen(source, url, mine.signal, take, isOver, lists)
    }
    const lost = () => {
      stream = undefined
      for (const { held } of openLists()) held.lost()
    }
    void again(read, lost, isOver).then(() => {
      if (connection !== mine) return
      disconnect()
      plan()
    })
  }

  function take(event: string, data: { readonly [name: string]: unknown }): void {
    const number = data.list as number | undefined
    // Lists may have been added while it began.
    if (event === 'stream') {
      stream = data.id
      plan()
    } else if (event === 'rules') tellRules(20)
    // A person whose session has ended must not see any of the lists.
    else if (number === undefined) for (const { held } of openLists()) held.take(event, data)
    else {
      const held = lists[number]?.held
      held?.take(event, data)
      if (event !== 'ended' || data.why !== 'failed') return
      // A list that failed is requested again.
      held?.lost()
      delete lists[number]
      plan(1000)
    }
  }

  return Object.freeze({
    watch(address: string) {
      const there = wanted.get(address)
      const mine = there === undefined || there.held.isOver() ? { address, users: 0, held: holdList() } : there
      mine.users++
      wanted.set(address, mine)
      plan()
      return listOf(mine.held, () => {
        if (--mine.users > 0 || wanted.get(address) !== mine) return
        wanted.delete(address)
        plan()
      })
    },
    close() {
      wanted.clear()
      disconnect()
    },
  })
}
