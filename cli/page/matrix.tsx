// The matrix: a column for each person, a row for each record.
import { lettersOf } from 'pachter/internal/review'
import { useMemo } from 'react'
import type { Look, Looking } from './address.js'
import { isIn } from './area.js'
import type { Drawn, Shown, Standings } from './engine/types.js'
import { useCells } from './matrix-cells.js'
import { GroupRow, Row, Totals } from './matrix-row.js'
import { useAlike, useInView, useVisible, type Visible } from './matrix-visible.js'
import type { Rules } from './rules.js'
import { Selection } from './selection.js'

/** The cells where a rule applies. */
export interface Marked {
  readonly title: string
  /** By person and record: 2 if it decides, 1 if other rules have the same effect. */
  readonly marks: readonly Uint8Array[]
  /** The rule is only under the pointer, not chosen. */
  readonly isPointed: boolean
}

interface MatrixProps {
  readonly shown: Shown
  readonly marked: Marked | undefined
  readonly standings: Standings | undefined
  readonly rules: Rules
  readonly canSave: boolean
  readonly looking: Looking
  readonly look: Look
}

export function Matrix({ shown, marked, standings, rules, canSave, looking, look }: MatrixProps) {
  const { drawn } = shown
  const visible = useVisible(shown, looking, standings)
  const { lines, people, isNarrow } = visible
  const { scroller, down, columns, from, to } = useInView(shown, visible)
  const letters = useAlike(useMemo(() => [...lettersOf(drawn.actions).values()], [drawn.actions]))
  const { grid, opened, active, area, clear, clicked, selectRow, selectColumn, pressed } = useCells({ drawn, visible, down, looking, look })
  if (lines.length === 0 || people.length === 0)
    return <p className="faint">{drawn.keys.length === 0 ? `There are no ${drawn.type} records.` : 'No records match the filters.'}</p>
  return (
    <>
      {isNarrow && <OnePerson {...{ drawn, visible, looking, look }} />}
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
          <Heads {...{ drawn, visible, columns, looking, selectColumn }} />
          <div style={{ height: down.getTotalSize(), position: 'relative' }} role="rowgroup">
            {down.getVirtualItems().map(({ index, start }) => {
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
          {...{ shown, rules, canSave, area, clear }}
          rows={lines.slice(area.top, area.bottom + 1).filter((line) => typeof line === 'number')}
          people={people.slice(area.left, area.right + 1)}
        />
      ) : (
        <Legend {...{ drawn, marked, letters, look }} />
      )}
    </>
  )
}

interface OnePersonProps {
  readonly drawn: Drawn
  readonly visible: Visible
  readonly looking: Looking
  readonly look: Look
}

/** Chooses the person, if there is room for one column only. */
function OnePerson({ drawn, visible: { all, single, choose }, looking, look }: OnePersonProps) {
  return (
    <label className="one-person">
      Person{' '}
      <select
        value={single}
        onChange={(event) => {
          choose(Number(event.currentTarget.value))
          look({ person: undefined, key: undefined, ...(looking.side === 'why' ? { side: undefined } : {}) })
        }}
      >
        {all.map((at) => (
          <option key={at} value={at}>
            {drawn.people[at]}
          </option>
        ))}
      </select>
    </label>
  )
}

interface HeadsProps {
  readonly drawn: Drawn
  readonly visible: Visible
  readonly columns: string
  readonly looking: Looking
  readonly selectColumn: (person: number) => void
}

function Heads({ drawn, visible: { people, records }, columns, looking, selectColumn }: HeadsProps) {
  const all = drawn.keys.length
  return (
    <div role="row" className="row heads" aria-rowindex={1} style={{ gridTemplateColumns: columns }}>
      <div role="columnheader" className="corner">
        {records === all ? `${records}` : `${records} of ${all}`} {all === 1 ? 'record' : 'records'}
      </div>
      {people.map((at, person) => (
        <div
          key={at}
          role="columnheader"
          title={drawn.people[at]}
          className={drawn.people[at] === looking.person ? 'chosen' : ''}
          onClick={() => selectColumn(person)}
        >
          {drawn.people[at]}
        </div>
      ))}
    </div>
  )
}

interface LegendProps {
  readonly drawn: Drawn
  readonly marked: Marked | undefined
  readonly letters: readonly string[]
  readonly look: Look
}

/** The meaning of the symbols in the cells. */
function Legend({ drawn, marked, letters, look }: LegendProps) {
  const { unreached, actions } = drawn
  const others = unreached.length > 8 ? ` and ${unreached.length - 8} more` : ''
  return (
    <p className="legend faint">
      {marked !== undefined ? (
        <>
          <strong>{marked.title}</strong>: full ring = this rule alone decides; broken ring = other rules allow it too.
          {!marked.isPointed && (
            <button type="button" className="plain" onClick={() => look({ rule: undefined })}>
              Clear
            </button>
          )}
        </>
      ) : (
        <>
          ● read, ◐ read some fields, {letters.map((letter, at) => `${letter} ${actions[at + 1]}`).join(', ')}, empty = nothing is allowed.
          Choose a cell to see why. Press Shift to select several.
          {unreached.length > 0 && ` No person has a standing on ${unreached.slice(0, 8).join(', ')}${others}.`}
        </>
      )}
    </p>
  )
}
