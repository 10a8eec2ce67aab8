import { type Kysely, sql } from 'kysely'

/** Runs work in a transaction that refuses to write, in databases that have such. */
export function inReadOnlyTransaction<T>(db: Kysely<any>, work: (db: Kysely<any>) => Promise<T>): Promise<T> {
  return db.connection().execute(async (connection) => {
    await sql`start transaction read only`.execute(connection)
    try {
      const result = await work(connection)
      await sql`commit`.execute(connection)
      return result
    } catch (error) {
      await sql`rollback`.execute(connection).catch(() => undefined)
      throw error
    }
  })
}
