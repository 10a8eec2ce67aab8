// A draft of many tables: a file of shapes, standings and rules for each group of tables.
import type { DraftType } from './draft.js'
import type { Guesses } from './guesses.js'
import { camelCase } from './names.js'
import { bracketed, property, quoted } from './text.js'
import { definitionText } from './write-records.js'
import { type DraftRules, importsOf, ruleCallback, standingCallbacks, tenantText } from './write-rules.js'
import { shapesText } from './write-shapes.js'

/** What a draft says of its rules. */
export const GUESSED_READING =
  'What people may read is guessed from names, keys and indexes. Each guess says how sure it is, and why. Nobody may change anything yet.'

/** Tables that begin with the same word and are a group. */
const FEWEST = 3
const OTHER = 'other'

interface Parts {
  readonly head: string
  readonly session: string
  readonly rules: readonly DraftRules[]
  /** Names the time zone of days, if the rules use any. */
  readonly zoned: (definition: string) => string
}

/** The groups of tables: those of a schema, or those whose names begin with the same word. */
export function groupsOf(types: readonly DraftType[]): ReadonlyMap<string, readonly DraftType[]> {
  const bySchema = grouped(types, ({ table }) => table.schema ?? OTHER)
  const byWord = grouped(types, ({ table }) => table.name.split(/[_.]|(?<=[a-z])(?=[A-Z])/)[0]?.toLowerCase() ?? OTHER)
  const groups = bySchema.size > 1 ? bySchema : byWord
  const large = [...groups].filter(([name, of]) => name !== OTHER && of.length >= FEWEST)
  const rest = types.filter((type) => !large.some(([, of]) => of.includes(type)))
  return new Map([...large, ...(rest.length === 0 ? [] : [[OTHER, rest] as const])])
}

function grouped(types: readonly DraftType[], nameOf: (type: DraftType) => string): Map<string, DraftType[]> {
  const found = new Map<string, DraftType[]>()
  for (const type of types) {
    const name = camelCase(nameOf(type).replaceAll(/\W/g, '_')) || OTHER
    found.set(name, [...(found.get(name) ?? []), type])
  }
  return found
}

/** The files with the code of the project. */
export function groupedFiles(
  types: readonly DraftType[],
  guesses: Guesses,
  { head, session, rules, zoned }: Parts,
): { [file: string]: string } {
  const groups = groupsOf(types)
  const definition = zoned(definitionText(types, guesses)) + tenantText(guesses)
  const files: { [file: string]: string } = {
    'shapes.ts': `${head}${[...groups.keys()].map((name) => `export * from './shapes/${name}.js'\n`).join('')}`,
    'base.ts': `${head}${importsOf(definition)}import { z } from 'zod'\nimport * as shapes from './shapes.js'\n\n${session}
/** The record types, before standings and rules. */
export const base = ${definition}\n`,
  }
  const [withStandings, withRules]: [string[], string[]] = [[], []]
  for (const [name, of] of groups) {
    const mine = rules.filter(({ type }) => of.includes(type))
    files[`shapes/${name}.ts`] = shapesText(of, head)
    const standings = standingCallbacks(mine).map(([type, text]) => entry(type, 'base.standingsOf', text))
    if (standings.length > 0) {
      withStandings.push(name)
      files[`standings/${name}.ts`] = part(head, 'base', `${variable(name)}Standings`, standings)
    }
    withRules.push(name)
    const entries = mine.map((one) => entry(one.type, 'model.rulesOf', ruleCallback(one, guesses)))
    files[`rules/${name}.ts`] = part(`${head}//\n// ${GUESSED_READING}\n`, 'model', `${variable(name)}Rules`, entries)
  }
  files['model.ts'] = `${head}import { base } from './base.js'\n${imported(withStandings, 'standings', 'Standings')}
/** The record types with their standings. */
export const model = base${withStandings.length === 0 ? '' : `.standings(${spread(withStandings, 'Standings')})`}\n`
  files['rulebook.ts'] = `${head}import { model } from './model.js'\n${imported(withRules, 'rules', 'Rules')}
export const book = model.rules(${spread(withRules, 'Rules')})\n`
  return files
}

function part(head: string, from: string, name: string, entries: readonly string[]): string {
  const text = entries.join('\n')
  return `${head}${importsOf(text)}import { ${from} } from '../${from}.js'\n\nexport const ${name} = {\n${text}\n}\n`
}

const entry = ({ name }: DraftType, call: string, text: string) =>
  `  ${property(name)}: ${call}(${quoted(name)}, ${text.replaceAll('\n  ', '\n')}),`
const imported = (names: readonly string[], folder: string, what: string) =>
  names.map((name) => `import { ${variable(name)}${what} } from './${folder}/${name}.js'\n`).join('')
const spread = (names: readonly string[], what: string) =>
  bracketed(
    '{',
    names.map((name) => `...${variable(name)}${what}`),
    '}',
    '',
  )

/** The group as the beginning of a name in code. */
const variable = (name: string) => (/^\d/.test(name) ? `_${name}` : name)
