// What the README and docs/web.md show of a page.
import { liveList, rulesClient } from 'pachter/client'
import { createHooks } from 'pachter/react'
import type { book } from '../server/rules.js'

export const rules = rulesClient<typeof book>({ url: '/api/my-rules' })
export const { useRules, useVerdict, useServerVerdict, useLiveList, useRouteAccess } = createHooks<typeof book>()

type Plot = { readonly id: string; readonly holderId?: string | null; readonly state?: 'vacant' | 'let'; readonly planting?: string }

/** Docs/web.md, "Rules in the page". */
export function usePlot(plot: Plot) {
  const { allowed, message } = useVerdict('update', 'plot', plot)
  const { records, state } = useLiveList<'plot'>('/api/plots?where.state=let&may=delete')
  return { allowed, message, records, state }
}

/** Docs/web.md, "Live lists". */
export function showPlots(headers: () => Record<string, string>, show: (records: readonly object[], state: string) => void) {
  const list = liveList({ url: '/api/plots?where.state=vacant', headers, rulesChanged: () => rules.refresh() })
  list.subscribe(() => show(list.records, list.state))
  return list
}
