// Privileges and routines, which belong to no record: who has them and why.

import { describe } from 'pachter/internal/condition'
import { unknownName } from 'pachter/internal/rulebook'
import { type GrantKind, grantsIn } from 'pachter/internal/viewpoint'
import pc from 'picocolors'
import { UsageError } from '../errors.js'
import { clauseText } from '../explain.js'
import { say } from '../output.js'
import { peopleOf } from '../people.js'
import { type CliSession, type CommonOptions, openSession } from '../session.js'
import { csv, type Format, wrapped } from '../table.js'

/** The word in place of an action for a question about a privilege or a routine. */
const VERBS: { readonly [verb: string]: GrantKind } = { has: 'privilege', call: 'routine' }

/** Whether the question is about a privilege or routine: `has openLedger`, `call handOver`. */
export function isOfGrant(action: string): boolean {
  return Object.hasOwn(VERBS, action)
}

interface GrantOptions extends CommonOptions {
  readonly for: string
  readonly format: 'text' | 'json'
}

/** `pachter why has <privilege>`, `pachter why call <routine>`. */
export async function whyGrant(action: string, name: string, options: GrantOptions): Promise<void> {
  const { kind, view, person } = await asked(action, name, options)
  const explanation = view.whyGranted(kind, name)
  if (options.format === 'json') return say(JSON.stringify(explanation, null, 2))
  const who = person === 'visitor' ? 'a visitor' : person
  say(`${who} ${verdict(kind, explanation.has)} ${name}`)
  say()
  const wording = { record: 'the record', person: `${who}'s` }
  if (explanation.gate?.holds === false) {
    say('Refused by the gate of the rulebook, which does not hold:')
    for (const line of clauseText({ title: 'the gate', holds: false, trace: explanation.gate }, wording)) say(line)
    say()
  }
  say(explanation.trace.holds ? 'Allowed by this condition:' : 'No condition holds:')
  for (const line of clauseText({ title: name, holds: explanation.trace.holds, trace: explanation.trace }, wording)) say(line)
}

/** `pachter try has <privilege>`, `pachter try call <routine>`. Returns whether it was allowed. */
export async function tryGrant(action: string, name: string, options: GrantOptions): Promise<boolean> {
  const { kind, view, person } = await asked(action, name, options)
  const { has } = view.whyGranted(kind, name)
  if (options.format === 'json') say(JSON.stringify({ person, [kind]: name, allowed: has }, null, 2))
  else {
    const refused = person === 'visitor' ? 'sign in' : 'refused'
    say(`${person} tries to ${kind === 'privilege' ? `use ${name}` : `call ${name}`}: ${has ? pc.green('allowed') : pc.red(refused)}`)
    if (has && kind === 'routine') say(pc.dim('  The routine itself is code of the application. Use --within to try an action within it.'))
  }
  return has
}

/** `pachter who <privilege or routine>`. */
export async function whoHas(
  name: string,
  options: CommonOptions & { readonly for: readonly string[]; readonly format: Format },
): Promise<void> {
  const session = await openSession(options)
  const { model } = session.loaded
  const meant = grantsIn(model).filter((one) => one.name === name)
  const people = Object.keys(peopleOf(session, options.for))
  const found = meant.map(({ kind }) => {
    const has = havingGrant(session, { kind, name }, people)
    return { kind, name, has, not: people.filter((person) => !has.includes(person)) }
  })
  if (options.format === 'json') return say(JSON.stringify(found, null, 2))
  if (options.format === 'csv')
    return say(
      csv(
        ['person', 'kind', 'name'],
        found.flatMap(({ kind, has }) => has.map((person) => [person, kind, name])),
      ),
    )
  for (const { kind, has, not } of found) {
    const condition = (kind === 'privilege' ? model.privileges : model.routines)[name]
    say(
      wrapped(
        ['person', kind === 'privilege' ? 'has' : 'may call', 'by'],
        has.map((person) => [person, name, condition ? describe(condition) : '']),
      ),
    )
    say()
    if (not.length > 0) say(pc.dim(`Not for: ${not.join(', ')}.`))
  }
}

/** The people who have a privilege or may call a routine. */
export function havingGrant(
  session: CliSession,
  { kind, name }: { readonly kind: GrantKind; readonly name: string },
  people: readonly string[],
): string[] {
  return people.filter((person) => session.viewpoint(session.person(person)).whyGranted(kind, name).has)
}

/** Whether a rulebook has a privilege or routine with that name. */
export function isGrant(model: Parameters<typeof grantsIn>[0], name: string): boolean {
  return grantsIn(model).some((one) => one.name === name)
}

function verdict(kind: GrantKind, has: boolean): string {
  const words = kind === 'privilege' ? (has ? 'has' : 'does not have') : has ? 'may call' : 'may not call'
  return has ? pc.green(words) : pc.red(words)
}

async function asked(action: string, name: string, options: GrantOptions) {
  const session = await openSession(options)
  const kind = VERBS[action] as GrantKind
  const known = grantsIn(session.loaded.model).filter((one) => one.kind === kind)
  if (!known.some((one) => one.name === name))
    throw new UsageError(
      unknownName(
        kind,
        name,
        known.map((one) => one.name),
      ),
    )
  const person = session.person(options.for)
  if (person.claims === undefined) throw new UsageError(`${action}: the system may do anything. Name a person.`)
  return { kind, view: session.viewpoint(person), person: person.name }
}
