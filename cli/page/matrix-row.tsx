// The rows of the matrix: a record, a heading over several, and the totals below.
import { type MouseEvent, memo, useMemo } from 'react'
import type { Area, Spot } from './area.js'
import type { Drawn, Shown } from './engine/types.js'
import { cellChange, cellText, cellWords } from './rows.js'

interface RowProps {
  readonly shown: Shown
  readonly letters: readonly string[]
  readonly people: readonly number[]
  readonly columns: string
  /** The visible people; the others are not rendered. */
  readonly from: number
  readonly to: number
  readonly index: number
  readonly at: number
  readonly start: number
  readonly active: number | undefined
  readonly chosen: number | undefined
  readonly marks: readonly Uint8Array[] | undefined
  readonly selected: Area | undefined
  readonly clicked: (event: MouseEvent, spot: Spot) => void
  readonly selectRow: (row: number) => void
}

const MARKS = ['', ', allowed by this rule and others', ', decided by this rule'] as const

/** A record. */
export const Row = memo(
  function Row({
    shown,
    letters,
    people,
    columns,
    from,
    to,
    index,
    at,
    start,
    active,
    chosen,
    marks,
    selected,
    clicked,
    selectRow,
  }: RowProps) {
    const { drawn, changes } = shown
    return (
      <div
        role="row"
        aria-rowindex={index + 2}
        className="row"
        style={{ gridTemplateColumns: columns, transform: `translateY(${start}px)` }}
      >
        <div role="rowheader" title={`${drawn.keys[at]} ${drawn.labels[at]}`} onClick={() => selectRow(index)}>
          {String(drawn.keys[at])} <span className="faint">{drawn.labels[at]}</span>
        </div>
        {people.slice(from, to).map((person, place) => {
          const column = from + place
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
          const words = `${drawn.people[person]}, ${drawn.keys[at]}: ${cellWords(shown, person, at)}${MARKS[mark as 0]}`
          return (
            <div
              key={person}
              id={`cell-${index}-${column}`}
              role="gridcell"
              aria-colindex={column + 2}
              style={{ gridColumn: column + 2 }}
              className={look.filter(Boolean).join(' ')}
              aria-label={words}
              title={words}
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
    isAlike(a, b) &&
    a.letters === b.letters &&
    a.people === b.people &&
    a.columns === b.columns &&
    a.from === b.from &&
    a.to === b.to &&
    a.at === b.at &&
    a.index === b.index &&
    a.start === b.start &&
    a.active === b.active &&
    a.chosen === b.chosen &&
    a.selected === b.selected &&
    a.clicked === b.clicked,
)

/** Whether a row is the same for all people. */
function isAlike(a: RowProps, b: RowProps): boolean {
  if (a.shown === b.shown && a.marks === b.marks) return true
  const row = a.at
  return (
    a.shown.drawn.keys[row] === b.shown.drawn.keys[row] &&
    a.shown.drawn.labels[row] === b.shown.drawn.labels[row] &&
    a.shown.drawn.actions.length === b.shown.drawn.actions.length &&
    a.people.every(
      (person) =>
        a.shown.drawn.people[person] === b.shown.drawn.people[person] &&
        a.shown.drawn.cells[person]?.[row] === b.shown.drawn.cells[person]?.[row] &&
        a.shown.drawn.partial[person]?.[row] === b.shown.drawn.partial[person]?.[row] &&
        (a.shown.changes?.[person]?.[row] ?? 0) === (b.shown.changes?.[person]?.[row] ?? 0) &&
        (a.marks?.[person]?.[row] ?? 0) === (b.marks?.[person]?.[row] ?? 0),
    )
  )
}

/** A heading over the following records. */
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

/** The number of records that each person reaches, and who may create one. */
export function Totals({
  drawn,
  people,
  columns,
  from,
  to,
  letters,
  count,
}: Pick<RowProps, 'people' | 'columns' | 'from' | 'to' | 'letters'> & { readonly drawn: Drawn; readonly count: number }) {
  const totals = useMemo(() => people.map((person) => countsOf(drawn, person)), [drawn, people])
  return (
    <div role="row" className="row totals" aria-rowindex={count + 2} style={{ gridTemplateColumns: columns }}>
      <div role="rowheader">{drawn.keys.length} in all; can create</div>
      {people.slice(from, to).map((person, place) => {
        const at = from + place
        const [reads = 0, ...rest] = totals[at] ?? []
        const changes = rest.flatMap((sum, bit) => (sum > 0 ? [`${sum} ${letters[bit]}`] : []))
        const creates = { always: 'yes', never: 'no', depending: 'depends' }[drawn.creates[person] ?? 'never']
        return (
          <div
            key={person}
            role="gridcell"
            aria-colindex={at + 2}
            style={{ gridColumn: at + 2 }}
            aria-label={`${drawn.people[person]}: reads ${reads}; ${changes.join(', ') || 'changes none'}; can create: ${creates}`}
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

const counted = new WeakMap<Uint16Array, number[]>()

function countsOf({ actions, cells }: Drawn, person: number): readonly number[] {
  const mine = cells[person] as Uint16Array
  const known = counted.get(mine)
  if (known !== undefined) return known
  const counts = actions.map(() => 0)
  for (let row = 0; row < mine.length; row++) {
    const bits = mine[row] as number
    if (bits !== 0) for (let bit = 0; bit < counts.length; bit++) counts[bit] = (counts[bit] as number) + ((bits >> bit) & 1)
  }
  counted.set(mine, counts)
  return counts
}
