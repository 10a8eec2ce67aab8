import { jsonText } from 'pachter/internal/condition'
import { type Compared, driftForEveryone, type Widening } from 'pachter/internal/prove'
import type { SourcePlace } from 'pachter/internal/review'
import type { Rulebook } from 'pachter/internal/viewpoint'
import pc from 'picocolors'
import { clauseOf, exampleLines } from './examples.js'
import { progress, say } from './output.js'
import { placesOf, sourcePlacesOf } from './places.js'
import { sarifText } from './sarif.js'

/** Two rulebooks, with the names of their revisions. */
export interface Revisions {
  readonly before: Rulebook
  readonly after: Rulebook
  readonly from: string
  readonly to: string
  /** The rulebook of the working tree, in which a code review shows its findings. */
  readonly here: Rulebook
}

/** Says what anyone gained or lost between two rulebooks, with an example of each. Returns whether nothing changed. */
export function reportForEveryone({ before, after, from, to, here }: Revisions, format: 'text' | 'json' | 'sarif'): boolean {
  const all: Compared[] = []
  for (const one of driftForEveryone(before.model, after.model)) {
    all.push(one)
    progress('questions', all.length)
  }
  progress()
  const changes = all.flatMap(({ widening }) => (widening === undefined ? [] : [widening]))
  if (format === 'json') say(jsonText({ from, to, asked: all.length, changes }, 2))
  else if (format === 'sarif') say(sarif(changes, { before, after, from, to, here }))
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
  const [{ change, example }] = group
  const sign = example === undefined ? pc.yellow('?') : change === 'gained' ? pc.red('+') : pc.green('-')
  say()
  say(`${sign} ${headOf(group)}`)
  for (const line of linesOf(book, group)) say(`    ${line}`)
}

/** What changed, in a line. */
function headOf(group: Group): string {
  const [{ permission, change, example, because }] = group
  const told = example === undefined ? `undecided, ${because}` : change
  if ('kind' in permission) return `${permission.kind} ${permission.name}: ${told}`
  const fields = group.flatMap((one) => ('kind' in one.permission || one.permission.field === undefined ? [] : [one.permission.field]))
  const of = fields.length === 0 ? '' : ` (${fields.join(', ')})`
  return `${permission.type}, ${permission.action}${of}${permission.outside ? ', outside of routines' : ''}: ${told}`
}

/** The example. */
function linesOf(book: Rulebook, [{ permission, example }]: Group): readonly string[] {
  if (example === undefined) return []
  if ('kind' in permission) return [`for ${example.me === null ? 'a visitor' : jsonText(example.me)}`]
  return exampleLines(book, permission, example)
}

const KINDS = [
  { id: 'gained', text: 'Someone may do more than before' },
  { id: 'lost', text: 'Someone may do less than before' },
]

/** For code review: each change at the rules that allow it now, or allowed it. */
function sarif(changes: readonly Widening[], { before, after, here }: Revisions): string {
  const places = sourcePlacesOf(here.model)
  const results = grouped(changes).map((group) => {
    const [{ permission, change }] = group
    const book = change === 'gained' ? after : before
    const place =
      'kind' in permission
        ? places.grant(permission.kind === 'privilege' ? 'privileges' : 'routines', permission.name)
        : (clausePlace(here, book, group) ?? places.rules(permission.type))
    const head = headOf(group)
    return {
      kind: change,
      level: change === 'gained' ? ('error' as const) : ('note' as const),
      message: [head, ...linesOf(book, group)].join('\n'),
      place,
      fingerprint: head,
    }
  })
  return sarifText('pachter drift', KINDS, results)
}

/** Where the clause is that allows what an example shows. */
function clausePlace(here: Rulebook, book: Rulebook, [{ permission, example }]: Group): SourcePlace | undefined {
  if (example === undefined || 'kind' in permission) return undefined
  const title = clauseOf(book, permission, example)?.title
  return title === undefined ? undefined : placesOf(here.model).clause(permission.type, permission.action, title)
}
