// The current view and trial are in the address, so that a link to them can be shared.
import { useCallback, useEffect, useMemo, useRef, useState } from 'react'
import type { Trial } from './engine/types.js'
import { isNothing, NOTHING } from './trial.js'

/** The current view. */
export interface Looking {
  readonly type: string
  readonly mode: 'matrix' | 'lists'
  /** The open cell: person, record and action. */
  readonly person?: string | undefined
  readonly key?: string | undefined
  readonly action?: string | undefined
  /** The open side panel. */
  readonly side?: 'why' | 'rules' | 'findings' | 'proofs' | undefined
  /** The highlighted rule. */
  readonly rule?: string | undefined
  /** The person whose standings group the records. */
  readonly group: string
  /** The people whose lists are compared. */
  readonly beside: readonly string[]
  readonly search: string
  readonly differing: boolean
  readonly trial: Trial
}

/** A longer trial is not put into the address, because not every program accepts it. */
const MOST = 6000

/** Reads an address: `#plot/matrix?record=p-01&person=ines&action=read`. */
export function readAddress(hash: string, types: readonly string[]): Looking {
  const [path = '', query = ''] = hash.replace(/^#\/?/, '').split('?')
  const [type = '', mode] = path.split('/').map(decoded)
  const params = new URLSearchParams(query)
  const text = (name: string) => params.get(name) ?? undefined
  const side = text('side')
  return {
    type: types.includes(type) ? type : (types[0] ?? ''),
    mode: mode === 'lists' ? 'lists' : 'matrix',
    person: text('person'),
    key: text('record'),
    action: text('action'),
    side: side === 'rules' || side === 'findings' || side === 'proofs' ? side : params.has('record') ? 'why' : undefined,
    rule: text('rule'),
    group: params.get('group') ?? '',
    beside: params.get('beside')?.split(',').filter(Boolean) ?? [],
    search: params.get('search') ?? '',
    differing: params.has('differing'),
    trial: readTrial(params.get('tried')),
  }
}

export function addressOf(looking: Looking): string {
  const { type, mode, person, key, action, side, rule, group, beside, search, differing, trial } = looking
  const tried = isNothing(trial) ? '' : JSON.stringify(trial)
  const given = {
    record: key,
    person,
    action,
    side: side === 'why' ? '' : side,
    rule,
    group,
    beside: beside.join(','),
    search,
    differing: differing ? 'yes' : '',
    tried: tried.length > MOST ? '' : tried,
  }
  const params = new URLSearchParams(Object.entries(given).flatMap(([name, value]) => (value ? [[name, value]] : [])))
  return `#${encodeURIComponent(type)}/${mode}${params.size > 0 ? `?${params}` : ''}`
}

function decoded(text: string): string {
  try {
    return decodeURIComponent(text)
  } catch {
    return text
  }
}

/** Reads the trial from an address, which may be truncated. */
function readTrial(text: string | null): Trial {
  if (text === null) return NOTHING
  try {
    const { records, people, off } = JSON.parse(text) as Partial<Trial>
    const isWhole = [records, people, off].every(
      (part) => Array.isArray(part) && part.every((one) => typeof one === 'object' && one !== null),
    )
    return isWhole ? { records: records as [], people: people as [], off: off as [] } : NOTHING
  } catch {
    return NOTHING
  }
}

export type Look = (changes: Partial<Looking>) => void

/** Leaves the address as it is, while something else is displayed. */
export interface Away {
  /** The way back is also the browser's: an entry is added to the history. */
  leave(): void
  /** Returns to the view of the address. */
  back(): void
}

/** The current view, and a function that changes it. Another type, mode or trial adds an entry to the history; other changes do not. */
export function useLooking(types: readonly string[]): [Looking, Look, Away] {
  const [looking, setLooking] = useState(() => readAddress(location.hash, types))
  const isAway = useRef(false)
  useEffect(() => {
    const read = () =>
      setLooking((old) => {
        const next = readAddress(location.hash, types)
        // An unchanged trial stays the same object, so that it is not run again.
        return JSON.stringify(next.trial) === JSON.stringify(old.trial) ? { ...next, trial: old.trial } : next
      })
    addEventListener('popstate', read)
    return () => removeEventListener('popstate', read)
  }, [types])
  const look = useCallback((changes: Partial<Looking>) => {
    setLooking((old) => {
      const next = { ...old, ...changes }
      const address = addressOf(next)
      if (!isAway.current && address !== addressOf(old)) {
        const isStep = next.type !== old.type || next.mode !== old.mode || next.trial !== old.trial
        history[isStep ? 'pushState' : 'replaceState'](null, '', address)
      }
      return next
    })
  }, [])
  const leave = useCallback(() => {
    if (!isAway.current) history.pushState(null, '', location.hash)
    isAway.current = true
  }, [])
  const back = useCallback(() => {
    if (!isAway.current) return
    isAway.current = false
    setLooking(readAddress(location.hash, types))
  }, [types])
  return [looking, look, useMemo(() => ({ leave, back }), [leave, back])]
}
