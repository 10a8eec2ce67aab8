// People across, records down.
import { useVirtualizer } from '@tanstack/react-virtual'
import { lettersOf } from 'pachter/internal/review'
import { type KeyboardEvent, type MouseEvent, useCallback, useEffect, useMemo, useRef, useState } from 'react'
import type { Look, Looking } from './address.js'
import { areaOf, isIn, type Spot } from './area.js'
import type { Shown, Standings } from './engine/types.js'
import { GroupRow, Row, Totals } from './matrix-row.js'
import { linesOf } from './rows.js'
import type { Rules } from './rules.js'
import { Selection } from './selection.js'

/** The cells in which a rule has a say. */
export interface Marked {
  readonly title: string
  /** By person and record: 2 where it decides, 1 where others let it as well. */
  readonly marks: readonly Uint8Array[]
  /** It is only pointed at, and not chosen. */
  readonly isPointed: boolean
}

interface MatrixProps {
  readonly shown: Shown
  readonly marked: Marked | undefined
  readonly standings: Standings | undefined
  readonly rules: Rules
  readonly canKeep: boolean
  readonly looking: Looking
  readonly look: Look
}

const ROW = 29
/** The root font's size in pixels, as the style sheet has it. */
const REM = 15
/** How wide the names of the records are. */
const NAMES = 17
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

