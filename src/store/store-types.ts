import type { Action, FieldName, Key, KeyOf, NewRow, RowOf, SeenRow, SetFields, TypeName, World, WrittenRow } from '../rulebook/index.js'
import type { Clock, Explanation, Verdict, Viewpoint } from '../viewpoint/index.js'
import type { AllowedVerdict } from './allowed-verdict.js'
import type { RecordChange } from './changes.js'
import type { Limits } from './limits.js'
import type { VerdictLog } from './log.js'
import type { Observer } from './observer.js'
import type { Include, Included } from './read/include.js'
import type { Counted, CountOptions, DescribedPageOptions, Page, PageOptions } from './read/pages.js'
import type { Described, DescribedOptions, ListOptions, Picked } from './read/query.js'
import type { BulkOptions, BulkResult, Which } from './write/bulk.js'

/**
 * The data as one person may see and change it. Records that they may not read do not exist for them; changes that they may not make
 * are refused. It fails closed: on an unexpected error, nothing is written.
 */
export interface GuardedStore<W extends World = World> {
  /**
   * The records that this person may read.
   * @throws QueryError, UnknownNameError
   * @example
   * await store.for(ines).list('plot', { where: (plot) => plot.state.is('let'), sort: ['-number'], limit: 20 })
   * await store.for(ines).list('plot', { include: { shares: true, entries: { sort: ['-writtenAt'], include: { author: true } } } })
   */
  list<K extends TypeName<W>, F extends FieldName<W, K> = FieldName<W, K>, const I extends Include<W, K> = {}>(
    type: K,
    options?: ListOptions<W, K, F> & { readonly include?: I & Include<W, K> },
  ): Promise<(Picked<W, K, F> & Included<W, K, I>)[]>
  /**
   * The same, with the verdicts for each record, in the same query.
   * @example
   * for (const { record, may } of await mine.list('plot', { withActions: ['update'] })) show(record, may.update?.fields)
   */
  list<K extends TypeName<W>, F extends FieldName<W, K> = FieldName<W, K>, const I extends Include<W, K> = {}>(
    type: K,
    options: DescribedOptions<W, K, F> & { readonly include?: I & Include<W, K> },
  ): Promise<Described<Picked<W, K, F> & Included<W, K, I>>[]>

  /**
   * A page of the records that this person may read, with a cursor for the next page. A record that is added, deleted or moved in between
   * appears at most once.
   * @throws CursorError, QueryError, UnknownNameError
   * @example
   * const first = await mine.page('plot', { sort: ['-number'], size: 20 })
   * const second = await mine.page('plot', { sort: ['-number'], size: 20, after: first.next })
   */
  page<K extends TypeName<W>, F extends FieldName<W, K> = FieldName<W, K>, const I extends Include<W, K> = {}>(
    type: K,
    options?: PageOptions<W, K, F> & { readonly include?: I & Include<W, K> },
  ): Promise<Page<Picked<W, K, F> & Included<W, K, I>>>
  /** The same, with the verdicts for each record. */
  page<K extends TypeName<W>, F extends FieldName<W, K> = FieldName<W, K>, const I extends Include<W, K> = {}>(
    type: K,
    options: DescribedPageOptions<W, K, F> & { readonly include?: I & Include<W, K> },
  ): Promise<Page<Described<Picked<W, K, F> & Included<W, K, I>>>>

  /** The number of records that this person may read. @throws QueryError, UnknownNameError */
  count<K extends TypeName<W>>(type: K, options?: CountOptions<W, K>): Promise<number>

  /** The number of records for each value of a field. A record whose field is hidden does not count. @throws QueryError, UnknownNameError */
  countBy<K extends TypeName<W>>(type: K, field: FieldName<W, K>, options?: CountOptions<W, K>): Promise<Counted[]>

  /** One record. @throws SignInError, NotFoundError */
  get<K extends TypeName<W>>(type: K, key: KeyOf<RowOf<W, K>, W['keys'][K]>): Promise<SeenRow<W, K>>

