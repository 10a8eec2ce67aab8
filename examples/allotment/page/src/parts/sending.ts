// What is sent once must not be sent twice.
import { useRef, useState } from 'react'

/** Whether something is being sent, and a way to send it: a second click, which comes before anything is drawn anew, sends nothing. */
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
