/** A record of a list: as it is, or with what may be done to it where that was asked for with `may=`. */
export type LiveRecord = Readonly<Record<string, unknown>>

/** A list to be kept up to date. */
export interface LiveSource {
  /** Its address, with its filters: `/api/plots?where.state=let&may=update`. */
  readonly url: string
  /** The field that is the key of its records. Default: `id`. */
  readonly key?: string
  readonly headers?: () => Record<string, string> | Promise<Record<string, string>>
  /** Default: the browser's. */
  readonly fetch?: typeof fetch
  /** Is told that what the person may do has changed: to ask for the rules again. */
  readonly rulesChanged?: () => void
}

/** A list that is kept up to date, through lost connections as well. */
export interface LiveList {
  /** The records, in the order in which they came; a new array whenever something has changed. */
  readonly records: readonly LiveRecord[]
  /** `loading` at first; `live`; `lost` while the connection is, and what is here may be old; `refused` or `ended` for good. */
  readonly state: 'loading' | 'live' | 'lost' | 'refused' | 'ended'
  /** Why it was refused or has ended, in words. */
  readonly saying: string | undefined
  subscribe(changed: () => void): () => void
  close(): void
}

/**
 * Keeps a list up to date by Server-Sent Events. Read by `fetch`, so that credentials can be sent along. When the connection is
 * lost it is made again, the whole list comes anew, and what has changed meanwhile is changed here.
 *
 * @example
 * const list = watchList({ url: '/api/plots?where.state=vacant', rulesChanged: () => rules.refresh() })
 * list.subscribe(() => show(list.records))
 */
export function watchList({ url, key = 'id', headers, fetch: ask = globalThis.fetch, rulesChanged }: LiveSource): LiveList {
  const held = new Map<unknown, LiveRecord>()
  let records: readonly LiveRecord[] = []
  let state: LiveList['state'] = 'loading'
  let saying: string | undefined
  const closing = new AbortController()
  const hearers = new Set<() => void>()
  const changed = (now: LiveList['state'], why?: string) => {
    state = now
    saying = why
    records = Object.freeze([...held.values()])
    for (const hear of hearers) hear()
  }
  const keyOf = (record: LiveRecord) => (Object.hasOwn(record, key) ? record : ((record.record ?? {}) as LiveRecord))[key]
  const isOver = () => closing.signal.aborted || state === 'refused' || state === 'ended'

  function take(event: string, data: { readonly [name: string]: unknown }): void {
    if (event === 'listed') {
      const listed = data.records as LiveRecord[]
      held.clear()
      for (const one of listed) held.set(keyOf(one), one)
    } else if (event === 'appeared' || event === 'changed') held.set(data.key, data.record as LiveRecord)
    else if (event === 'gone') held.delete(data.key)
    else if (event === 'rules') return void rulesChanged?.()
    else if (event !== 'ended') return
    if (event === 'ended' && data.why === 'failed') return
    if (event === 'ended') {
      // Nothing of it is to be seen any longer, whoever may look at the screen next.
      held.clear()
      return changed('ended', data.why === 'sign in' ? 'Sign in again.' : 'There are too many: narrow the list.')
    }
    changed('live')
  }

  async function read(): Promise<void> {
    const response = await ask(url, { headers: { accept: 'text/event-stream', ...(await headers?.()) }, signal: closing.signal })
    if (!response.ok || response.body === null) {
      const problem = (await response.json().catch(() => ({}))) as { detail?: string }
      if (response.status >= 500 || response.status === 429) throw new Error(problem.detail)
      held.clear()
      return changed('refused', problem.detail ?? `The server answers ${response.status}.`)
    }
    const reader = response.body.getReader()
    const decoder = new TextDecoder()
    let text = ''
    for (let part = await reader.read(); !part.done && !isOver(); part = await reader.read()) {
      text += decoder.decode(part.value, { stream: true })
      const blocks = text.split(/\r?\n\r?\n/)
      text = blocks.pop() as string
      for (const block of blocks) {
        const lines = block.split(/\r?\n/)
        const said = (name: string) =>
          lines.filter((line) => line.startsWith(`${name}:`)).map((line) => line.slice(name.length + 1).trimStart())
        const [event] = said('event')
        if (event !== undefined) take(event, JSON.parse(said('data').join('\n')))
      }
    }
  }

  void (async () => {
    for (let tries = 0; !isOver(); tries++) {
      const began = Date.now()
      await read().catch(() => undefined)
      if (isOver()) return
      if ((state as string) === 'live') changed('lost')
      if (Date.now() - began > 5000) tries = 0
      // Not all at once, when a server comes back.
      const wait = Math.min(30_000, 250 * 2 ** Math.min(tries, 7)) * (0.5 + Math.random() / 2)
      await new Promise((resolve) => setTimeout(resolve, wait))
    }
  })()

  return Object.freeze({
    get records() {
      return records
    },
    get state() {
      return state
    },
    get saying() {
      return saying
    },
    subscribe(hear: () => void) {
      hearers.add(hear)
      return () => hearers.delete(hear)
    },
    close() {
      closing.abort()
      hearers.clear()
    },
  })
}