  /**
   * Creates a record, judged as it will be stored. The server sets the key and what is stamped; all else that the shape requires is given.
   * Returns the record, or only its key if the asker may not read it.
   * @throws SignInError, RefusedError, InvalidError
   */
  create<K extends TypeName<W>>(type: K, record: NewRow<RowOf<W, K>, SetFields<W, K>>): Promise<WrittenRow<RowOf<W, K>, W['keys'][K]>>

  /**
   * Changes the sent fields; null clears an optional field. The rules have to hold on the record as it is and as it becomes.
   * Returns the record, or only its key if the asker may no longer read it.
   * @throws SignInError, NotFoundError, RefusedError, InvalidError
   */
  update<K extends TypeName<W>>(
    type: K,
    key: KeyOf<RowOf<W, K>, W['keys'][K]>,
    changes: { readonly [F in keyof RowOf<W, K>]?: RowOf<W, K>[F] | null },
  ): Promise<WrittenRow<RowOf<W, K>, W['keys'][K]>>

  /**
   * Deletes a record, and the records that its links say are deleted too. @throws SignInError, NotFoundError, RefusedError
   */
  delete<K extends TypeName<W>>(type: K, key: KeyOf<RowOf<W, K>, W['keys'][K]>): Promise<void>

  /**
   * Makes the same change to several records. Each is judged as its own update, and all of them before any is written. All or
   * nothing, unless `partial` is set.
   * @throws BulkError with the refused records; SignInError, QueryError
   * @example
   * await mine.updateMany('job', { where: (job) => job.state.is('open') }, { state: 'done' }, { partial: true })
   */
  updateMany<K extends TypeName<W>>(
    type: K,
    which: Which<W, K>,
    changes: { readonly [F in keyof RowOf<W, K>]?: RowOf<W, K>[F] | null },
    options?: BulkOptions,
  ): Promise<BulkResult>

  /** Deletes several records, in the same way. @throws BulkError, SignInError, QueryError */
  deleteMany<K extends TypeName<W>>(type: K, which: Which<W, K>, options?: BulkOptions): Promise<BulkResult>

  /**
   * Whether an action on a stored record would be allowed, and for which fields. For `update`, pass the changes to judge them.
   * @example
   * const verdict = await mine.verdict('update', 'plot', 'p-01', { planting: 'leeks' })
   * @throws InvalidError if the changes do not fit the record type
   */
  verdict<K extends TypeName<W>>(
    action: Exclude<Action | W['actions'][K], 'create'>,
    type: K,
    key: KeyOf<RowOf<W, K>, W['keys'][K]>,
    changes?: { readonly [F in keyof RowOf<W, K>]?: RowOf<W, K>[F] | null },
  ): Promise<Verdict>
  /**
   * Whether this record may be created, and with which fields. Nothing is written.
   * @throws InvalidError if it does not fit the record type
   * @example
   * await mine.verdict('create', 'entry', { plotId: 'p-01', audience: 'plot', text: 'Sown.' })
   */
  verdict<K extends TypeName<W>>(action: 'create', type: K, record: Partial<RowOf<W, K>>): Promise<Verdict>

  /**
   * Like `verdict`, for a confirmation page or a handler of your own: what is not allowed is an error, which is logged as a refusal.
   * Nothing is done. Of a deletion, it names the other records that would be deleted or lose their link, as far as this person sees them.
   * Inside a transaction, what the rules read stays locked until its end.
   * @throws SignInError, NotFoundError, RefusedError; InvalidError if the changes do not fit the record type
   * @example
   * const { along } = await mine.assertMay('delete', 'plot', 'p-01')
   */
  assertMay<K extends TypeName<W>>(
    action: Exclude<Action | W['actions'][K], 'create'>,
    type: K,
    key: KeyOf<RowOf<W, K>, W['keys'][K]>,
    changes?: { readonly [F in keyof RowOf<W, K>]?: RowOf<W, K>[F] | null },
  ): Promise<AllowedVerdict>
  assertMay<K extends TypeName<W>>(action: 'create', type: K, record: Partial<RowOf<W, K>>): Promise<AllowedVerdict>

