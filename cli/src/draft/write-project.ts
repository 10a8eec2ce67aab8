// The files of a draft: schemas, rulebook, configuration, and what is left to decide.

import { snakeCase } from 'pachter/internal/layout'
import { printable } from '../table.js'
import type { Draft, DraftType, Question } from './draft.js'
import type { Guess, Guesses } from './guesses.js'
import type { DraftPerson } from './pick-people.js'
import { bracketed, comment, literal, property, quoted } from './text.js'
import { GUESSED_READING, groupedFiles } from './write-groups.js'
import { definitionText, sessionTenantOf, sessionText } from './write-records.js'
import { importsOf, rulesOf, rulesText, standingsText, tenantText } from './write-rules.js'
import { shapesText } from './write-shapes.js'

/** The text of each file, by its name. */
export type ProjectFiles = { readonly [file: string]: string }

/** Writes the texts of a project. `from` names the database, without a password. */
export function projectFiles(draft: Draft, guesses: Guesses, people: readonly DraftPerson[], from: string): ProjectFiles {
  const { types } = draft
  const rules = rulesOf(types, guesses)
  const chain = `${definitionText(types, guesses)}${tenantText(guesses)}${standingsText(rules)}${rulesText(rules, guesses)}`
  const session = sessionText(guesses, types)
  const zone = /\btoday\b/.test(chain) ? inUtc(chain) : chain
  const head = `// Drafted from ${from} by pachter init. It is yours to change: "pachter init --check" compares it with the database.\n`
  const rulebook = `${head}//
// ${GUESSED_READING}
${importsOf(zone)}import { z } from 'zod'
import * as shapes from './shapes.js'

${session}
export const book = ${zone}
`
  const code =
    types.length > MOST_IN_ONE
      ? groupedFiles(types, guesses, { head, session, rules, zoned: (text) => (chain === zone ? text : inUtc(text)) })
      : { 'shapes.ts': shapesText(types, head), 'rulebook.ts': rulebook }
  return {
    ...code,
    'pachter.config.ts': configText(types, guesses, people, head),
    'questions.md': questionsText(
      draft,
      guesses,
      rules.filter(({ read }) => read.length === 0).map(({ type }) => type),
      from,
    ),
  }
}

/** Record types that still fit into one file. */
const MOST_IN_ONE = 40

/** The definition, with the time zone of days. */
const inUtc = (text: string) => text.replace("    key: 'id',\n", "    key: 'id',\n    timeZone: 'UTC',\n")

function configText(types: readonly DraftType[], guesses: Guesses, people: readonly DraftPerson[], head: string): string {
  const persons = people.map(({ name, claims, why }) => {
    const fields = Object.entries(claims).map(([field, value]) => `${property(field)}: ${literal(value)}`)
    return `${comment(why, '    ')}\n    ${property(name)}: { ${fields.join(', ')} },`
  })
  const layout = layoutText(types)
  const named = persons.length === 0 ? '  people: {},' : `  people: {\n${persons.join('\n')}\n  },`
  return `${head}import { configure } from 'pachter-cli'
import { book } from './rulebook.js'

export default configure({
  rulebook: book,
${layout === '' ? '' : `  layout: ${layout},\n`}${named}${personOfText(guesses)}${unknownText(guesses, people)}
})
`
}

/** How a record becomes claims, if it says everything that the session does. */
function personOfText(guesses: Guesses): string {
  const { people, membership } = guesses
  if (people === undefined) return ''
  const [key] = people.key
  const tenant = sessionTenantOf(guesses)
  const isMember = membership?.type.fields.some(({ name }) => name === tenant)
  if (tenant !== undefined && (membership === undefined || !isMember)) return ''
  const how = comment(
    `With this, --for takes a key of ${people.table.name} or a search, such as --for ${people.fields[1]?.name ?? 'name'}=...`,
    '  ',
  )
  if (tenant !== undefined && membership !== undefined) {
    const { type, person } = membership
    const claims = `{ id: person.${key}, ${property(tenant)}: one.${tenant} }`
    return `\n${how}\n  personOf: {
    type: ${quoted(people.name)},
    with: [${quoted(type.name)}],
    claims: (person, { ${type.name} }) => ${type.name}.filter((one) => one.${person} === person.${key}).map((one) => (${claims})),
  },`
  }
  return `\n${how}\n  personOf: { type: ${quoted(people.name)}, claims: (person) => ({ id: person.${key} }) },`
}

