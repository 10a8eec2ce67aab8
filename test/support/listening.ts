import type { CompiledQuery, DatabaseConnection, Kysely } from 'kysely'

/** A database that tells what it was asked, in transactions too: the text of each statement, without its values. */
export function listening<DB>(db: Kysely<DB>, heard: string[]): Kysely<DB> {
  const watched = db.withPlugin({ transformQuery: ({ node }) => node, transformResult: async ({ result }) => result })
  const executor = watched.getExecutor()
  const provide = executor.provideConnection.bind(executor)
  executor.provideConnection = (consumer) => provide((connection) => consumer(told(connection, heard)))
  return watched
}

function told(connection: DatabaseConnection, heard: string[]): DatabaseConnection {
  return new Proxy(connection, {
    get(target, name) {
      if (name === 'executeQuery')
        return (query: CompiledQuery) => {
          heard.push(query.sql)
          return target.executeQuery(query)
        }
      const value = Reflect.get(target, name, target)
      return typeof value === 'function' ? value.bind(target) : value
    },
  })
}
