import { rulesClient } from 'pachter/client'
import { createHooks, RulesProvider } from 'pachter/react'
// The type alone: a page that is built of this has no code of the rulebook.
import type { book } from './book.js'

export const rules = rulesClient<typeof book>({ url: '/api/my-rules' })
export const { useRules, useVerdict, useServerVerdict, useLiveList, useRouteAccess } = createHooks<typeof book>()

export function Ships() {
  const { view } = useRules()
  const { records } = useLiveList<'ship'>('ships?where.state=moored')
  const update = useVerdict('update', 'ship', { id: 's-1', state: 'moored' }, { changes: { state: 'at sea' } })
  const fields: readonly ('id' | 'state' | 'ownerId' | 'pilotIds' | 'draught' | 'builtAt' | 'hull' | 'papers')[] | undefined = update.fields
  const state: 'moored' | 'at sea' | null | undefined = records[0]?.state
  const built: string | null | undefined = records[0]?.builtAt
  const access = useRouteAccess({ action: 'launch', type: 'ship' }, '/ships')
  const mayOpen = view.has('openLocks') && view.mayCall('clearQuay') && view.may('launch', 'ship') !== 'never'
  // What a rulebook has no name for does not compile.
  // @ts-expect-error no such action
  view.may('lanch', 'ship')
  // @ts-expect-error no such record type
  view.may('read', 'shop')
  // @ts-expect-error an action of another type
  view.may('launch', 'berth')
  // @ts-expect-error no such field
  view.verdict('update', 'ship', { id: 's-1' }, { changes: { draft: 3 } })
  // @ts-expect-error no such value
  view.verdict('update', 'ship', { id: 's-1' }, { changes: { state: 'sunk' } })
  // @ts-expect-error no such privilege
  view.has('openLedger')
  return <RulesProvider rules={rules}>{mayOpen && access?.allowed ? (fields?.join(', ') ?? state ?? built) : null}</RulesProvider>
}
