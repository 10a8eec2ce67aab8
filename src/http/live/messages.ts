import type { Row } from '../../condition/index.js'
import { type Key, type Model, typeModel } from '../../rulebook/index.js'
import type { RecordChange } from '../../store/index.js'
import { asShaped } from '../body.js'

/** How server processes tell each other about writes. */
export interface Messages {
  /** Sends to all other processes. */
  send(text: string): Promise<unknown> | unknown
  /** Receives what others send. `missed` is called when messages may have been lost. Returns a function to unsubscribe. */
  listen(heard: (text: string) => void, missed: () => void): Promise<() => unknown> | (() => unknown)
}

/** Changes as text, with the process that they come from. */
export function changesText(from: string, changes: readonly RecordChange[]): string {
  return JSON.stringify({ from, changes })
}

/** Reads changes from text. Undefined if they come from this process, or the text is not valid. */
export function readChanges(model: Model, own: string, text: string): readonly RecordChange[] | undefined {
  const { from, changes } = JSON.parse(text) as { from: string; changes: readonly { type: string; key: Key; before?: Row; after?: Row }[] }
  if (from === own) return undefined
  return changes.map(({ type, key, before, after }) => {
    const known = typeModel(model, type)
    return { type, key, ...(before ? { before: asShaped(known, before) } : {}), ...(after ? { after: asShaped(known, after) } : {}) }
  })
}

/** The part of a Redis client (`redis` 5) that is needed to publish. */
interface Publisher {
  publish(channel: string, message: string): Promise<unknown>
}

/** The part of one that is needed to subscribe. A client that subscribes does nothing else. */
interface Subscriber {
  subscribe(channel: string, heard: (message: string) => void): Promise<unknown>
  unsubscribe(channel: string): Promise<unknown>
  on(event: 'ready', then: () => void): unknown
  off(event: 'ready', then: () => void): unknown
}

/**
 * Tells other server processes over Redis (publish and subscribe). Give two clients of the package `redis`, connected: one that
 * publishes, and one of its own to subscribe. Messages sent while the connection is down are lost, so every list is checked again
 * after a reconnect.
 *
 * @example
 * const client = await createClient().connect()
 * liveLists({ messages: overRedis(client, await client.duplicate().connect()) })
 */
export function overRedis(publisher: Publisher, subscriber: Subscriber, channel = 'pachter:changes'): Messages {
  return {
    send: (text) => publisher.publish(channel, text),
    async listen(heard, missed) {
      await subscriber.subscribe(channel, heard)
      subscriber.on('ready', missed)
      return async () => {
        subscriber.off('ready', missed)
        await subscriber.unsubscribe(channel)
      }
    },
  }
}
