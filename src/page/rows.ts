// Which people and records are shown: those that were searched for, and those on which people differ.
import type { Looking } from './address.js'
import type { Drawn } from './engine.js'

/** The numbers of the people and of the records that are shown. */
export interface Shown {
  readonly people: readonly number[]
  readonly rows: readonly number[]
}

/** A search that names people narrows to them; any other narrows the records. */
export function shownOf(drawn: Drawn, { search, differing }: Pick<Looking, 'search' | 'differing'>): Shown {
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
      (person) => drawn.cells[person]?.[at] !== drawn.cells[first]?.[at] || drawn.partly[person]?.[at] !== drawn.partly[first]?.[at],
    )
  }
  // Where something is tried, what differs by it counts too.
  const tried = (at: number) => people.some((person) => cellChange(drawn, person, at) !== undefined)
  return { people, rows: numbers(drawn.keys.length).filter((at) => fits(at) && (!differing || differs(at) || tried(at))) }
}

const numbers = (count: number) => Array.from({ length: count }, (_, at) => at)

/** How a cell came to be otherwise by what is tried. */
export function cellChange(drawn: Drawn, person: number, row: number): 'gained' | 'lost' | 'other' | undefined {
  if (drawn.was === undefined) return undefined
  const [was = 0, is = 0] = [drawn.was[person]?.[row], drawn.cells[person]?.[row]]
  if (was === is) return undefined
  return (was & ~is) === 0 ? 'gained' : (is & ~was) === 0 ? 'lost' : 'other'
}

/** What a cell says, as signs: the disc is for reading, letters are for the rest. */
export function cellText(drawn: Drawn, letters: readonly string[], person: number, row: number): string {
  const bits = drawn.cells[person]?.[row] ?? 0
  const change = { gained: '+ ', lost: '− ', other: '± ', none: '' }[cellChange(drawn, person, row) ?? 'none']
  if ((bits & 1) === 0) return change.trim()
  const disc = drawn.partly[person]?.[row] ? '◐' : '●'
  const rest = letters.filter((_, at) => bits & (1 << (at + 1))).join('')
  return `${change}${rest === '' ? disc : `${disc} ${rest}`}`
}

/** The same in words, for whoever hears it. */
export function cellWords(drawn: Drawn, person: number, row: number): string {
  const bits = drawn.cells[person]?.[row] ?? 0
  const does = drawn.actions.filter((_, at) => at > 0 && bits & (1 << at))
  const reads = (bits & 1) === 0 ? 'does not see it' : drawn.partly[person]?.[row] ? 'reads some fields' : 'reads it'
  const change = cellChange(drawn, person, row)
  return [reads, ...does, ...(change === undefined ? [] : [change === 'other' ? 'gained and lost' : change])].join(', ')
}