  /**
   * Explains a verdict: every clause of the action with the compared values, and the gates and vetoes that refuse. For developers. Never send
   * it to a client: it contains stored values, even those that the asker may not see.
   * @throws NotFoundError if the record does not exist
   * @example
   * const { clause, withheldBy } = await mine.why('update', 'plot', 'p-01', { planting: 'leeks' })
   */
  why<K extends TypeName<W>>(
    action: Action | W['actions'][K],
    type: K,
    record: KeyOf<RowOf<W, K>, W['keys'][K]> | Partial<RowOf<W, K>>,
    changes?: { readonly [F in keyof RowOf<W, K>]?: RowOf<W, K>[F] | null },
  ): Promise<Explanation>

  /** The answer before any record is loaded: always, never, or depending on the record. */
  may<K extends TypeName<W>>(action: Action | W['actions'][K], type: K): Promise<'always' | 'never' | 'depending'>

  /**
   * This person's viewpoint, with their linked records as they are now: for your own queries. Get one for each request.
   * @example
   * const filter = rowFilter(await mine.viewpoint(), 'read', 'plot', { dialect: postgres })
   */
  viewpoint(): Promise<Viewpoint<W>>

  /** Whether this person has a privilege. The system has all. */
  has(privilege: W['privilege']): Promise<boolean>

  /** Whether this person may call a routine. */
  mayCall(routine: W['routine']): Promise<boolean>

  /**
   * Runs a named server procedure in one transaction. Clauses with `.within(name)` apply inside it. If the transaction conflicts with
   * others, the work is run again.
   * @throws SignInError, RefusedError if this person may not call it; BusyError.
   * @example
   * await mine.routine('handOver', (inside) => inside.update('plot', 'p-01', { holderId: 'm-02' }))
   */
  routine<T>(name: W['routine'], work: TransactionWork<W, T>): Promise<T>

  /**
   * Runs several steps in one transaction. Each is judged on the result of the earlier ones. If one fails, all are rolled back, even
   * if the work catches its error. Use `inside` for all steps. If the transaction conflicts with others, the work is run again, so it
   * should have no other side effects. With `asSystem`, trusted code can write in the same transaction. @throws BusyError
   * @example
   * await mine.transaction(async (inside) => {
   *   const plot = await inside.create('plot', { number: 7, siteId: 's-01' })
   *   await inside.create('entry', { plotId: plot.id, text: 'Begun.' })
   * })
   */
  transaction<T>(work: TransactionWork<W, T>): Promise<T>
}

/** Several steps in one transaction. */
export type TransactionWork<W extends World, T> = (inside: GuardedStore<W>, asSystem: AsSystem<W>) => Promise<T>

/** The data for trusted server code: no rules, but shapes and stamps apply. Give a reason. */
export type AsSystem<W extends World = World> = (reason: string) => SystemStore<Unlimited<W>>

/** The data for trusted server code. */
export interface SystemStore<W extends World = World> extends GuardedStore<W> {
  /** Creates a record, and returns it whole. It may give stamped fields and the key. @throws InvalidError */
  create<K extends TypeName<W>>(type: K, record: NewRow<RowOf<W, K>, SetFields<W, K>>): Promise<RowOf<W, K>>

  /** Changes the sent fields, and returns the whole record. @throws NotFoundError, InvalidError */
  update<K extends TypeName<W>>(
    type: K,
    key: KeyOf<RowOf<W, K>, W['keys'][K]>,
    changes: { readonly [F in keyof RowOf<W, K>]?: RowOf<W, K>[F] | null },
  ): Promise<RowOf<W, K>>

