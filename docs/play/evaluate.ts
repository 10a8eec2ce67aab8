// Runs a rulebook that was typed into the page, in the page: TypeScript becomes JavaScript, which may import these packages.
import * as pachter from 'pachter'
import { type AccessMatrix, accessMatrix, clauseLines } from 'pachter/review'
import { transform } from 'sucrase'
import * as zod from 'zod'

const PACKAGES: { readonly [name: string]: unknown } = { pachter, zod }

/** What is typed into the page. */
export interface Typed {
  readonly rules: string
  readonly records: string
  readonly people: string
}

/** The result: a matrix for each record type, and a function that explains a cell. */
export interface Evaluated {
  readonly matrices: readonly AccessMatrix[]
  readonly warnings: readonly string[]
  why(type: string, person: string, key: string, action: string): readonly string[]
}

/** @throws where the rules, the records or the people cannot be used, with a message for the author */
export function evaluate({ rules, records: recordsText, people: peopleText }: Typed): Evaluated {
  const book = load(rules)
  const records = parse('Records', recordsText) as { readonly [type: string]: readonly Record<string, unknown>[] }
  const people = { ...(parse('People', peopleText) as { readonly [name: string]: object }), visitor: null }
  const types = Object.keys(book.model.types)
  const all = Object.fromEntries(types.map((type) => [type, records[type] ?? []]))
  const now = new Date()
  const matrices = types.map((type) => accessMatrix(book, type, { people, records: all, now } as never))
  return {
    matrices,
    warnings: book.warnings,
    why(type, person, key, action) {
      const record = all[type]?.[matrices[types.indexOf(type)]?.keys.map(String).indexOf(key) ?? -1]
      const view = book.for(people[person as 'visitor'] as never, { records: all, now } as never)
      const { verdict, clause, clauses, withheldBy } = view.why(action as 'read', type, record as never)
      const lines = clause === undefined ? [] : clauseLines(clause, { record: `the ${type}`, person: `${person}'s` }).flat()
      const shown = lines.map(({ holds, text, values }) => `${holds ? 'holds' : 'fails'}: ${text}${values === undefined ? '' : ` [${values}]`}`)
      return [
        `${person} ${verdict.allowed ? 'may' : 'may not'} ${action} ${type} ${key}${verdict.fields ? `, fields: ${verdict.fields.join(', ')}` : ''}`,
        ...withheldBy.map(({ title }) => `refused by: ${title}`),
        ...shown,
        ...clauses.filter((one) => one !== clause).map((one) => `${one.holds ? 'holds' : 'fails'}: ${one.title}`),
      ]
    },
  }
}

function load(code: string): pachter.Rulebook {
  const { code: script } = transform(code, { transforms: ['typescript', 'imports'], filePath: 'rules.ts' })
  const exported: { book?: pachter.Rulebook; default?: pachter.Rulebook } = {}
  const require = (name: string) => {
    if (!Object.hasOwn(PACKAGES, name)) throw new Error(`This page has the packages ${Object.keys(PACKAGES).join(' and ')} only, not "${name}".`)
    return PACKAGES[name]
  }
  // The author's own code, in the author's own browser.
  new Function('require', 'exports', script)(require, exported)
  const book = exported.book ?? exported.default
  if (book === undefined) throw new Error('Export the rulebook: export const book = rulebook({ ... })')
  return book
}

function parse(what: string, text: string): unknown {
  try {
    return JSON.parse(text)
  } catch (error) {
    throw new Error(`${what}: ${error instanceof Error ? error.message : String(error)}`)
  }
}
