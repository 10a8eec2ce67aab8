// The current cell and the selection, and how the pointer and the keyboard move them.
import { type KeyboardEvent, type MouseEvent, useCallback, useEffect, useMemo, useRef, useState } from 'react'
import type { Look, Looking } from './address.js'
import { areaOf, type Spot } from './area.js'
import type { Drawn } from './engine/types.js'
import type { InView, Visible } from './matrix-visible.js'

const ARROWS: { readonly [key: string]: readonly [rows: number, people: number] } = {
  ArrowUp: [-1, 0],
  ArrowDown: [1, 0],
  ArrowLeft: [0, -1],
  ArrowRight: [0, 1],
  PageUp: [-15, 0],
  PageDown: [15, 0],
  Home: [0, -1000],
  End: [0, 1000],
}

type Lines = Visible['lines']

interface Cells {
  readonly drawn: Drawn
  readonly visible: Visible
  readonly down: InView['down']
  readonly looking: Looking
  readonly look: Look
}

export function useCells({ drawn, visible: { lines, people }, down, looking, look }: Cells) {
  const grid = useRef<HTMLDivElement>(null)
  const opened: Spot = {
    row: lines.findIndex((at) => typeof at === 'number' && String(drawn.keys[at]) === looking.key),
    person: people.findIndex((at) => drawn.people[at] === looking.person),
  }
  const [wished, setActive] = useState<Spot>({ row: Math.max(0, opened.row), person: Math.max(0, opened.person) })
  const active = useMemo(() => nearest(wished, lines, people.length), [wished, lines, people])
  const [anchor, setAnchor] = useState<Spot>()
  const area = useMemo(() => (anchor === undefined ? undefined : areaOf(anchor, active)), [anchor, active])
  // Scroll the cell of an address into view.
  const target = opened.row
  useEffect(() => {
    if (target > 0) down.scrollToIndex(target, { align: 'auto' })
  }, [target, down])
  const column = opened.person
  useEffect(() => {
    if (column >= 0) intoView(grid.current, column)
  }, [column])
  // With other lines or people, the selection no longer applies.
  useEffect(() => setAnchor(undefined), [lines, people])

  const open = ({ row, person }: Spot) => {
    const at = lines[row]
    if (typeof at !== 'number') return
    look({ key: String(drawn.keys[at]), person: drawn.people[people[person] as number], action: 'read', side: 'why' })
  }
  const select = (from: Spot, to: Spot) => {
    setAnchor(from)
    setActive(to)
  }
  const last = { row: lines.length - 1, person: people.length - 1 }
  const selectColumn = (person: number) => select({ row: 0, person }, { row: last.row, person })
  const { clicked, selectRow } = useSteady({
    clicked(event, spot) {
      if (event.shiftKey) return select(anchor ?? active, spot)
      setAnchor(undefined)
      setActive(spot)
      open(spot)
    },
    selectRow: (row) => select({ row, person: 0 }, { row, person: last.person }),
  })
  const move = (event: KeyboardEvent, step: Step) => {
    event.preventDefault()
    const next = stepped(active, step, lines, last)
    setAnchor(event.shiftKey ? (anchor ?? active) : undefined)
    setActive(next)
    down.scrollToIndex(next.row, { align: 'auto' })
    intoView(grid.current, next.person)
  }
  const pressed = (event: KeyboardEvent) => {
    const isChord = event.ctrlKey || event.metaKey
    if (event.key === 'Enter' || event.key === ' ') {
      event.preventDefault()
      // As in other grids (WAI-ARIA Authoring Practices): the row, the column, or the cell itself.
      if (event.key === ' ' && event.shiftKey) return selectRow(active.row)
      if (event.key === ' ' && event.ctrlKey) return selectColumn(active.person)
      return open(active)
    }
    if (event.key === 'Escape') return setAnchor(undefined)
    if (event.key.toLowerCase() === 'a' && isChord) {
      event.preventDefault()
      return select({ row: 0, person: 0 }, last)
    }
    const step = stepOf(event, lines.length)
    if (step !== undefined) move(event, step)
  }
  return { grid, opened, active, area, clear: () => setAnchor(undefined), clicked, selectRow, selectColumn, pressed }
}

type Step = readonly [rows: number, people: number]

function stepOf(event: KeyboardEvent, rows: number): Step | undefined {
  const isFar = event.ctrlKey && (event.key === 'Home' || event.key === 'End')
  return isFar ? [event.key === 'Home' ? -rows : rows, 0] : ARROWS[event.key]
}

/** The cell some rows and people away, skipping headings. */
function stepped({ row, person }: Spot, [rows, people]: Step, lines: Lines, last: Spot): Spot {
  let to = Math.min(Math.max(0, row + rows), last.row)
  const on = rows < 0 ? -1 : 1
  while (typeof lines[to] === 'string' && to + on >= 0 && to + on <= last.row) to += on
  if (typeof lines[to] === 'string') to = row
  return { row: to, person: Math.min(Math.max(0, person + people), last.person) }
}

interface Doing {
  readonly clicked: (event: MouseEvent, spot: Spot) => void
  readonly selectRow: (row: number) => void
}

/** The same functions for every row and render, so that a row renders again only if its content changed. */
function useSteady(now: Doing): Doing {
  const doing = useRef(now)
  doing.current = now
  const clicked = useCallback((event: MouseEvent, spot: Spot) => doing.current.clicked(event, spot), [])
  const selectRow = useCallback((row: number) => doing.current.selectRow(row), [])
  return { clicked, selectRow }
}

function intoView(grid: HTMLElement | null, person: number): void {
  grid?.querySelectorAll('[role=columnheader]')[person + 1]?.scrollIntoView({ block: 'nearest', inline: 'nearest' })
}

/** The cell nearest to the previous position, after lines or people changed. */
function nearest({ row, person }: Spot, lines: Lines, people: number): Spot {
  const last = Math.min(row, lines.length - 1)
  const next = lines.findIndex((line, at) => at >= last && typeof line === 'number')
  return { row: Math.max(0, next), person: Math.max(0, Math.min(person, people - 1)) }
}