  /**
   * Returns the record with this key, and creates it if it does not exist: a profile at the first sign-in, for example.
   * @throws InvalidError
   */
  ensure<K extends TypeName<W>>(type: K, key: KeyOf<RowOf<W, K>, W['keys'][K]>, record: Partial<RowOf<W, K>>): Promise<RowOf<W, K>>
  /**
   * Deletes a record for good, although records of its type are only removed. What belongs to it is treated as in any deletion.
   * @throws NotFoundError, RefusedError, QueryError if the type has no `removal`
   * @example
   * await store.asSystem('older than two years').purge('lesson', key)
   */
  purge<K extends TypeName<W>>(type: K, key: KeyOf<RowOf<W, K>, W['keys'][K]>): Promise<void>
}

/** A world in which every field is visible: the system's. */
export type Unlimited<W extends World> = { readonly [P in keyof W]: P extends 'limited' ? never : W[P] }

/** Another person acts as the asker: a supporter who looks for a problem, for example. */
export interface ActingOptions {
  /**
   * The key of the person who acts; null if nobody has signed in, as in development. Every entry of the verdict log has it. What a person
   * was allowed to do is logged, too.
   */
  readonly actor?: Key | null
  /** Refuses every write, every routine, and `asSystem` in transactions. Verdicts stay those of the asker. */
  readonly readOnly?: boolean
}

/** A store before the asker is known. */
export interface Store<W extends World = World> {
  /** The data as this person may see and change it. @throws ClaimsError */
  for(me: W['me'] | null | undefined, acting?: ActingOptions): GuardedStore<W>
  /** The data for trusted server code: no rules, but shapes and stamps apply. Give a reason. */
  readonly asSystem: AsSystem<W>
  /**
   * The store inside a transaction of your own: a transaction of Kysely, or what `fromPg`, `fromMysql2` or `fromDrizzle` of `pachter/kysely`
   * gave. Each write is done whole or not at all, at a savepoint; the transaction stays yours. Conflicts with others are not tried again.
   * @throws OwnTransactionError for anything else; IsolationError at a write whose rules need a serializable transaction
   * @example
   * await db.transaction().execute(async (trx) => {
   *   await trx.insertInto('audit').values({ what: 'planting' }).execute()
   *   await store.in(trx).for(me).update('plot', 'p-01', { planting: 'leeks' })
   * })
   */
  in(transaction: unknown): StoreInTransaction<W>
}

/** A store inside a transaction of the application's own. */
export interface StoreInTransaction<W extends World = World> extends Pick<Store<W>, 'for' | 'asSystem'> {
  /** Tells live lists, and `changed` of `openStore`, what was written. Call it after the commit. */
  committed(): void
}

/** Options of a store. */
export interface StoreOptions {
  /** A new key for a record of the type. Default: a random UUID (RFC 9562). */
  readonly newKey?: (type: string) => Key
  /** The current time, or a function that returns it. Default: the system clock. */
  readonly now?: Clock
  /**
   * Receives the verdict log: every refusal, and every use of `asSystem` with its writes. With a logger: `log: (entry) => logger.info(entry)`.
   */
  readonly log?: VerdictLog
  /** The key that signs cursors. Default: random for each process. Give one if several servers share lists. */
  readonly cursorSecret?: string
  /** Also logs what was allowed. */
  readonly logAllowed?: boolean
  /** Runs each call, for tracing and metrics: see `telemetry` of `pachter/telemetry`. It learns names and outcomes, and never a key or a value. */
  readonly observe?: Observer
  /** Limits for what one record may contain. */
  readonly limits?: Limits
  /**
   * Called with what was written through this store, once it is committed: records before and after, with all their fields, even those
   * that nobody may see. For caches and indexes of trusted code. To keep people's lists up to date, use `liveLists` of `pachter/http`.
   */
  readonly changed?: (changes: readonly RecordChange[]) => void
}
