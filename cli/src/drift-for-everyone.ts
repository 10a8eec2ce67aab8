import { type Compared, driftForEveryone, type Widening } from 'pachter/internal/prove'
import type { Rulebook } from 'pachter/internal/viewpoint'
import pc from 'picocolors'
import { exampleLines } from './examples.js'
import { progress, say } from './output.js'

/** Two rulebooks, with the names of their revisions. */
export interface Revisions {
  readonly before: Rulebook
  readonly after: Rulebook
  readonly from: string
  readonly to: string
}

/** Says what anyone gained or lost between two rulebooks, with an example of each. Returns whether nothing changed. */
export function reportForEveryone({ before, after, from, to }: Revisions, format: 'text' | 'json'): boolean {
  const all: Compared[] = []
  for (const one of driftForEveryone(before.model, after.model)) {
    all.push(one)
    progress('questions', all.length)
  }
  progress()
  const changes = all.flatMap(({ widening }) => (widening === undefined ? [] : [widening]))
  if (format === 'json') say(JSON.stringify({ from, to, asked: all.length, changes }, null, 2))
  else if (changes.length === 0) {
    say(`Proved: from ${from} to ${to}, nobody gains or loses anything, for every person and all records (${all.length} questions).`)
  } else {
    say(`From ${from} to ${to}, for every person and all records:`)
    for (const group of grouped(changes)) sayChange(group[0].change === 'gained' ? after : before, group)
    say()
    say(`The other ${all.length - changes.length} of ${all.length} questions are proved to have the same answers.`)
  }
  return changes.length === 0
}

/** Changes of one action of a record type, with one example for all its fields. */
type Group = readonly [Widening, ...Widening[]]

function grouped(changes: readonly Widening[]): readonly Group[] {
  const groups = new Map<string, [Widening, ...Widening[]]>()
  for (const one of changes) {
    const { permission, change, example } = one
    const of = 'kind' in permission ? [permission.kind, permission.name] : [permission.type, permission.action, permission.outside]
    const key = JSON.stringify([change, example === undefined, ...of])
    const there = groups.get(key)
    if (there === undefined) groups.set(key, [one])
    else there.push(one)
  }
  return [...groups.values()]
}

function sayChange(book: Rulebook, group: Group): void {
  const [{ permission, change, example, because }] = group
  say()
  const sign = example === undefined ? pc.yellow('?') : change === 'gained' ? pc.red('+') : pc.green('-')
  const told = example === undefined ? `undecided, ${because}` : change
  if ('kind' in permission) {
    say(`${sign} ${permission.kind} ${permission.name}: ${told}`)
    if (example !== undefined) say(`    for ${example.me === null ? 'a visitor' : JSON.stringify(example.me)}`)
    return
  }
  const fields = group.flatMap((one) => ('kind' in one.permission || one.permission.field === undefined ? [] : [one.permission.field]))
  const of = fields.length === 0 ? '' : ` (${fields.join(', ')})`
  say(`${sign} ${permission.type}, ${permission.action}${of}${permission.outside ? ', outside of routines' : ''}: ${told}`)
  if (example !== undefined) for (const line of exampleLines(book, permission, example)) say(`    ${line}`)
}
