// The verdicts that the page uses, recorded for the developer's drawer and for the tests of the page.
import { useEffect, useId, useSyncExternalStore } from 'react'
import type { TypeName } from '../records.js'

/** A verdict that something on the page depends on. */
export interface Used {
  readonly action: string
  readonly type: TypeName
  readonly key?: string | undefined
  /** For `create`: the record that was asked about. */
  readonly record?: object | undefined
  readonly allowed: boolean
  readonly fields?: readonly string[] | undefined
  readonly message?: string | undefined
}

const used = new Map<string, Used>()
let all: readonly Used[] = []
const listeners = new Set<() => void>()
let planned = false

// Many are added and removed at once.
function changed(): void {
  if (planned) return
  planned = true
  queueMicrotask(() => {
    planned = false
    const named = new Map([...used.values()].map((one) => [`${one.action} ${one.type} ${one.key ?? JSON.stringify(one.record)}`, one]))
    all = [...named.values()]
    for (const listener of listeners) listener()
  })
}
const subscribe = (listener: () => void) => {
  listeners.add(listener)
  return () => void listeners.delete(listener)
}

/** Records a verdict as long as a component uses it. */
export function useNoted(verdict: Used): void {
  const id = useId()
  const text = JSON.stringify(verdict)
  useEffect(() => {
    used.set(id, JSON.parse(text) as Used)
    changed()
    return () => {
      used.delete(id)
      changed()
    }
  }, [id, text])
}

/** The verdicts in use. */
export function useUsed(): readonly Used[] {
  return useSyncExternalStore(subscribe, () => all)
}
