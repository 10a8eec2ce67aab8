// Looks at values of the columns that guesses are about: names alone can mislead.
import { type Kysely, sql } from 'kysely'
import type { Draft, DraftType, Question } from './draft.js'
import type { Guess, Guesses } from './guesses.js'
import { parsed } from './json-columns.js'
import { columnOf, tableOf } from './sql-names.js'
import { orElse, type Unread } from './unread.js'

/** Values of each column that are looked at. */
const LOOKED_AT = 200
const MOST_ARE = 0.9
const FEW_ARE = 0.5

/** The guesses with what the data says of them, and questions about those that it speaks against. */
export interface Sampled {
  readonly guesses: Guesses
  readonly questions: readonly Question[]
}

/** Counts how many values bear out a guess. Guesses that most values contradict are dropped. Only reads. */
export async function sampled(db: Kysely<any>, { types }: Draft, guesses: Guesses, unread: Unread): Promise<Sampled> {
  const all: Guess[] = []
  const questions: Question[] = []
  for (const guess of guesses.all) {
    const type = types.find(({ name }) => name === guess.type)
    const found = type === undefined ? guess : await orElse(() => looked(db, type, guess, guesses), guess, unread)
    if ('text' in found) questions.push(found)
    else all.push(found)
  }
  return { guesses: { ...guesses, all }, questions }
}

async function looked(db: Kysely<any>, type: DraftType, guess: Guess, guesses: Guesses): Promise<Guess | Question> {
  if (guess.by !== undefined) return ofPeople(db, type, guess, guesses)
  if (guess.kind !== 'published' && guess.kind !== 'removal') return guess
  const values = await valuesOf(db, type, guess.field as string, 'also null')
  if (values.length === 0) return guess
  const count = values.filter((value) => value !== null && value !== false && value !== 0 && value !== '0').length
  const isLabel = type.fields.find(({ name }) => name === guess.field)?.column.kind === 'text'
  return isLabel ? guess : { ...guess, why: `${guess.why}; it is set in ${count} of ${values.length} rows` }
}

/** Whether the values are people. A foreign key says so already. */
async function ofPeople(db: Kysely<any>, type: DraftType, guess: Guess, { people, email }: Guesses): Promise<Guess | Question> {
  const field = guess.field as string
  const isLinked = type.links.some((link) => !link.many && link.to === people?.name && link.by.some(([, mine]) => mine === field))
  const target = guess.by === 'email' ? email : people?.key[0]
  if (people === undefined || target === undefined || (isLinked && hasForeignKey(type, field))) return guess
  const values = (await valuesOf(db, type, field)).flatMap(listed)
  if (values.length === 0) return guess
  const wanted = [...new Set(values.map((value) => (guess.by === 'email' ? textOf(value, guess) : value)))]
  const column = columnOf(people, target)
  const place = guess.by === 'email' ? sql`lower(${column})` : column
  const { rows } = await sql<{
    value: unknown
  }>`select ${column} as value from ${tableOf(people.table)} where ${place} in (${sql.join(wanted)})`.execute(db)
  const known = new Set(rows.map(({ value }) => textOf(value, guess)))
  const count = values.filter((value) => known.has(textOf(value, guess))).length
  const counts = `${count} of ${values.length} values are people`
  if (count < FEW_ARE * values.length)
    return {
      weight: 70,
      about: `${type.name}.${field}`,
      text: `is called as if it held a person, but only ${counts}. Nobody reads by it. Whose is it?`,
    }
  // Small numbers are keys of many tables.
  const isNumber = people.fields.find(({ name }) => name === target)?.column.kind === 'integer'
  const sure = count < MOST_ARE * values.length ? 'unsure' : isNumber ? guess.sure : 'sure'
  return { ...guess, sure, why: `${guess.why}, and ${counts}` }
}

function hasForeignKey({ table, fields }: DraftType, field: string): boolean {
  const column = fields.find(({ name }) => name === field)?.column.name
  return table.foreignKeys.some(({ columns }) => columns.includes(column ?? ''))
}

function textOf(value: unknown, { by }: Guess): string {
  return by === 'email' ? String(value).toLowerCase() : String(value)
}

function listed(value: unknown): readonly unknown[] {
  const isJson = typeof value === 'string' && value.startsWith('[')
  return [isJson ? (parsed(value) ?? value) : value].flat()
}

async function valuesOf(db: Kysely<any>, type: DraftType, field: string, nulls?: 'also null'): Promise<unknown[]> {
  const column = columnOf(type, field)
  const present = nulls === undefined ? sql`where ${column} is not null` : sql``
  const { rows } = await sql<{
    value: unknown
  }>`select ${column} as value from ${tableOf(type.table)} ${present} limit ${sql.lit(LOOKED_AT)}`.execute(db)
  return rows.map(({ value }) => value)
}
