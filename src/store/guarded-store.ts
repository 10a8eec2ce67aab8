import { isPachterError, type Row } from '../condition/index.js'
import { type Key, readKey, typeModel, type World } from '../rulebook/index.js'
import type { Outcome, Verdict } from '../viewpoint/index.js'
import { someDependOnAbsence } from './absence.js'
import type { Person } from './asker.js'
import { Asking } from './asking.js'
import { denied, StoreError } from './errors.js'
import { putConnection } from './internals.js'
import type { Logger } from './log.js'
import { Reading } from './read/reading.js'
import { type Needs, Session } from './session.js'
import type { GuardedStore, SystemStore, TransactionWork } from './store-types.js'
import type { Tables } from './tables.js'
import type { UpdateOptions } from './write/update.js'
import { Writing } from './write/writing.js'

/** A guarded store as other parts of this library use it: writes can carry preconditions. */
export interface MatchingStore {
  update(type: string, key: Key, sent: Row, how?: Pick<UpdateOptions, 'match' | 'merge'>): Promise<Row>
  delete(type: string, key: Key, how?: Pick<UpdateOptions, 'match'>): Promise<void>
  /** The verdict on an action that is about to be done. A refusal is logged. @throws DeniedError */
  assertMay(action: string, type: string, key: Key): Promise<Verdict>
}

/** The store with what the routes need besides. */
export function matching(store: object): MatchingStore {
  return store as MatchingStore
}

/** The public store. Its methods can be passed on without the object. */
export function createGuardedStore(tables: Tables, who: Person, needs: Needs): SystemStore {
  const session = new Session(tables, who, needs)
  const reading = new Reading(session)
  const writing = new Writing(session)
  const asking = new Asking(session)
  const { model } = session
  // Keys of several fields may be given as objects.
  const named = (type: string, key: unknown) =>
    typeof type === 'string' && Object.hasOwn(model.types, type) ? readKey(typeModel(model, type), key) : (key as Key)
  const keyed =
    <A extends unknown[], T>(method: (type: string, key: Key, ...rest: A) => T) =>
    (type: string, key: unknown, ...rest: A) =>
      method(type, named(type, key), ...rest)
  const asked =
    <A extends unknown[], T>(method: (action: string, type: string, about: Key | Row, ...rest: A) => T) =>
    (action: string, type: string, about: Key | Row, ...rest: A) =>
      method(action, type, action === 'create' ? about : named(type, about), ...rest)
  const store = {
    list: reading.list.bind(reading),
    page: reading.page.bind(reading),
    count: reading.count.bind(reading),
    countBy: reading.countBy.bind(reading),
    get: keyed(reading.get.bind(reading)),
    create: writing.create.bind(writing),
    update: keyed(writing.update.bind(writing)),
    delete: keyed(writing.delete.bind(writing)),
    updateMany: writing.updateMany.bind(writing),
    deleteMany: writing.deleteMany.bind(writing),
    ensure: keyed((type: string, key: Key, record: Row) =>
      writing.ensure(type, key, record, (inside) => new Writing(new Session(inside, who, needs))),
    ),
    purge: keyed(writing.purge.bind(writing)),
    verdict: asked(asking.verdict.bind(asking)),
    assertMay: asked(asking.assertMay.bind(asking)),
    why: asked(asking.why.bind(asking)),
    may: asking.may.bind(asking),
    viewpoint: asking.viewpoint.bind(asking),
    queries: asking.queries.bind(asking),
    has: (privilege: string) => session.granted('privilege', privilege, tables, needs.held === true),
    mayCall: (routine: string) => session.granted('routine', routine, tables, needs.held === true),
    transaction: <T>(work: TransactionWork<World, T>) => allOrNothing(session, who, needs.logger, work),
    routine: <T>(name: string, work: TransactionWork<World, T>) => callRoutine(session, name, work),
  }
  if (tables.connection !== undefined) putConnection(store, tables.connection)
  return Object.freeze(store) as unknown as SystemStore
}

/** Checked within the transaction and at every try: a person who lost the right to the routine cannot begin. */
async function callRoutine<T>(session: Session, name: string, work: TransactionWork<World, T>): Promise<T> {
  const { who } = session
  const logger = session.logger.within(name)
  return allOrNothing(session, who.within(name), logger, work, (inside) =>
    session.logger.about({ action: 'call', type: name }, async () => {
      session.checkWritable(name, 'call')
      if (await session.granted('routine', name, inside, true)) return
      throw denied(routineVerdict(name, who.still.viewpoint?.me === null ? 'sign in' : 'refused'))
    }),
  )
}

/** Several calls in one transaction. If one of the writes fails, nothing is kept, even if its error was caught. */
async function allOrNothing<T>(
  session: Session,
  asker: Person,
  logger: Logger,
  work: TransactionWork<World, T>,
  before: (inside: Tables) => Promise<void> = async () => {},
): Promise<T> {
  const { tables, needs, model } = session
  let ownError: unknown
  const attempt = async (inside: Tables) => {
    const failures: unknown[] = []
    const failed = (error: unknown) => void failures.push(error)
    await before(inside)
    const store = createGuardedStore(inside, asker, { ...needs, logger, failed, held: true })
    const asSystem = (reason: string) => {
      if (needs.readOnly) {
        logger.entry({ action: 'act', type: 'system', outcome: 'refused', code: 'REFUSED' })
        session.checkWritable('system', 'act as the system')
      }
      return needs.trusted(inside, reason, failed) as never
    }
    const result = await work(store as unknown as GuardedStore, asSystem).catch((error: unknown) => {
      ownError = error
      throw error
    })
    if (failures.length > 0) throw failures[0]
    return result
  }
  try {
    return await tables.transaction(attempt, { serializable: asker.still.viewpoint !== undefined && someDependOnAbsence(model) })
  } catch (error) {
    // An error from the caller's own code is passed on; any other error is ours.
    if (isPachterError(error) || error === ownError) throw error
    throw new StoreError('transaction', error)
  }
}

function routineVerdict(name: string, outcome: Outcome): Verdict {
  const message = outcome === 'sign in' ? `Sign in to call ${name}.` : `You may not call ${name}.`
  return Object.freeze({ allowed: false, outcome, action: 'call', type: name, message })
}
