// Drafts a project from a database.
import type { Kysely } from 'kysely'
import type { OpenDatabase } from '../database.js'
import type { TableDescription } from './description.js'
import { type Draft, draftOf } from './draft.js'
import { guessesOf } from './guess.js'
import type { Guesses } from './guesses.js'
import { withJsonLists } from './json-columns.js'

export { drizzleTables } from './drizzle-tables.js'

import { mariadbTables } from './mariadb-tables.js'
import { pickPeople } from './pick-people.js'
import { postgresTables } from './postgres-tables.js'
import { sampled } from './sample.js'
import { sqliteTables } from './sqlite-tables.js'
import { orElse, type Unread, unreadQuestions } from './unread.js'
import { type ProjectFiles, projectFiles } from './write-project.js'

/** A project that was drafted, and what it assumes. */
export interface DraftedProject {
  readonly draft: Draft
  readonly guesses: Guesses
  readonly files: ProjectFiles
}

/** Where the tables of a draft come from, and what may be read. */
export interface DraftOptions {
  /** Default: those of the database. */
  readonly tables?: readonly TableDescription[] | undefined
  /** Looks at values of the columns that guesses are about. */
  readonly sample?: boolean | undefined
}

/** Reads the tables of a database. */
export async function tablesOfDatabase({ db, dialect }: OpenDatabase): Promise<TableDescription[]> {
  const { mariadb, postgres } = await import('pachter/sql')
  return dialect === postgres ? postgresTables(db) : dialect === mariadb ? mariadbTables(db) : sqliteTables(db)
}

/**
 * Drafts a project from the tables of a database, or from these tables with people of the database. `from` names the source in comments.
 * Only reads.
 */
export async function draftProject(
  database: OpenDatabase | undefined,
  from: string,
  { tables: given, sample = false }: DraftOptions = {},
): Promise<DraftedProject> {
  const tables = given ?? (await tablesOfDatabase(database as OpenDatabase))
  const unread: Unread = new Set()
  const first = draftOf(database === undefined ? tables : await withJsonLists(database.db, tables, unread))
  const guessed = guessesOf(first)
  const looked = database !== undefined && sample ? await sampled(database.db, first, guessed, unread) : { guesses: guessed, questions: [] }
  const { guesses } = looked
  const people = database === undefined ? [] : await orElse(() => pickPeople(database.db as Kysely<any>, first.types, guesses), [], unread)
  const draft = { ...first, questions: [...first.questions, ...looked.questions, ...unreadQuestions(unread)] }
  return { draft, guesses, files: projectFiles(draft, guesses, people, from) }
}
