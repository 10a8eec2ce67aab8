// What one looks at is in the address, so that it can be sent to a colleague.
import { useCallback, useEffect, useState } from 'react'

/** What one looks at. */
export interface Looking {
  readonly type: string
  readonly mode: 'matrix' | 'lists'
  /** The cell that is open: of whom, of which record, about which action. */
  readonly person?: string | undefined
  readonly key?: string | undefined
  readonly action?: string | undefined
  /** Whose lists stand side by side. */
  readonly beside: readonly string[]
  readonly search: string
  readonly differing: boolean
}

/** Reads an address: `#plot/matrix?record=p-01&person=ines&action=read`. */
export function readAddress(hash: string, types: readonly string[]): Looking {
  const [path = '', query = ''] = hash.replace(/^#\/?/, '').split('?')
  const [type = '', mode] = path.split('/').map(decodeURIComponent)
  const params = new URLSearchParams(query)
  const text = (name: string) => params.get(name) ?? undefined
  return {
    type: types.includes(type) ? type : (types[0] ?? ''),
    mode: mode === 'lists' ? 'lists' : 'matrix',
    person: text('person'),
    key: text('record'),
    action: text('action'),
    beside: params.get('beside')?.split(',').filter(Boolean) ?? [],
    search: params.get('search') ?? '',
    differing: params.has('differing'),
  }
}

export function addressOf({ type, mode, person, key, action, beside, search, differing }: Looking): string {
  const given = { record: key, person, action, beside: beside.join(','), search, differing: differing ? 'yes' : '' }
  const params = new URLSearchParams(Object.entries(given).flatMap(([name, value]) => (value ? [[name, value]] : [])))
  return `#${encodeURIComponent(type)}/${mode}${params.size > 0 ? `?${params}` : ''}`
}

/** What one looks at, and a way to look at something else. Another type or mode is a step back; the rest is not. */
export function useLooking(types: readonly string[]): [Looking, (changes: Partial<Looking>) => void] {
  const [looking, setLooking] = useState(() => readAddress(location.hash, types))
  useEffect(() => {
    const read = () => setLooking(readAddress(location.hash, types))
    addEventListener('hashchange', read)
    return () => removeEventListener('hashchange', read)
  }, [types])
  const look = useCallback((changes: Partial<Looking>) => {
    setLooking((old) => {
      const next = { ...old, ...changes }
      if (addressOf(next) !== addressOf(old)) {
        const isStep = next.type !== old.type || next.mode !== old.mode
        history[isStep ? 'pushState' : 'replaceState'](null, '', addressOf(next))
      }
      return next
    })
  }, [])
  return [looking, look]
}
