// What is sent once must not be sent twice.
import { useRef, useState } from 'react'

/** Whether something is being sent, and a function that sends it. A second click before the next render sends nothing. */
export function useSending(): readonly [busy: boolean, once: (send: () => Promise<void>) => Promise<void>] {
  const [busy, setBusy] = useState(false)
  const sending = useRef(false)
  const once = async (send: () => Promise<void>) => {
    if (sending.current) return
    sending.current = true
    setBusy(true)
    try {
      await send()
    } finally {
      sending.current = false
      setBusy(false)
    }
  }
  return [busy, once]
}
