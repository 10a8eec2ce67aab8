// The rows of the matrix: a record, a heading over several, and the totals beneath.
import { type MouseEvent, memo, useMemo } from 'react'
import type { Area } from './area.js'
import type { Drawn, Shown } from './engine/types.js'
import { cellChange, cellText, cellWords } from './rows.js'

interface RowProps {
  readonly shown: Shown
  readonly letters: readonly string[]
  readonly people: readonly number[]
  readonly columns: string
  readonly index: number
  readonly at: number
  readonly start: number
  readonly active: number | undefined
  readonly chosen: number | undefined
  readonly marks: readonly Uint8Array[] | undefined
  readonly selected: Area | undefined
  readonly clicked: (event: MouseEvent, spot: { readonly row: number; readonly person: number }) => void
  readonly select: () => void
}

const MARKS = ['', ', by this rule and others', ', decided by this rule'] as const

/** A record. What it is called with, when it is clicked, is not compared: all that it depends on is. */
export const Row = memo(
  function Row({ shown, letters, people, columns, index, at, start, active, chosen, marks, selected, clicked, select }: RowProps) {
    const { drawn, changes } = shown
    return (
      <div
        role="row"
        aria-rowindex={index + 2}
        className="row"
        style={{ gridTemplateColumns: columns, transform: `translateY(${start}px)` }}
      >
        <div role="rowheader" title={`${drawn.keys[at]} ${drawn.labels[at]}`} onClick={select}>
          {String(drawn.keys[at])} <span className="faint">{drawn.labels[at]}</span>
        </div>
        {people.map((person, column) => {
          const text = cellText(shown, letters, person, at)
          const mark = marks?.[person]?.[at] ?? 0
          const isSelected = selected !== undefined && column >= selected.left && column <= selected.right
          const look = [
            text === '' ? 'none' : /[a-z]/.test(text) ? 'changes' : 'reads',
            cellChange(changes, person, at) ?? '',
            column === active ? 'active' : '',
            column === chosen ? 'chosen' : '',
            isSelected ? 'selected' : '',
            mark === 2 ? 'decided' : mark === 1 ? 'shared' : '',
          ]
          return (
            <div
              key={person}
              id={`cell-${index}-${column}`}
              role="gridcell"
              className={look.filter(Boolean).join(' ')}
              aria-label={`${drawn.people[person]}, ${drawn.keys[at]}: ${cellWords(shown, person, at)}${MARKS[mark as 0]}`}
              aria-selected={isSelected || column === chosen}
              onClick={(event) => clicked(event, { row: index, person: column })}
            >
              {text}
            </div>
          )
        })}
      </div>
    )
  },
  (a, b) =>
    a.shown === b.shown &&
    a.people === b.people &&
    a.at === b.at &&
    a.index === b.index &&
    a.start === b.start &&
    a.active === b.active &&
    a.chosen === b.chosen &&
    a.marks === b.marks &&
    a.selected === b.selected &&
    a.clicked === b.clicked,
)

/** A heading over the records beneath it. */
export function GroupRow({
  title,
  index,
  start,
  span,
}: {
  readonly title: string
  readonly index: number
  readonly start: number
  readonly span: number
}) {
  return (
    <div role="row" aria-rowindex={index + 2} className="row group" style={{ transform: `translateY(${start}px)` }}>
      <div role="rowheader" aria-colspan={span}>
        {title}
      </div>
    </div>
  )
}

/** How many records each person reaches, and who may create one. */
export function Totals({
  drawn,
  people,
  columns,
  letters,
  count,
}: Pick<RowProps, 'people' | 'columns' | 'letters'> & { readonly drawn: Drawn; readonly count: number }) {
  const totals = useMemo(() => people.map((person) => countsOf(drawn, person)), [drawn, people])
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

function countsOf({ actions, cells }: Drawn, person: number): number[] {
  const counts = actions.map(() => 0)
  const mine = cells[person] ?? new Uint16Array()
  for (let row = 0; row < mine.length; row++) {
    const bits = mine[row] as number
    if (bits !== 0) for (let bit = 0; bit < counts.length; bit++) counts[bit] = (counts[bit] as number) + ((bits >> bit) & 1)
  }
  return counts
}
