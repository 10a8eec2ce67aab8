import type { AccessChange, Grant, RuleChange } from 'pachter/internal/review'
import pc from 'picocolors'
import { say } from './output.js'
import { hanging, printable, wrapped } from './table.js'

/** Access changes as a table with a title; empty if there are none. */
export function sayChanges(title: string, changes: readonly AccessChange[], mark: string): void {
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

/** Privileges and routines that people gained or lost, one per line. */
export function sayGrants(grants: readonly Grant[]): void {
  const lines = groupedBy(grants, ({ kind, name, has }) => `${has ? pc.red('+') : pc.green('-')} ${kind} ${name}`)
  for (const [line, all] of lines) say(`${line}: ${fewOf(all.map(({ person }) => person))}`)
  if (grants.length > 0) say()
}

/** Rules that changed, in words. */
export function sayRules(rules: readonly RuleChange[]): void {
  if (rules.length === 0) return
  say(pc.bold('Changed rules'))
  say(pc.dim('Their effect on updates, new records and records that are not in this data is not compared.'))
  for (const { of, gone, added } of rules) {
    say(`  ${of}`)
    for (const line of gone) say(`    ${pc.red('-')} ${hanging(printable(worded(line, added)), 6)}`)
    for (const line of added) say(`    ${pc.green('+')} ${hanging(printable(worded(line, gone)), 6)}`)
  }
  say()
}

/** A rule without its hash, unless another rule with the same text is next to it. */
export function worded(line: string, others: readonly string[]): string {
  const bare = (one: string) => one.replace(/ #[0-9a-f]+$/, '')
  return others.some((one) => bare(one) === bare(line)) ? line : bare(line)
}

function fewOf(names: readonly string[]): string {
  return names.length <= 4 ? names.join(' ') : `${names.slice(0, 3).join(' ')} and ${names.length - 3} more`
}

interface Alike {
  readonly change: AccessChange
  readonly people: string[]
  readonly keys: string[]
}

/** Merges changes of the same kind into one line: several records, and several people with the same records. */
export function together(changes: readonly AccessChange[]): Alike[] {
  const kindOf = ({ action, type, fields, by }: AccessChange) => JSON.stringify([action, type, fields, by])
  const byPerson = grouped(changes, (change) => `${change.person}\n${kindOf(change)}`).map((alike) => ({
    change: alike[0] as AccessChange,
    keys: alike.map(({ key }) => key),
  }))
  return grouped(byPerson, ({ change, keys }) => `${kindOf(change)}\n${keys.join('\n')}`).map((alike) => ({
    ...(alike[0] as (typeof byPerson)[number]),
    people: alike.map(({ change }) => change.person),
  }))
}

function grouped<T>(all: readonly T[], by: (one: T) => string): T[][] {
  return [...groupedBy(all, by).values()]
}

function groupedBy<T>(all: readonly T[], by: (one: T) => string): Map<string, T[]> {
  const groups = new Map<string, T[]>()
  for (const one of all) {
    const group = groups.get(by(one))
    if (group === undefined) groups.set(by(one), [one])
    else group.push(one)
  }
  return groups
}
