// The demo world for tests of checking: its records, people and expectation files.
import { readdirSync, readFileSync } from 'node:fs'
import { withEverybody } from 'pachter/internal/review'
import { type Expectation, groundOf } from 'pachter/review'
import { readExpectations } from 'pachter-cli/files'
import { recordsOf, today } from '../../examples/world/open.js'
import { people } from '../../examples/world/people.js'
import { book } from '../../examples/world/rulebook.js'

export const types = Object.keys(book.model.types) as 'plot'[]
export const records = Object.fromEntries(types.map((type) => [type, recordsOf(type)])) as { [type: string]: { id: string }[] }
export const options = { people: { ...people, visitor: null } as never, records, now: today }
export const ground = groundOf(book, { people: withEverybody(book.model, people), records, now: today })
export const known = { model: book.model, people: Object.keys(ground.people), keys: ground.keys }

const folder = new URL('../../examples/world/expectations/', import.meta.url)
/** Its expectation files, by name. */
export const files = Object.fromEntries(readdirSync(folder).map((name) => [name, readFileSync(new URL(name, folder), 'utf8')]))
export const expectations: readonly Expectation[] = Object.entries(files).flatMap(([name, text]) => readExpectations(text, name, known))