export function Matrix({ shown, marked, standings, rules, canKeep, looking, look }: MatrixProps) {
  const { drawn } = shown
  const { search, differing, group } = looking
  const found = useMemo(() => linesOf(shown, { search, differing, group }, standings), [shown, search, differing, group, standings])
  // The same as before where they are: what depends on them is not drawn anew.
  const all = { people: useAlike(found.people), lines: useAlike(found.lines), records: found.records }
  const isNarrow = useNarrow()
  const [one, setOne] = useState(0)
  // On a phone, one person at a time.
  const mine = drawn.people.indexOf(looking.person ?? '')
  const single = all.people.includes(mine) ? mine : all.people.includes(one) ? one : (all.people[0] ?? 0)
  const people = useMemo(() => (isNarrow && all.people.length > 0 ? [single] : all.people), [isNarrow, single, all.people])
  const { lines } = all
  // As wide as the longest name.
  const width = isNarrow ? 6 : Math.min(10, Math.max(3.6, ...people.map((at) => (drawn.people[at] as string).length * 0.7 + 1.6)))
  const letters = useAlike(useMemo(() => [...lettersOf(drawn.actions).values()], [drawn.actions]))
  const scroller = useRef<HTMLDivElement>(null)
  const grid = useRef<HTMLDivElement>(null)
  const virtual = useVirtualizer({ count: lines.length, getScrollElement: () => scroller.current, estimateSize: () => ROW, overscan: 5 })
  const across = useVirtualizer({
    horizontal: true,
    count: people.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => width * REM,
    paddingStart: isNarrow ? 0 : NAMES * REM,
    overscan: 3,
  })
  const items = across.getVirtualItems()
  const from = items[0]?.index ?? 0
  const to = (items.at(-1)?.index ?? Math.min(people.length, 20) - 1) + 1
  const opened: Spot = {
    row: lines.findIndex((at) => typeof at === 'number' && String(drawn.keys[at]) === looking.key),
    person: people.findIndex((at) => drawn.people[at] === looking.person),
  }
  const [wished, setActive] = useState<Spot>({ row: Math.max(0, opened.row), person: Math.max(0, opened.person) })
  const active = useMemo(() => nearest(wished, lines, people.length), [wished, lines, people])
  const [anchor, setAnchor] = useState<Spot>()
  const area = useMemo(() => (anchor === undefined ? undefined : areaOf(anchor, active)), [anchor, active])
  // What an address leads to is brought into view.
  const target = opened.row
  useEffect(() => {
    if (target > 0) virtual.scrollToIndex(target, { align: 'auto' })
  }, [target, virtual])
  const column = opened.person
  useEffect(() => {
    if (column >= 0) intoView(grid.current, column)
  }, [column])
  // Other lines or people, and what was selected is something else.
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
  const doing = useRef({ clicked: (_event: MouseEvent, _spot: Spot) => {}, selected: (_row: number) => {} })
  doing.current = {
    clicked(event, spot) {
      if (event.shiftKey) return select(anchor ?? active, spot)
      setAnchor(undefined)
      setActive(spot)
      open(spot)
    },
    selected: (row) => select({ row, person: 0 }, { row, person: last.person }),
  }
  // The same for every row and every time, so that a row is drawn anew only where something in it is otherwise.
  const clicked = useCallback((event: MouseEvent, spot: Spot) => doing.current.clicked(event, spot), [])
  const selectRow = useCallback((row: number) => doing.current.selected(row), [])
  const pressed = (event: KeyboardEvent) => {
    if (event.key === 'Enter' || event.key === ' ') {
      event.preventDefault()
      // As in other grids (WAI-ARIA Authoring Practices): the row, the column, or the cell itself.
      if (event.key === ' ' && event.shiftKey) return doing.current.selected(active.row)
      if (event.key === ' ' && event.ctrlKey) return select({ row: 0, person: active.person }, { row: last.row, person: active.person })
      return open(active)
    }
    if (event.key === 'Escape') return setAnchor(undefined)
    if (event.key.toLowerCase() === 'a' && (event.ctrlKey || event.metaKey)) {
      event.preventDefault()
      return select({ row: 0, person: 0 }, last)
    }
    const far = event.ctrlKey && (event.key === 'Home' || event.key === 'End')
    const step = far ? ([event.key === 'Home' ? -lines.length : lines.length, 0] as const) : ARROWS[event.key]
    if (step === undefined) return
    event.preventDefault()
    const person = Math.min(Math.max(0, active.person + step[1]), last.person)
    let row = Math.min(Math.max(0, active.row + step[0]), last.row)
    // Headings are passed over.
    const on = step[0] < 0 ? -1 : 1
    while (typeof lines[row] === 'string' && row + on >= 0 && row + on <= last.row) row += on
    if (typeof lines[row] === 'string') row = active.row
    if (event.shiftKey) setAnchor(anchor ?? active)
    else setAnchor(undefined)
    setActive({ row, person })
    virtual.scrollToIndex(row, { align: 'auto' })
    intoView(grid.current, person)
  }
  if (lines.length === 0 || people.length === 0)
    return (
      <p className="faint">
        {drawn.keys.length === 0 ? `There are no ${drawn.type} records.` : 'Nothing is left by what you are looking for.'}
      </p>
    )
  const columns = `${isNarrow ? 'minmax(0, 1fr)' : `${NAMES}rem`} repeat(${people.length}, ${width}rem)`
  return (
    <>
      {isNarrow && (
        <label className="one-person">
          Whom{' '}
          <select
            value={single}
            onChange={(event) => {
              setOne(Number(event.currentTarget.value))
              look({ person: undefined, key: undefined, ...(looking.side === 'why' ? { side: undefined } : {}) })
            }}
          >
            {all.people.map((at) => (
              <option key={at} value={at}>
                {drawn.people[at]}
              </option>
            ))}
          </select>
        </label>
      )}
      <div className={marked === undefined ? 'matrix' : 'matrix marking'} ref={scroller}>
        <div
          role="grid"
          ref={grid}
          tabIndex={0}
          aria-label={`${drawn.type}: people across, records down`}
          aria-rowcount={lines.length + 2}
          aria-colcount={people.length + 1}
          aria-multiselectable="true"
          aria-activedescendant={`cell-${active.row}-${active.person}`}
          onKeyDown={pressed}
          style={{ gridTemplateColumns: columns }}
        >
          <div role="row" className="row heads" aria-rowindex={1} style={{ gridTemplateColumns: columns }}>
            <div role="columnheader" className="corner">
              {all.records === drawn.keys.length ? `${all.records}` : `${all.records} of ${drawn.keys.length}`}{' '}
              {drawn.keys.length === 1 ? 'record' : 'records'}
            </div>
            {people.map((at, person) => (
              <div
                key={at}
                role="columnheader"
                title={drawn.people[at]}
                className={drawn.people[at] === looking.person ? 'chosen' : ''}
                onClick={() => select({ row: 0, person }, { row: last.row, person })}
              >
                {drawn.people[at]}
              </div>
            ))}
          </div>
          <div style={{ height: virtual.getTotalSize(), position: 'relative' }} role="rowgroup">
            {virtual.getVirtualItems().map(({ index, start }) => {
              const at = lines[index] as number | string
              if (typeof at === 'string') return <GroupRow key={at} title={at} index={index} start={start} span={people.length + 1} />
              return (
                <Row
                  key={at}
                  {...{ shown, letters, people, columns, from, to, index, start, at, clicked, selectRow }}
                  marks={marked?.marks}
                  selected={isIn(area, index) ? area : undefined}
                  active={index === active.row ? active.person : undefined}
                  chosen={index === opened.row ? opened.person : undefined}
                />
              )
            })}
          </div>
          <Totals {...{ drawn, people, columns, from, to, letters }} count={lines.length} />
        </div>
      </div>
      {area !== undefined ? (
        <Selection
          {...{ shown, rules, canKeep, area }}
          rows={lines.slice(area.top, area.bottom + 1).filter((line) => typeof line === 'number')}
          people={people.slice(area.left, area.right + 1)}
          clear={() => setAnchor(undefined)}
        />
      ) : (
        <p className="legend faint">
          {marked !== undefined ? (
            <>
              <strong>{marked.title}</strong> decides what has a full ring; where the ring is broken, others would let it as well.
              {!marked.isPointed && (
                <button type="button" className="plain" onClick={() => look({ rule: undefined })}>
                  Show all alike
                </button>
              )}
            </>
          ) : (
            <>
              ● reads it, ◐ reads some fields; {letters.map((letter, at) => `${letter} ${drawn.actions[at + 1]}`).join(', ')}. Choose a cell
              to see why; with Shift, several.
              {drawn.unreached.length > 0 &&
                ` Nobody has any standing towards ${drawn.unreached.slice(0, 8).join(', ')}${drawn.unreached.length > 8 ? ` and ${drawn.unreached.length - 8} more` : ''}.`}
            </>
          )}
        </p>
      )}
    </>
  )
}

function intoView(grid: HTMLElement | null, person: number): void {
  grid?.querySelectorAll('[role=columnheader]')[person + 1]?.scrollIntoView({ block: 'nearest', inline: 'nearest' })
}

/** The cell that is nearest to where one was, now that other lines or people may be shown. */
function nearest({ row, person }: Spot, lines: readonly (number | string)[], people: number): Spot {
  const last = Math.min(row, lines.length - 1)
  const next = lines.findIndex((line, at) => at >= last && typeof line === 'number')
  return { row: Math.max(0, next), person: Math.max(0, Math.min(person, people - 1)) }
}

/** A list, or the one of before where it held the same. */
function useAlike<T>(list: readonly T[]): readonly T[] {
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
