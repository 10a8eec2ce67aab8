// A selection of cells, to be saved as they are.

import type { CellToSave } from 'pachter/internal/review'
import { useState } from 'react'
import type { Area } from './area.js'
import type { Shown } from './engine/types.js'
import type { Rules } from './rules.js'
import { useSave } from './save.js'

const MOST = 5000

export function Selection({
  shown: { drawn },
  rules,
  canSave,
  area,
  rows,
  people,
  clear,
}: {
  readonly shown: Shown
  readonly rules: Rules
  readonly canSave: boolean
  readonly area: Area
  readonly rows: readonly number[]
  readonly people: readonly number[]
  readonly clear: () => void
}) {
  const [action, setAction] = useState('read')
  const of = action === 'every action' ? drawn.actions : drawn.actions.filter((one) => one === action)
  const [saved, save] = useSave(JSON.stringify([area, action]))
  const count = rows.length * people.length
  const reads = people.reduce((sum, person) => sum + rows.filter((row) => (drawn.cells[person]?.[row] ?? 0) & 1).length, 0)
  const saveAll = async () => {
    const cells = people.flatMap((person) =>
      rows.flatMap((row) =>
        of.map((one): CellToSave => {
          const bit = drawn.actions.indexOf(one)
          return {
            type: drawn.type,
            person: drawn.people[person] as string,
            key: drawn.keys[row] as string,
            action: one,
            allowed: (((drawn.cells[person]?.[row] ?? 0) >> bit) & 1) === 1,
          }
        }),
      ),
    )
    const there = await rules.areThere(cells)
    await save({ cells: cells.filter((_, at) => there[at]) })
    // The button has disappeared, so the keyboard focus returns to where it was.
    document.querySelector<HTMLElement>('[role=grid]')?.focus()
  }
  const names = people.map((person) => drawn.people[person])
  return (
    <div className="legend selection">
      <span role="status">
        <strong>
          {count} {count === 1 ? 'cell' : 'cells'}
        </strong>
        : {names.length > 4 ? `${names.length} people` : names.join(', ')} and{' '}
        {rows.length === 1 ? String(drawn.keys[rows[0] as number]) : `${rows.length} records`}; {reads} with read access.
      </span>
      {canSave &&
        (saved !== undefined ? (
          <span role="status" className={saved.isProblem ? 'no' : ''}>
            {saved.text}
          </span>
        ) : count * of.length > MOST ? (
          <span className="faint">Too many cells to save at once.</span>
        ) : (
          <span>
            Action{' '}
            <select aria-label="Action to save" value={action} onChange={(event) => setAction(event.currentTarget.value)}>
              {[...drawn.actions, 'every action'].map((one) => (
                <option key={one}>{one}</option>
              ))}
            </select>{' '}
            <button type="button" onClick={() => void saveAll()}>
              Save as expectations
            </button>
          </span>
        ))}
      <button type="button" className="plain" onClick={clear}>
        Clear selection
      </button>
    </div>
  )
}
