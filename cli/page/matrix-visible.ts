// Which people and records the matrix shows, and which of them are rendered.
import { useVirtualizer } from '@tanstack/react-virtual'
import { useEffect, useMemo, useRef, useState } from 'react'
import type { Looking } from './address.js'
import type { Shown, Standings } from './engine/types.js'
import { linesOf } from './rows.js'

const ROW = 29
/** The heights of the header above the rows and of the totals below them, in pixels: rows scroll behind both. */
const FOOT = 32 + 52
/** The root font size in pixels, from the style sheet. */
const REM = 15
/** The width of the record names. */
const NAMES = 17

/** The people and lines that match the search. On a phone, one person at a time. */
export function useVisible(shown: Shown, looking: Looking, standings: Standings | undefined) {
  const { search, differing, group } = looking
  const found = useMemo(() => linesOf(shown, { search, differing, group }, standings), [shown, search, differing, group, standings])
  // The same objects as before if nothing changed, so that components do not render again.
  const all = useAlike(found.people)
  const lines = useAlike(found.lines)
  const isNarrow = useNarrow()
  const [one, choose] = useState(0)
  const mine = shown.drawn.people.indexOf(looking.person ?? '')
  const single = all.includes(mine) ? mine : all.includes(one) ? one : (all[0] ?? 0)
  const people = useMemo(() => (isNarrow && all.length > 0 ? [single] : all), [isNarrow, single, all])
  return { lines, records: found.records, all, people, isNarrow, single, choose }
}

export type Visible = ReturnType<typeof useVisible>

/** The visible part, and the column width: as wide as the longest name. */
export function useInView(shown: Shown, { lines, people, isNarrow }: Visible) {
  const names = people.map((at) => shown.drawn.people[at] as string)
  const width = isNarrow ? 6 : Math.min(10, Math.max(3.6, ...names.map((name) => name.length * 0.7 + 1.6)))
  const scroller = useRef<HTMLDivElement>(null)
  const down = useVirtualizer({
    count: lines.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    overscan: 5,
    scrollPaddingEnd: FOOT,
  })
  const across = useVirtualizer({
    horizontal: true,
    count: people.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => width * REM,
    paddingStart: isNarrow ? 0 : NAMES * REM,
    overscan: 3,
  })
  const items = across.getVirtualItems()
  const columns = `${isNarrow ? 'minmax(0, 1fr)' : `${NAMES}rem`} repeat(${people.length}, ${width}rem)`
  const from = items[0]?.index ?? 0
  const to = (items.at(-1)?.index ?? Math.min(people.length, 20) - 1) + 1
  return { scroller, down, columns, from, to }
}

export type InView = ReturnType<typeof useInView>

/** A list, or the previous one if it has the same elements. */
export function useAlike<T>(list: readonly T[]): readonly T[] {
  const before = useRef(list)
  const isAlike = before.current.length === list.length && before.current.every((one, at) => one === list[at])
  if (!isAlike) before.current = list
  return before.current
}

const NARROW = '(max-width: 40rem)'

function useNarrow(): boolean {
  const [isNarrow, setNarrow] = useState(() => matchMedia(NARROW).matches)
  useEffect(() => {
    const query = matchMedia(NARROW)
    const changed = () => setNarrow(query.matches)
    query.addEventListener('change', changed)
    return () => query.removeEventListener('change', changed)
  }, [])
  return isNarrow
}
