import pc from 'picocolors'
import type { Change } from '../review/index.js'
import { say } from './output.js'
import { printable, wrapped } from './table.js'

/** Changes of access as a table under a title; nothing where there are none. */
export function sayChanges(title: string, changes: readonly Change[], mark: string): void {
  if (changes.length === 0) return
  say(pc.bold(`${title}: ${changes.length}`))
  say(
    wrapped(
      ['', 'person', 'may', 'record', 'fields', 'by'],
      together(changes).map(({ change, people, keys }) => [
        mark,
        fewOf(people),
        change.action,
        printable(`${change.type} ${fewOf(keys)}`),
        change.fields?.join(', ') ?? '',
        change.by.join('; or '),
      ]),
    ),
  )
  say()
}

function fewOf(names: readonly string[]): string {
  return names.length <= 4 ? names.join(' ') : `${names.slice(0, 3).join(' ')} and ${names.length - 3} more`
}

interface Alike {
  readonly change: Change
  readonly people: string[]
  readonly keys: string[]
}

/** Changes of the same kind in one line: of several records, and of several people with the same records. */
function together(changes: readonly Change[]): Alike[] {
  const kindOf = ({ action, type, fields, by }: Change) => JSON.stringify([action, type, fields, by])
  const byPerson = grouped(changes, (change) => `${change.person}\n${kindOf(change)}`).map((alike) => ({
    change: alike[0] as Change,
    keys: alike.map(({ key }) => key),
  }))
  return grouped(byPerson, ({ change, keys }) => `${kindOf(change)}\n${keys.join('\n')}`).map((alike) => ({
    ...(alike[0] as (typeof byPerson)[number]),
    people: alike.map(({ change }) => change.person),
  }))
}

function grouped<T>(all: readonly T[], by: (one: T) => string): T[][] {
  const groups = new Map<string, T[]>()
  for (const one of all) {
    const group = groups.get(by(one))
    if (group === undefined) groups.set(by(one), [one])
    else group.push(one)
  }
  return [...groups.values()]
}
