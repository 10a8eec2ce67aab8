import type {
  CompiledQuery,
  ConnectionProvider,
  DatabaseConnection,
  DialectAdapter,
  Kysely,
  KyselyPlugin,
  QueryExecutor,
  QueryId,
  QueryResult,
  RootOperationNode,
} from 'kysely'
import type { ConditionNode } from '../../condition/index.js'
import type { Dialect, Layout } from '../../sql/index.js'
import type { Asker } from '../asker-types.js'
import type { Broad } from '../backends/breadth.js'
import { causesOf, sqlStateOf } from '../backends/database-errors.js'
import { type GuardedQuery, guarded } from './guard.js'
import { type PlainNode, plainCopy } from './plain-nodes.js'
import { OwnQueryError, QueryFailedError } from './refused.js'
import { type BroadByType, seenTables } from './seen-tables.js'

/** Where the queries of a person are asked, and who asks. */
export interface Asked {
  readonly db: Kysely<any>
  readonly dialect: Dialect
  readonly layout: Layout
  /** The person's rules as they were when the builder was made, for the text of a query. */
  readonly before: Asker
  /** Runs a query so that it cannot write. */
  reading<T>(work: (db: Kysely<any>) => Promise<T>): Promise<T>
  /** Asks about record types, by the person's rules as they are now. It is logged. */
  asked<T>(types: readonly string[], work: (asker: Asker) => Promise<T>): Promise<T>
  /** Which alternatives of the condition of a record type find many rows. */
  broadIn(type: string, where: ConditionNode, now: number): Promise<Broad>
  readonly isFunction: (name: string) => boolean
  readonly failed: ((error: unknown) => void) | undefined
}

/** A query that was built here: its copy, and how the plugins of the database know it. */
interface Built {
  readonly copy: PlainNode
  readonly queryId: QueryId
}

/**
 * Runs only what was built here, and only after every table in it became what the person sees of it. Builders cannot get around it: queries
 * are changed when they become SQL, whatever they went through before.
 */
export class OwnExecutor implements QueryExecutor {
  readonly #asked: Asked
  readonly #built = new WeakMap<object, Built>()

  constructor(asked: Asked) {
    this.#asked = asked
  }

  get adapter(): DialectAdapter {
    return this.#asked.db.getExecutor().adapter
  }

  get plugins(): readonly KyselyPlugin[] {
    return []
  }

  // A query that is part of another is changed as a part of it, once.
  transformQuery<T extends RootOperationNode>(node: T): T {
    return node
  }

  compileQuery<R = unknown>(node: RootOperationNode, queryId: QueryId): CompiledQuery<R> {
    const executor = this.#asked.db.getExecutor()
    // The application's own plugins, which may turn names into those of the database.
    const copy = plainCopy(executor.transformQuery(node, queryId))
    const built = { copy, queryId }
    const compiled = text(() => this.#compile(this.#guard(built, this.#asked.before), queryId))
    this.#built.set(compiled, built)
    return compiled as CompiledQuery<R>
  }

  async executeQuery<R>(compiled: CompiledQuery<R>): Promise<QueryResult<R>> {
    const built = this.#built.get(compiled)
    if (built === undefined) throw new OwnQueryError('only a query that was built here is run, and no text: use mine.selectFrom(...)')
    const { reading, asked, failed, before } = this.#asked
    // What is refused is refused before anything is asked.
    const early = this.#guard(built, before)
    return asked(early.types, async (asker) => {
      const broad = await this.#broadIn(asker, early.types)
      const isSame = asker.viewpoint === before.viewpoint && !early.usesTime && broad.size === 0
      const query = this.#compile(isSame ? early : this.#guard(built, asker, broad), built.queryId)
      try {
        return await reading((on) => on.getExecutor().executeQuery<R>(query as CompiledQuery<R>))
      } catch (error) {
        failed?.(error)
        throw new QueryFailedError(
          causesOf(error)
            .map(sqlStateOf)
            .find((state) => state !== undefined),
        )
      }
    })
  }

  #guard(built: Built, asker: Asker, broad?: BroadByType): GuardedQuery {
    const { layout, dialect, isFunction } = this.#asked
    return guarded(built.copy, seenTables(asker, layout, dialect, broad), isFunction)
  }

  async #broadIn(asker: Asker, types: readonly string[]): Promise<BroadByType> {
    const { layout, dialect, broadIn } = this.#asked
    const tables = seenTables(asker, layout, dialect)
    const found = await Promise.all(types.map(async (type) => [type, await broadIn(type, tables.of(type).rows, asker.env().now)] as const))
    return new Map(found.filter(([, broad]) => broad.length > 0))
  }

  #compile({ node }: GuardedQuery, queryId: QueryId): CompiledQuery {
    return this.#asked.db.getExecutor().compileQuery(node as unknown as RootOperationNode, queryId)
  }

  // biome-ignore lint/correctness/useYield: it always refuses
  async *stream<R>(): AsyncIterableIterator<QueryResult<R>> {
    throw new OwnQueryError('own queries are not streamed: use execute(), with limit(...)')
  }

  async provideConnection<T>(_consumer: (connection: DatabaseConnection) => Promise<T>): Promise<T> {
    throw new OwnQueryError('the connection is not handed out')
  }

  withConnectionProvider(_provider: ConnectionProvider): QueryExecutor {
    return noPlugins()
  }

  withPlugin(_plugin: KyselyPlugin): QueryExecutor {
    return noPlugins()
  }

  withPlugins(_plugins: readonly KyselyPlugin[]): QueryExecutor {
    return noPlugins()
  }

  withPluginAtFront(_plugin: KyselyPlugin): QueryExecutor {
    return noPlugins()
  }

  withoutPlugins(): QueryExecutor {
    return noPlugins()
  }
}

function noPlugins(): never {
  throw new OwnQueryError('a query takes no plugins: give them to the Kysely that the store is over')
}

/** A compiled query whose text is worked out when it is read: most are only run. */
function text(compile: () => CompiledQuery): CompiledQuery {
  let made: CompiledQuery | undefined
  const compiled = () => {
    made ??= compile()
    return made
  }
  return Object.freeze({
    get sql() {
      return compiled().sql
    },
    get parameters() {
      return compiled().parameters
    },
    get query() {
      return compiled().query
    },
    get queryId() {
      return compiled().queryId
    },
  })
}
