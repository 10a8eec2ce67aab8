// What the README shows of a page.
import { createHooks } from 'pachter/react'
import type { book } from '../server/rules.js'

const { useLiveList, useVerdict } = createHooks<typeof book>()

/** Readme, "In a page". */
export function usePlots(plot: { readonly id: string; readonly holderId?: string | null; readonly state?: 'vacant' | 'let' }) {
  const { records } = useLiveList<'plot'>('plot?may=update')
  const { allowed, message } = useVerdict('delete', 'plot', plot)
  return { records, allowed, message }
}
