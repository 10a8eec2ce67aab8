import { jsonText, type Row } from '../../condition/index.js'
import { type Key, keyOf } from '../../rulebook/index.js'
import { forget, type LiveEvent, type Subscription } from './subscription.js'

/** Compares the current records with what a subscription received last, and sends the difference. */
export function compare(subscription: Subscription, records: readonly Row[], of: readonly Key[], told: (event: LiveEvent) => void): void {
  const { shown, type, watched } = subscription
  const showing = watched.showing.get(type.name) ?? new Map<Key, Set<Subscription>>()
  watched.showing.set(type.name, showing)
  const left = new Set(of.filter((key) => shown.has(key)))
  for (const one of records) {
    const key = keyShown(subscription, one)
    left.delete(key)
    const seen = digest(jsonText(one))
    const before = shown.get(key)
    if (before === seen) continue
    shown.set(key, seen)
    if (before === undefined) showing.set(key, (showing.get(key) ?? new Set()).add(subscription))
    told({ event: before === undefined ? 'appeared' : 'changed', key, record: one })
  }
  for (const key of left) {
    shown.delete(key)
    forget(showing, key, subscription)
    told({ event: 'gone', key })
  }
}

/** The key of a record as it is sent. */
export function keyShown({ type, query }: Pick<Subscription, 'type' | 'query'>, one: Row): Key {
  return keyOf(type, query.withActions?.length ? (one.record as Row) : one)
}

/** A 64-bit hash of a text: FNV-1a twice, with different starting values. */
function digest(text: string): string {
  let a = 0x811c9dc5
  let b = 0x9747b28c
  for (let at = 0; at < text.length; at++) {
    const unit = text.charCodeAt(at)
    a = Math.imul(a ^ unit, 0x01000193)
    b = Math.imul(b ^ (unit + at), 0x01000193)
  }
  return `${(a >>> 0).toString(36)}.${(b >>> 0).toString(36)}`
}
