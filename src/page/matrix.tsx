// People across, records down.
import { useVirtualizer } from '@tanstack/react-virtual'
import { type KeyboardEvent, memo, useEffect, useMemo, useRef, useState } from 'react'
import { lettersOf } from '../review/letters.js'
import type { Looking } from './address.js'
import type { Drawn } from './engine.js'
import { cellChange, cellText, cellWords, shownOf } from './rows.js'

interface MatrixProps {
  readonly drawn: Drawn
  readonly looking: Looking
  readonly look: (changes: Partial<Looking>) => void
}

const ROW = 29
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

export function Matrix({ drawn, looking, look }: MatrixProps) {
  const all = useMemo(() => shownOf(drawn, looking), [drawn, looking.search, looking.differing])
  const isNarrow = useNarrow()
  const [one, setOne] = useState(0)
  // On a phone, one person at a time.
  const mine = drawn.people.indexOf(looking.person ?? '')
  const single = all.people.includes(mine) ? mine : all.people.includes(one) ? one : (all.people[0] ?? 0)
  const people = useMemo(() => (isNarrow && all.people.length > 0 ? [single] : all.people), [isNarrow, single, all])
  const { rows } = all
  const letters = useMemo(() => [...lettersOf(drawn.actions).values()], [drawn])
  const scroller = useRef<HTMLDivElement>(null)
  const grid = useRef<HTMLDivElement>(null)
  const virtual = useVirtualizer({ count: rows.length, getScrollElement: () => scroller.current, estimateSize: () => ROW, overscan: 12 })
  const opened = {
    row: rows.findIndex((at) => String(drawn.keys[at]) === looking.key),
    person: people.findIndex((at) => drawn.people[at] === looking.person),
  }
  const [active, setActive] = useState({ row: Math.max(0, opened.row), person: Math.max(0, opened.person) })
  // What an address leads to is brought into view.
  const target = opened.row
  useEffect(() => {
    if (target > 0) virtual.scrollToIndex(target, { align: 'auto' })
  }, [target, virtual])
  const column = opened.person
  useEffect(() => {
    if (column >= 0)
      grid.current?.querySelectorAll('[role=columnheader]')[column + 1]?.scrollIntoView({ block: 'nearest', inline: 'nearest' })
  }, [column])
  const open = (row: number, person: number) => {
    setActive({ row, person })
    look({ key: String(drawn.keys[rows[row] as number]), person: drawn.people[people[person] as number], action: 'read' })
  }
  const pressed = (event: KeyboardEvent) => {
    if (event.key === 'Enter' || event.key === ' ') {
      event.preventDefault()
      return open(active.row, active.person)
    }
    const step = ARROWS[event.key]
    if (step === undefined) return
    event.preventDefault()
    const row = Math.min(Math.max(0, active.row + step[0]), rows.length - 1)
    const person = Math.min(Math.max(0, active.person + step[1]), people.length - 1)
    setActive({ row, person })
    virtual.scrollToIndex(row, { align: 'auto' })
    grid.current?.querySelectorAll('[role=columnheader]')[person + 1]?.scrollIntoView({ block: 'nearest', inline: 'nearest' })
  }
  if (rows.length === 0 || people.length === 0)
    return (
      <p className="faint">
        {drawn.keys.length === 0 ? `There are no ${drawn.type} records.` : 'Nothing is left by what you are looking for.'}
      </p>
    )
  // As wide as the longest name.
  const width = Math.min(10, Math.max(3.6, ...people.map((at) => (drawn.people[at] as string).length * 0.62 + 1.8)))
  const columns = `${isNarrow ? 'minmax(0, 1fr)' : 'minmax(11rem, 17rem)'} repeat(${people.length}, ${isNarrow ? '6rem' : `${width}rem`})`
  const cellId = (row: number, person: number) => `cell-${row}-${person}`
  return (
    <>
      {isNarrow && (
        <label className="one-person">
          Whom{' '}
          <select
            value={single}
            onChange={(event) => {
              setOne(Number(event.currentTarget.value))
              look({ person: undefined, key: undefined })
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
      <div className="matrix" ref={scroller}>
        <div
          role="grid"
          ref={grid}
          tabIndex={0}
          aria-label={`${drawn.type}: people across, records down`}
          aria-rowcount={rows.length + 2}
          aria-colcount={people.length + 1}
          aria-activedescendant={cellId(active.row, active.person)}
          onKeyDown={pressed}
          style={{ gridTemplateColumns: columns }}
        >
          <div role="row" className="row heads" aria-rowindex={1} style={{ gridTemplateColumns: columns }}>
            <div role="columnheader" className="corner">
              {rows.length === drawn.keys.length ? `${rows.length}` : `${rows.length} of ${drawn.keys.length}`}{' '}
              {drawn.keys.length === 1 ? 'record' : 'records'}
            </div>
            {people.map((at) => (
              <div key={at} role="columnheader" title={drawn.people[at]} className={drawn.people[at] === looking.person ? 'chosen' : ''}>
                {drawn.people[at]}
              </div>
            ))}
          </div>
          <div style={{ height: virtual.getTotalSize(), position: 'relative' }} role="rowgroup">
            {virtual.getVirtualItems().map(({ index, start }) => (
              <Row
                key={rows[index]}
                {...{ drawn, letters, people, columns, index, start }}
                at={rows[index] as number}
                active={index === active.row ? active.person : undefined}
                chosen={index === opened.row ? opened.person : undefined}
                open={open}
              />
            ))}
          </div>
          <Totals drawn={drawn} people={people} columns={columns} letters={letters} count={rows.length} />
        </div>
      </div>
      <p className="legend faint">
        ● reads it, ◐ reads some fields; {letters.map((letter, at) => `${letter} ${drawn.actions[at + 1]}`).join(', ')}. Choose a cell to
        see why.
        {drawn.unreached.length > 0 &&
          ` Nobody has any standing towards ${drawn.unreached.slice(0, 8).join(', ')}${drawn.unreached.length > 8 ? ` and ${drawn.unreached.length - 8} more` : ''}.`}
      </p>
    </>
  )
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

interface RowProps {
  readonly drawn: Drawn
  readonly letters: readonly string[]
  readonly people: readonly number[]
  readonly columns: string
  readonly index: number
  readonly at: number
  readonly start: number
  readonly active: number | undefined
  readonly chosen: number | undefined
  readonly open: (row: number, person: number) => void
}

const Row = memo(
  function Row({ drawn, letters, people, columns, index, at, start, active, chosen, open }: RowProps) {
    return (
      <div
        role="row"
        aria-rowindex={index + 2}
        className="row"
        style={{ gridTemplateColumns: columns, transform: `translateY(${start}px)` }}
      >
        <div role="rowheader" title={`${drawn.keys[at]} ${drawn.labels[at]}`}>
          {String(drawn.keys[at])} <span className="faint">{drawn.labels[at]}</span>
        </div>
        {people.map((person, column) => {
          const text = cellText(drawn, letters, person, at)
          const look = `${text === '' ? 'none' : /[a-z]/.test(text) ? 'changes' : 'reads'} ${cellChange(drawn, person, at) ?? ''}${column === active ? ' active' : ''}${column === chosen ? ' chosen' : ''}`
          return (
            <div
              key={person}
              id={`cell-${index}-${column}`}
              role="gridcell"
              className={look}
              aria-label={`${drawn.people[person]}, ${drawn.keys[at]}: ${cellWords(drawn, person, at)}`}
              aria-selected={column === chosen}
              onClick={() => open(index, column)}
            >
              {text}
            </div>
          )
        })}
      </div>
    )
  },
  (a, b) =>
    a.drawn === b.drawn &&
    a.people === b.people &&
    a.at === b.at &&
    a.index === b.index &&
    a.start === b.start &&
    a.active === b.active &&
    a.chosen === b.chosen,
)

/** How many records each person reaches, and who may create one. */
function Totals({
  drawn,
  people,
  columns,
  letters,
  count,
}: Pick<RowProps, 'drawn' | 'people' | 'columns' | 'letters'> & { readonly count: number }) {
  const totals = useMemo(() => {
    return people.map((person) =>
      drawn.actions.map((_, bit) => drawn.cells[person]?.reduce((sum, bits) => sum + ((bits >> bit) & 1), 0) ?? 0),
    )
  }, [drawn, people])
  return (
    <div role="row" className="row totals" aria-rowindex={count + 2} style={{ gridTemplateColumns: columns }}>
      <div role="rowheader">of all {drawn.keys.length}; creates</div>
      {people.map((person, at) => {
        const [reads = 0, ...rest] = totals[at] ?? []
        const changes = rest.flatMap((sum, bit) => (sum > 0 ? [`${sum} ${letters[bit]}`] : []))
        const creates = { always: 'yes', never: 'no', depending: 'it depends' }[drawn.creates[person] ?? 'never']
        return (
          <div
            key={person}
            role="gridcell"
            aria-label={`${drawn.people[person]}: reads ${reads}; ${changes.join(', ') || 'changes none'}; creates: ${creates}`}
          >
            <strong>{reads}</strong>
            <span className="faint"> {changes.join(' ')}</span>
            <br />
            <span className="faint">{creates}</span>
          </div>
        )
      })}
    </div>
  )
}
