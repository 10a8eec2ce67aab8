import { say } from '../output.js'
import { type CommonOptions, openSession } from '../session.js'
import { cell, columns, csv, type Format } from '../table.js'

/** `pachter people`: the named people, and the claims that the rules are given for each. */
export async function peopleCommand(options: CommonOptions & { readonly format: Format }): Promise<void> {
  const session = await openSession(options)
  const people = session.everybody()
  const fields = Object.keys(session.loaded.model.me.fields)
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
        ['name', ...fields],
        people.map(({ name, claims }) => [name, ...fields.map((field) => claims?.[field])]),
      ),
    )
  }
  say(
    columns(
      ['name', ...fields],
      people.map(({ name, claims }) => [name, ...fields.map((field) => (claims ? cell(claims[field]) || '-' : '-'))]),
    ),
  )
  say()
  say(`${people.length} people. A visitor has no claims; unknown is signed in and known to no record. --for system shows everything.`)
}
