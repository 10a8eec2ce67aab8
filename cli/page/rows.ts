// Which people and records are shown, in which order: by search, by differences, by standing.
import type { Looking } from './address.js'
import type { Changes, Shown, Standings } from './engine/types.js'

/** The numbers of the people, and the lines: a number is a record, a text is a heading. */
export interface Lines {
  readonly people: readonly number[]
  readonly lines: readonly (number | string)[]
  /** The number of records among the lines. */
  readonly records: number
}

/** A search that matches people narrows the people; any other search narrows the records. */
export function linesOf(
  { drawn, changes }: Shown,
  { search, differing, group }: Pick<Looking, 'search' | 'differing' | 'group'>,
  standings?: Standings,
): Lines {
  const words = search.toLowerCase().split(/\s+/).filter(Boolean)
  const named = words.filter((word) => drawn.people.some((person) => person.toLowerCase().startsWith(word)))
  const rest = words.filter((word) => !named.includes(word))
  const people = numbers(drawn.people.length).filter(
    (at) => named.length === 0 || named.some((word) => (drawn.people[at] as string).toLowerCase().startsWith(word)),
  )
  const fits = (at: number) => rest.every((word) => `${drawn.keys[at]} ${drawn.labels[at]}`.toLowerCase().includes(word))
  const differs = (at: number) => {
    const first = people[0]
    if (first === undefined) return false
    return people.some(
      (person) => drawn.cells[person]?.[at] !== drawn.cells[first]?.[at] || drawn.partial[person]?.[at] !== drawn.partial[first]?.[at],
    )
  }
  // During a trial, differences by it count too.
  const tried = (at: number) => people.some((person) => changes?.[person]?.[at])
  const rows = numbers(drawn.keys.length).filter((at) => fits(at) && (!differing || differs(at) || tried(at)))
  const whose = drawn.people.indexOf(group)
  return { people, records: rows.length, lines: whose < 0 || standings === undefined ? rows : grouped(rows, group, whose, standings) }
}

/** Groups the records by a person's standing. */
function grouped(rows: readonly number[], person: string, whose: number, { names, bits }: Standings): (number | string)[] {
  const groups = new Map<number, number[]>()
  for (const row of rows) {
    const standing = bits[whose]?.[row] ?? 0
    const mine = groups.get(standing)
    if (mine === undefined) groups.set(standing, [row])
    else mine.push(row)
  }
  return [...groups]
    .sort(([a], [b]) => Number(a === 0) - Number(b === 0) || a - b)
    .flatMap(([standing, mine]) => {
      const is = names.filter((_, bit) => (standing >> bit) & 1)
      const what = is.length === 0 ? `${person} has no standing` : `${person} is ${is.join(' and ')}`
      return [`${what}: ${mine.length}`, ...mine]
    })
}

const numbers = (count: number) => Array.from({ length: count }, (_, at) => at)

const CHANGE = [undefined, 'gained', 'lost', 'other'] as const

/** How a cell changed. */
export function cellChange(changes: Changes | undefined, person: number, row: number): 'gained' | 'lost' | 'other' | undefined {
  return CHANGE[changes?.[person]?.[row] ?? 0]
}

/** The symbols of a cell: a disc for read, letters for other actions. */
export function cellText({ drawn, changes }: Shown, letters: readonly string[], person: number, row: number): string {
  const bits = drawn.cells[person]?.[row] ?? 0
  const change = { gained: '+ ', lost: '− ', other: '± ', none: '' }[cellChange(changes, person, row) ?? 'none']
  if ((bits & 1) === 0) return change.trim()
  const disc = drawn.partial[person]?.[row] ? '◐' : '●'
  const rest = letters.filter((_, at) => bits & (1 << (at + 1))).join('')
  return `${change}${rest === '' ? disc : `${disc} ${rest}`}`
}

/** The same in words, for screen readers. */
export function cellWords({ drawn, changes }: Shown, person: number, row: number): string {
  const bits = drawn.cells[person]?.[row] ?? 0
  const does = drawn.actions.filter((_, at) => at > 0 && bits & (1 << at))
  const reads = (bits & 1) === 0 ? 'nothing is allowed' : drawn.partial[person]?.[row] ? 'read some fields' : 'read'
  const change = cellChange(changes, person, row)
  return [reads, ...does, ...(change === undefined ? [] : [change === 'other' ? 'gained and lost' : change])].join(', ')
}
