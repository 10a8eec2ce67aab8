import { type AccessMatrix, lettersOf } from 'pachter/internal/review'
import type { Key } from 'pachter/internal/rulebook'
import pc from 'picocolors'

/** The symbols of actions in a cell. */
export interface Marks {
  /** The symbol of an action. */
  of(action: string): string
  /** The symbols of everything that a person may do to a record; empty for nothing. */
  cell(matrix: AccessMatrix, person: string, key: Key): string
  coloured(cell: string): string
  /** The most characters in a cell. */
  readonly width: number
  /** The legend. */
  readonly legend: string
}

const READS = '●'
const READS_PART = '◐'

/** A symbol for read and, for every other action, the first letter that no other action has. */
export function marksFor(actions: readonly string[]): Marks {
  const letters = lettersOf(actions)
  const of = (action: string) => (action === 'read' ? READS : (letters.get(action) as string))
  const reading = actions.includes('read') ? [`${READS} read`, `${READS_PART} read some fields`] : []
  const others = actions.filter((action) => action !== 'read').map((action) => `${of(action)} ${action}`)
  return {
    of,
    cell: (matrix, person, key) =>
      actions
        .filter((action) => matrix.allows(person, key, action))
        .map((action) => (action === 'read' && matrix.isPartial(person, key) ? READS_PART : of(action)))
        .join(''),
    coloured: (cell) => cell.replace(/[●◐]/, (sign) => pc.green(sign)),
    width: actions.length,
    legend: [...reading, ...others, '· nothing', 'create: + yes, ? depends, · no'].join('   '),
  }
}
