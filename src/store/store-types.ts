import type { Action, FieldName, Key, RowOf, SeenRow, TypeName, World } from '../rulebook/index.js'
import type { Clock, Explanation, Verdict, Viewpoint } from '../viewpoint/index.js'
import type { RecordChange } from './changes.js'
import type { Limits } from './limits.js'
import type { VerdictLog } from './log.js'
import type { Include, Included } from './read/include.js'
import type { Counted, CountOptions, DescribedPageOptions, Page, PageOptions } from './read/pages.js'
import type { Described, DescribedOptions, ListOptions, Picked } from './read/query.js'
import type { BulkOptions, BulkResult, Which } from './write/bulk.js'

/**
 * The data behind one person's viewpoint. What they may not read is not there; what they may read and not change is refused.
 * Everything fails closed: where anything unexpected happens, nothing is written.
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
   * The same, and for each record what the asker may do to it, by the same query.
   * @example
   * for (const { record, may } of await mine.list('plot', { withActions: ['update'] })) show(record, may.update?.fields)
   */
  list<K extends TypeName<W>, F extends FieldName<W, K> = FieldName<W, K>>(
    type: K,
    options: DescribedOptions<W, K, F>,
  ): Promise<Described<Picked<W, K, F>>[]>

  /**
   * A page of the records that this person may read, and where the next one begins. Records that come, go or move in between
   * are met once at most.
   * @throws CursorError, QueryError, UnknownNameError
   * @example
   * const first = await mine.page('plot', { sort: ['-number'], size: 20 })
   * const second = await mine.page('plot', { sort: ['-number'], size: 20, after: first.next })
   */
  page<K extends TypeName<W>, F extends FieldName<W, K> = FieldName<W, K>, const I extends Include<W, K> = {}>(
    type: K,
    options?: PageOptions<W, K, F> & { readonly include?: I & Include<W, K> },
  ): Promise<Page<Picked<W, K, F> & Included<W, K, I>>>
  /** The same, and for each record what the asker may do to it. */
  page<K extends TypeName<W>, F extends FieldName<W, K> = FieldName<W, K>>(
    type: K,
    options: DescribedPageOptions<W, K, F>,
  ): Promise<Page<Described<Picked<W, K, F>>>>

  /** How many records this person may read. @throws QueryError, UnknownNameError */
  count<K extends TypeName<W>>(type: K, options?: CountOptions<W, K>): Promise<number>

  /** How many of them have each value of a field. A record whose field is hidden does not count. @throws QueryError, UnknownNameError */
  countBy<K extends TypeName<W>>(type: K, field: FieldName<W, K>, options?: CountOptions<W, K>): Promise<Counted[]>

  /** One record. @throws SignInError, NotFoundError */
  get<K extends TypeName<W>>(type: K, key: Key): Promise<SeenRow<W, K>>

  /**
   * Creates a record, judged as it will be stored. The key comes from the server.
   * Gives the record, or its key alone where the asker may not read it.
   * @throws SignInError, RefusedError, InvalidError
   */
  create<K extends TypeName<W>>(type: K, record: Partial<RowOf<W, K>>): Promise<Partial<RowOf<W, K>>>

  /**
   * Changes the fields that are sent and leaves the others; null clears a field that may be left out.
   * The rules have to hold on the record as it is and as it becomes. Gives the record, or its key alone where the asker
   * may no longer read it.
   * @throws SignInError, NotFoundError, RefusedError, InvalidError
   */
  update<K extends TypeName<W>>(
    type: K,
    key: Key,
    changes: { readonly [F in keyof RowOf<W, K>]?: RowOf<W, K>[F] | null },
  ): Promise<Partial<RowOf<W, K>>>

  /**
   * Removes a record, and with it what its links say. @throws SignInError, NotFoundError, RefusedError
   */
  delete<K extends TypeName<W>>(type: K, key: Key): Promise<void>

  /**
   * Makes the same change to several records, each judged as an update of its own and all before any is written. All or
   * nothing, unless part of it will do.
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

  /** Removes several records, in the same way. @throws BulkError, SignInError, QueryError */
  deleteMany<K extends TypeName<W>>(type: K, which: Which<W, K>, options?: BulkOptions): Promise<BulkResult>

  /**
   * Whether an action on a stored record would be allowed, with the fields that it lets see or change. For `update`,
   * `changes` asks about these.
   * @example
   * const verdict = await mine.verdict('update', 'plot', 'p-01', { planting: 'leeks' })
   * @throws InvalidError where the changes would not fit the record type
   */
  verdict<K extends TypeName<W>>(
    action: Exclude<Action | W['actions'][K], 'create'>,
    type: K,
    key: Key,
    changes?: { readonly [F in keyof RowOf<W, K>]?: RowOf<W, K>[F] | null },
  ): Promise<Verdict>
  /**
   * Whether this record might be created, judged as `create` would, with the fields that may be sent. Nothing is written.
   * @throws InvalidError where it would not fit the record type
   * @example
   * await mine.verdict('create', 'entry', { plotId: 'p-01', audience: 'plot', text: 'Sown.' })
   */
  verdict<K extends TypeName<W>>(action: 'create', type: K, record: Partial<RowOf<W, K>>): Promise<Verdict>

  /**
   * Why a verdict is what it is: every clause of the action with the values compared, and what withholds it. For developers, and never
   * for a client: it contains stored values, even those that the asker may not see.
   * @throws NotFoundError where there is no such record at all
   * @example
   * const { clause, withheldBy } = await mine.why('update', 'plot', 'p-01', { planting: 'leeks' })
   */
  why<K extends TypeName<W>>(
    action: Action | W['actions'][K],
    type: K,
    record: Key | Partial<RowOf<W, K>>,
    changes?: { readonly [F in keyof RowOf<W, K>]?: RowOf<W, K>[F] | null },
  ): Promise<Explanation>

  /** What can be said before any record is loaded: always, never, or depending on the record. */
  may<K extends TypeName<W>>(action: Action | W['actions'][K], type: K): Promise<'always' | 'never' | 'depending'>

  /**
   * This person's viewpoint, with the records linked to them as they are now: for queries of one's own. Make one for each request.
   * @example
   * const filter = rowFilter(await mine.viewpoint(), 'read', 'plot', { dialect: postgres })
   */
  viewpoint(): Promise<Viewpoint<W>>

  /** Whether this person has a privilege. The system has all. */
  has(privilege: W['privilege']): Promise<boolean>

  /** Whether this person may call a routine. */
  mayCall(routine: W['routine']): Promise<boolean>

  /**
   * Does a named server procedure in one transaction: within it, the clauses that count there only, count too. Where others
   * write the same records at the same time, the work is run again.
   * @throws SignInError, RefusedError where this person may not call it; BusyError.
   * @example
   * await mine.routine('handOver', (inside) => inside.update('plot', 'p-01', { holderId: 'm-02' }))
   */
  routine<T>(name: W['routine'], work: TransactionWork<W, T>): Promise<T>

  /**
   * Does several steps in one transaction, each judged on what the earlier ones left. Where one fails, nothing is kept, even
   * if the work catches its error. Use `inside` for all of them. Where others write the same records at the same time, the
   * work is run again: let it do nothing else that must not happen twice. What the rules let nobody do by hand, trusted code may do in
   * the same transaction, by `asSystem`. @throws BusyError
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

/** The data for trusted server code: no rules, though shapes still apply. Say why. */
export type AsSystem<W extends World = World> = (reason: string) => SystemStore<Unlimited<W>>

