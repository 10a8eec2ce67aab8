import { allOfNode, isPachterError, type Row, simplify, TRUE } from '../condition/index.js'
import { type Key, type Model, type TypeModel, typeModel, UnknownNameError } from '../rulebook/index.js'
import { dependsOnAbsence } from './absence.js'
import type { Person } from './asker.js'
import { denied, InvalidError, StoreError } from './errors.js'
import { type Limits, overLimits } from './limits.js'
import type { AboutCall, Logger } from './log.js'
import { deny, judge, type Operation } from './operation.js'
import type { Cursors } from './read/cursor.js'
import type { SystemStore } from './store-types.js'
import type { Isolation, Tables } from './tables.js'
import { typesAlong } from './write/delete.js'
import { reliedOn } from './write/read-set.js'
import { targetTypes } from './write/targets.js'

/** The message to a person who acts as another one and may change nothing. */
export const READ_ONLY = 'You act as another person, and may only read. Nothing was changed.'

/** What a guarded store needs besides tables and an asker. */
export interface Needs {
  readonly newKey: (type: string) => Key
  readonly logger: Logger
  readonly cursors: Cursors
  /** The store of trusted code on other tables. */
  readonly trusted: (tables: Tables, reason: string, failed: (error: unknown) => void) => SystemStore
  readonly limits: Required<Limits>
  /** Called with every failed write. */
  readonly failed?: (error: unknown) => void
  /** Another person acts as the asker, and may change nothing. */
  readonly readOnly?: boolean
  /** Inside the application's own transaction: answers hold until its end. */
  readonly held?: boolean
}

/** An asker on some tables: how every call of a guarded store begins, and how it ends if it fails. */
export class Session {
  readonly tables: Tables
  readonly who: Person
  readonly needs: Needs
  readonly model: Model

  constructor(tables: Tables, who: Person, needs: Needs) {
    this.tables = tables
    this.who = who
    this.needs = needs
    this.model = who.still.model
  }

  get logger(): Logger {
    return this.needs.logger
  }

  /** Trusted code, to which no rules apply. */
  get isSystem(): boolean {
    return this.who.still.viewpoint === undefined
  }

  /** The record type, unless the action is refused whatever the record. @throws DeniedError, UnknownNameError */
  begin(typeName: string, action: string, key?: unknown): TypeModel {
    const type = typeModel(this.model, typeName)
    if (action !== 'read') this.checkWritable(type.name, action, key as Key)
    const outcome = this.who.still.decideWithoutRecord(typeName, action)
    if (outcome !== undefined) throw deny(type, action, outcome, key as Key)
    return type
  }

  /** Nobody changes anything as another person, unless they may. @throws RefusedError */
  checkWritable(type: string, action: string, key?: Key): void {
    if (this.needs.readOnly !== true) return
    throw denied(
      Object.freeze({ allowed: false, outcome: 'refused', action, type, ...(key === undefined ? {} : { key }), message: READ_ONLY }),
    )
  }

  /** Begins an operation on these tables. The person's own records are read now. */
  async operation(inside: Tables, types: readonly string[], lock?: 'share'): Promise<Operation> {
    const asker = await this.who.now(inside, types, lock)
    return { tables: inside, asker, env: asker.env() }
  }

  /**
   * Reads something for the asker. If the storage can answer two queries at once, the person's own records are read meanwhile, and the rules
   * are those of the last call. If these records have changed since, the result is discarded and read again.
   */
  async reading<T>(types: readonly string[], work: (op: Operation) => Promise<T>): Promise<T> {
    const { tables, who } = this
    const before = tables.answersAtOnce ? who.before(types) : undefined
    if (before === undefined) return work(await this.operation(tables, types))
    const early = async () => work({ tables, asker: before, env: before.env() })
    // Both are awaited, so that neither fails unheard.
    const [now, result] = await Promise.allSettled([who.now(tables, types), early()])
    if (now.status === 'rejected') throw now.reason
    if (now.value !== before) return work({ tables, asker: now.value, env: now.value.env() })
    if (result.status === 'rejected') throw result.reason
    return result.value
  }

  /** An operation that answers a question. Inside a transaction it locks what it reads until the end. */
  async asking(types: readonly string[], action: string): Promise<Operation> {
    if (!this.needs.held) return this.operation(this.tables, types)
    const op = await this.operation(this.tables, types, 'share')
    return { ...op, relied: reliedOn(), ...(action === 'read' ? { lock: 'share' as const } : {}) }
  }

  /** Refuses input that exceeds the limits before anything else. @throws InvalidError */
  checkSize(type: TypeModel, sent: unknown): void {
    const { limits } = this.needs
    const most = this.isSystem ? { items: Infinity, values: Infinity, size: Infinity, depth: limits.depth } : limits
    const faults = overLimits(sent, most)
    if (faults.length > 0) throw new InvalidError(type.name, faults)
  }

  /** Writes in a transaction. If a constraint of the database refuses, the asker is told only "refused". */
  write<T>(
    type: TypeModel,
    action: string,
    key: Key | undefined,
    work: (op: Operation) => Promise<T>,
    also: readonly string[] = [],
  ): Promise<T> {
    this.checkWritable(type.name, action, key)
    const along = action === 'delete' ? typesAlong(this.model, type) : []
    const types = [...new Set([type.name, ...targetTypes(type), ...along, ...also])]
    const writing = async (inside: Tables) => work({ ...(await this.operation(inside, types, 'share')), relied: reliedOn() })
    return safely(`${action} ${type.name}`, () =>
      this.tables.transaction(writing, this.#isolationOf(type)).catch((error: unknown) => {
        this.needs.failed?.(error)
        const hushed = isPachterError(error, 'CONSTRAINT') || isPachterError(error, 'DUPLICATE_KEY')
        throw !this.isSystem && hushed ? deny(type, action, 'refused', key) : error
      }),
    )
  }

  #isolationOf(type: TypeModel): Isolation {
    return { serializable: !this.isSystem && dependsOnAbsence(this.model, type.name) }
  }

  /** Answers a question. It is logged only if it fails. */
  question<T>(about: AboutCall, work: () => Promise<T>): Promise<T> {
    return safely(`ask about ${about.type}`, work).catch((error: unknown) => {
      this.logger.failed(about, error)
      throw error
    })
  }

  /** Whether a privilege is granted, or a routine may be called. With `locked`, the answer holds until the transaction ends. */
  async granted(what: 'privilege' | 'routine', name: string, over: Tables, locked: boolean): Promise<boolean> {
    const grants = what === 'privilege' ? this.model.privileges : this.model.routines
    const condition = typeof name === 'string' && Object.hasOwn(grants, name) ? grants[name] : undefined
    if (condition === undefined) throw new UnknownNameError(what, name, Object.keys(grants))
    if (this.isSystem) return true
    return this.question({ action: 'ask', type: name }, async () => {
      const op = await this.operation(over, [], locked ? 'share' : undefined)
      const when = simplify(allOfNode([this.model.gate ?? TRUE, condition]), op.env.me)
      const [has] = await judge(locked ? { ...op, relied: reliedOn() } : op, [{ when }], NO_RECORD)
      return has as boolean
    })
  }
}

const NO_RECORD: Row = Object.freeze({})

/** Passes our own errors on. Any other error becomes a failure without details. @throws StoreError */
export async function safely<T>(doing: string, work: () => Promise<T>): Promise<T> {
  try {
    return await work()
  } catch (error) {
    if (isPachterError(error)) throw error
    throw new StoreError(doing, error)
  }
}