/** The claims of a signed-in person without a record. */
function unknownText(guesses: Guesses, people: readonly DraftPerson[]): string {
  const field = sessionTenantOf(guesses)
  const tenant = field === undefined ? undefined : people[0]?.claims[field]
  if (field === undefined || tenant === undefined) return ''
  const key = guesses.people?.fields.find(({ name }) => name === guesses.people?.key[0])?.column
  const id = key?.kind === 'integer' ? '-1' : quoted(key?.written === 'uuid' ? NO_UUID : 'nobody')
  return `\n  // Signed in, with an id that no record has.\n  unknown: { id: ${id}, ${property(field)}: ${literal(tenant)} },`
}

const NO_UUID = '00000000-0000-0000-0000-000000000000'

function layoutText(types: readonly DraftType[]): string {
  const columns = types.flatMap(({ fields }) => fields)
  const isSnake =
    columns.filter((one) => snakeCase(one.name) === one.column.name).length > columns.filter((one) => one.name === one.column.name).length
  const asNamed = (name: string) => (isSnake ? snakeCase(name) : name)
  const tables = types.flatMap(({ name, table, fields }) => {
    const odd = fields
      .filter((one) => asNamed(one.name) !== one.column.name)
      .map((one) => `${property(one.name)}: ${quoted(one.column.name)}`)
    const parts = [
      ...(asNamed(name) === table.name ? [] : [`name: ${quoted(table.name)}`]),
      ...(table.schema === undefined ? [] : [`schema: ${quoted(table.schema)}`]),
      ...(odd.length === 0 ? [] : [`columns: ${bracketed('{', odd, '}', '      ')}`]),
    ]
    return parts.length === 0 ? [] : [`${property(name)}: { ${parts.join(', ')} }`]
  })
  const parts = [
    ...(isSnake ? ["names: 'snake_case'"] : []),
    ...(tables.length === 0 ? [] : [`tables: {\n${tables.map((one) => `      ${one},`).join('\n')}\n    }`]),
  ]
  return parts.length === 0 ? '' : `{\n${parts.map((part) => `    ${part},`).join('\n')}\n  }`
}

function questionsText({ questions }: Draft, guesses: Guesses, closed: readonly DraftType[], from: string): string {
  const all: Question[] = [
    ...questions,
    ...(guesses.people === undefined
      ? [{ weight: 100, about: 'people', text: 'Which table holds the people who sign in? Nothing is opened until the rules know.' }]
      : []),
    ...(closed.length === 0
      ? []
      : [{ weight: 50, about: closed.map(({ name }) => name).join(', '), text: 'Nobody reads these. Whose are they, or who needs them?' }]),
    ...guesses.all
      .filter((one) => one.sure !== 'sure')
      .map(
        (one): Question => ({
          weight: one.kind === 'published' ? 80 : 30,
          about: placeOf(one),
          text: `is taken for ${GUESSED[one.kind]}, because ${one.why}. Is it?`,
        }),
      ),
  ]
  const lines = all.sort((a, b) => b.weight - a.weight).map(({ about, text }, at) => `${at + 1}. **${oneLine(about)}**: ${oneLine(text)}`)
  return `# What to decide\n\nDrafted from ${from}. The most important question comes first. Delete this file when you are done.\n\n${lines.join('\n') || 'Nothing.'}\n`
}

// Names and defaults come from the database.
const oneLine = (text: string) => printable(text.replaceAll(/\s+/g, ' '))

const GUESSED: { readonly [K in Guess['kind']]: string } = {
  people: 'the people',
  owner: 'the owner',
  author: 'the author, who may read it',
  assignee: 'the person it is assigned to, who may read it',
  parent: 'a part of another record, whose owner may read it',
  tenant: 'the tenant',
  membership: 'a membership',
  roles: 'a role',
  share: 'a share, which lets people read the record',
  published: 'a mark of what everyone may read',
  state: 'a state',
  removal: 'a mark of removed records',
  secret: 'a secret',
}

function placeOf({ type, field }: Guess): string {
  return field === undefined ? type : `${type}.${field}`
}