/** The data for trusted server code. */
export interface SystemStore<W extends World = World> extends GuardedStore<W> {
  /**
   * The record of this key, created if there is none: a profile at the first sign-in, say. One that is there stays as it is.
   * @throws InvalidError
   */
  ensure<K extends TypeName<W>>(type: K, key: Key, record: Partial<RowOf<W, K>>): Promise<RowOf<W, K>>
}

/** A world in which every field is seen: the system's. */
export type Unlimited<W extends World> = { readonly [P in keyof W]: P extends 'limited' ? never : W[P] }

/** A store that is about to be told who asks. */
export interface Store<W extends World = World> {
  /** The data as this person may see and change it. @throws ClaimsError */
  for(me: W['me'] | null | undefined): GuardedStore<W>
  /** The data for trusted server code: no rules, though shapes still apply. Say why. */
  readonly asSystem: AsSystem<W>
}

/** How a store makes what it needs of its own. */
export interface StoreOptions {
  /** A new key for a record of the type. Default: a random UUID (RFC 9562). */
  readonly newKey?: (type: string) => Key
  /** How to tell the time. Default: the clock. */
  readonly now?: Clock
  /**
   * Where verdicts are logged to: every refusal, and every time that trusted code says why it acts. With a logger:
   * `log: (entry) => logger.info(entry)`.
   */
  readonly log?: VerdictLog
  /** Signs the cursors of `page`. Without it they are good until the process ends: give one where several servers share lists. */
  readonly cursorSecret?: string
  /** Logs what was allowed, too. */
  readonly logAllowed?: boolean
  /** How much somebody may write into one record. */
  readonly limits?: Limits
  /**
   * Called with what was written through this store, once it is committed: records before and after, with all their fields, even those
   * that nobody may see. For caches and indexes of trusted code. To keep people's lists up to date, use `liveLists` of `pachter/http`.
   */
  readonly changed?: (changes: readonly RecordChange[]) => void
}
