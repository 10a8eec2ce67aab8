// Shows a change before the server has answered, if it is unlikely to fail.
import { useState } from 'react'
import type { Shown, TypeName } from '../records.js'

interface Expected {
  /** The record when the change was sent. A newer record from the list replaces it. */
  readonly of: Shown
  readonly changes: object
}

/** Records with what was just sent; taken back where it is refused. */
export function useExpected<K extends TypeName>(records: readonly Shown<K>[]) {
  const [expected, setExpected] = useState<ReadonlyMap<string, Expected>>(new Map())
  const forget = (key: string) =>
    setExpected((old) => {
      const rest = new Map(old)
      rest.delete(key)
      return rest
    })
  const shown = records.map((one) => {
    const { of, changes } = expected.get(one.record.id) ?? {}
    return of === one ? ({ ...one, record: { ...one.record, ...changes } } as Shown<K>) : one
  })
  /** Shows the changes from sending until the list has them. */
  const expect = async (one: Shown<K>, changes: object, send: () => Promise<unknown>) => {
    const key = one.record.id
    // The record from the list, without pending changes.
    const of = records.find(({ record }) => record.id === key) ?? one
    setExpected((old) => new Map(old).set(key, { of, changes }))
    try {
      await send()
      // The list brings the result. If it brings nothing, nothing changed.
      setTimeout(() => forget(key), 5000)
    } catch (error) {
      forget(key)
      throw error
    }
  }
  return { shown, expect }
}
