import type { Command } from 'commander'
import type { Row } from 'pachter/internal/condition'
import { linkedClaims } from 'pachter/internal/viewpoint'
import { command, format } from '../options.js'
import { say } from '../output.js'
import { type CommonOptions, openSession } from '../session.js'
import { cell, columns, csv, FORMATS, type Format } from '../table.js'

/** `pachter people`: the named people, their claims, and what the rules read from records linked to them. */
async function peopleCommand(options: CommonOptions & { readonly format: Format }): Promise<void> {
  const session = await openSession(options)
  const people = session.allPeople().map((person) => ({ name: person.name, claims: session.viewpoint(person).me as Row | null }))
  const { model } = session.loaded
  const paths = [...Object.keys(model.me.fields).map((field) => [field]), ...linkedClaims(model)]
  const headings = paths.map((path) => path.join('.'))
  const value = (claims: Row | null, path: readonly string[]) =>
    path.reduce<unknown>((found, step) => (found as Row | undefined)?.[step], claims ?? {})
  if (options.format === 'json') {
    return say(
      JSON.stringify(
        people.map(({ name, claims }) => ({ name, claims })),
        null,
        2,
      ),
    )
  }
  if (options.format === 'csv') {
    return say(
      csv(
        ['name', ...headings],
        people.map(({ name, claims }) => [name, ...paths.map((path) => value(claims, path))]),
      ),
    )
  }
  say(
    columns(
      ['name', ...headings],
      people.map(({ name, claims }) => [name, ...paths.map((path) => (claims ? cell(value(claims, path)) || '-' : '-'))]),
    ),
  )
  say()
  say(`${people.length} people. visitor has no claims. unknown is signed in, but has no record. --for system shows everything.`)
}

/** The command `people`: its arguments, options and help. */
export function peopleDeclaration(): Command {
  return command('people', 'Shows the named people and their claims.')
    .addOption(format(FORMATS))
    .action((options) => peopleCommand(options))
}
