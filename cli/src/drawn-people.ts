// People of expectation files who are not in the configuration: found in the records, by key or by a search.
import { readFileSync } from 'node:fs'
import { isPachterError, jsonText, type Row } from 'pachter/internal/condition'
import type { Project } from 'pachter/internal/review'
import { keyOf, typeModel } from 'pachter/internal/rulebook'
import type { Records } from 'pachter/internal/store'
import { parse } from 'yaml'
import type { Loaded } from './load.js'
import { findPeople, findPerson, type Person, personsOfRecord } from './person.js'

const EVERY = 'every '

/** The people that a file names by something else than their names. */
export interface DrawnPeople {
  /** Their claims, by a name that nobody else has. */
  readonly people: { readonly [name: string]: Row | null }
  /** Their names, by the text in the file; or the message of what is wrong with it. */
  readonly named: ReadonlyMap<string, readonly string[] | string>
}

/** Finds the people that expectation files draw from the records: `m-03:`, `name=Ines:`, or `every roles=warden:`. */
export function drawPeople(loaded: Loaded, records: Records, known: DrawnPeople['people'], files: readonly string[]): DrawnPeople {
  const people: { [name: string]: Row | null } = {}
  const named = new Map<string, readonly string[] | string>()
  const nameOf = (person: Person): string => {
    const { name, claims } = person
    const listed = listedName(known, person)
    if (listed !== undefined) return listed
    const free = Object.hasOwn(known, name) ? `${loaded.personOf?.type} ${name}` : name
    people[free] = claims ?? null
    return free
  }
  for (const text of new Set(files.flatMap((file) => namesIn(readFileSync(file, 'utf8'))))) {
    if (Object.hasOwn(known, text) || (loaded.personOf === undefined && !text.includes('='))) continue
    try {
      const found = text.startsWith(EVERY)
        ? findPeople(loaded, text.slice(EVERY.length), records, text)
        : [findPerson(loaded, text, records, text)]
      named.set(text, found.map(nameOf))
    } catch (error) {
      if (!isPachterError(error)) throw error
      named.set(text, error.message)
    }
  }
  return { people, named }
}

/** The claims of all people of the records, by key, for the page. A record that gives no valid claims is left out. */
export function everyoneIn(loaded: Loaded, records: Records): Pick<Project, 'everyone'> {
  const { personOf } = loaded
  if (personOf === undefined) return {}
  const type = typeModel(loaded.model, personOf.type)
  const found = (records[personOf.type] ?? []).flatMap((record) => {
    try {
      const people = personsOfRecord(loaded, record as Row, records, personOf.type)
      return people.length === 0 ? [] : [[String(keyOf(type, record as Row)), people as readonly ClaimedPerson[]] as const]
    } catch (error) {
      if (!isPachterError(error)) throw error
      return []
    }
  })
  return { everyone: { type: personOf.type, people: Object.fromEntries(found) } }
}

/** A person of a record is never a visitor. */
type ClaimedPerson = Person & { readonly claims: Row }

/** The name by which a person is listed already. */
export function listedName(people: DrawnPeople['people'], { claims }: Person): string | undefined {
  const said = jsonText(claims ?? null)
  return Object.keys(people).find((name) => jsonText(people[name]) === said)
}

/** The people of a file. What else is wrong with it is reported when it is read. */
function namesIn(text: string): string[] {
  try {
    const { people } = parse(text) as { readonly people?: object }
    return Object.keys(people ?? {})
  } catch {
    return []
  }
}
