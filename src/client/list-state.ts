/** A record of a list; with `may=`, together with its verdicts. */
export type LiveRecord = Readonly<Record<string, unknown>>

/** A live list. It survives lost connections. */
export interface LiveList {
  /** The records, in the order in which they arrived; a new array after every change. */
  readonly records: readonly LiveRecord[]
  /** `loading` at first; `live`; `lost` while disconnected, when the records may be out of date; `refused` or `ended` for good. */
  readonly state: 'loading' | 'live' | 'lost' | 'refused' | 'ended'
  /** The message, if it was refused or has ended. */
  readonly message: string | undefined
  subscribe(changed: () => void): () => void
  close(): void
}

/** The records of a list as last received, with the callbacks to call on changes. */
export interface Held {
  readonly now: Pick<LiveList, 'records' | 'state' | 'message'>
  subscribe(changed: () => void): () => void
  /** Takes an event and returns whether it was for this list. */
  take(event: string, data: { readonly [name: string]: unknown }): boolean
  /** Marks the list as disconnected: its records may be out of date. */
  lost(): void
  /** Ends the list for good and clears it, because the next person at this screen must not see its records. */
  over(state: 'refused' | 'ended', message: string): void
  isOver(): boolean
}

const ENDED: { readonly [why: string]: string } = {
  'sign in': 'Sign in again.',
  'too many': 'This list is too long. Narrow it with filters.',
}

/** Holds the state of a list. A record that arrives again unchanged stays the same object. */
export function holdList(): Held {
  const held = new Map<unknown, LiveRecord>()
  let records: readonly LiveRecord[] = Object.freeze([])
  let state: LiveList['state'] = 'loading'
  let message: string | undefined
  const subscribers = new Set<() => void>()
  const isOver = () => state === 'refused' || state === 'ended'
  const changed = (now: LiveList['state'], why?: string) => {
    if (isOver()) return
    state = now
    message = why
    for (const listener of subscribers) listener()
  }
  const draw = () => {
    records = Object.freeze([...held.values()])
    changed('live')
  }
  const over = (now: 'refused' | 'ended', why: string) => {
    held.clear()
    records = Object.freeze([])
    changed(now, why)
  }
  return {
    get now() {
      return { records, state, message }
    },
    subscribe(listener) {
      subscribers.add(listener)
      return () => subscribers.delete(listener)
    },
    take(event, data) {
      if (event === 'listed') {
        const keys = data.keys as unknown[]
        const told = (data.records as LiveRecord[]).map((one, at) => {
          const before = held.get(keys[at]) as LiveRecord
          return JSON.stringify(before) === JSON.stringify(one) ? before : one
        })
        const same = told.length === records.length && told.every((one, at) => one === records[at])
        held.clear()
        for (const [at, one] of told.entries()) held.set(keys[at], one)
        if (!same || state !== 'live') draw()
      } else if (event === 'appeared' || event === 'changed') {
        held.set(data.key, data.record as LiveRecord)
        draw()
      } else if (event === 'gone') {
        held.delete(data.key)
        draw()
      } else if (event === 'refused') over('refused', (data.detail as string | undefined) ?? 'This list is not available.')
      // After a failure, try again.
      else if (event === 'ended' && data.why !== 'failed') over('ended', ENDED[data.why as string] ?? 'This list has ended.')
      else return event === 'ended'
      return true
    },
    lost() {
      if (state === 'live') changed('lost')
    },
    over,
    isOver,
  }
}

/** A list for one subscriber. Several subscribers can share it. */
export function listOf(held: Held, close: () => void): LiveList {
  const stops = new Set<() => void>()
  let closed = false
  return Object.freeze({
    get records() {
      return held.now.records
    },
    get state() {
      return held.now.state
    },
    get message() {
      return held.now.message
    },
    subscribe(listener: () => void) {
      const stop = held.subscribe(listener)
      stops.add(stop)
      return () => {
        stops.delete(stop)
        stop()
      }
    },
    close() {
      for (const stop of stops) stop()
      if (!closed) close()
      closed = true
    },
  })
}
