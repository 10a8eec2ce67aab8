import { allOfNode, isPachterError, type Row, simplify, TRUE } from '../condition/index.js'
import { type Key, type Model, type TypeModel, typeModel, UnknownNameError } from '../rulebook/index.js'
import { dependsOnAbsence } from './absence.js'
import type { Person } from './asker.js'
import { InvalidError, StoreError } from './errors.js'
import { type Limits, overLimits } from './limits.js'
import type { AboutCall, Logger } from './log.js'
import { deny, judge, type Operation } from './operation.js'
import type { Cursors } from './read/cursor.js'
import type { SystemStore } from './store-types.js'
import type { Isolation, Tables } from './tables.js'
import { typesAlong } from './write/delete.js'
import { reliedOn } from './write/read-set.js'
import { targetTypes } from './write/targets.js'

/** What a guarded store needs besides tables and an asker. */
export interface Needs {
  readonly newKey: (type: string) => Key
  readonly logger: Logger
  readonly cursors: Cursors
  /** The store as trusted code has it, over other tables. */
  readonly trusted: (tables: Tables, reason: string, failed: (error: unknown) => void) => SystemStore
  readonly limits: Required<Limits>
  /** Is told of every write that failed. */
  readonly failed?: (error: unknown) => void
  /** Within a transaction that is somebody's own: what is asked there holds until its end. */
  readonly held?: boolean
}

/** Somebody in front of some tables: what every call of a guarded store begins with, and how it ends where it fails. */
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
    const outcome = this.who.still.decideWithoutRecord(typeName, action)
    if (outcome !== undefined) throw deny(type, action, outcome, key as Key)
    return type
  }

  /** An operation on these tables: the person's own records are read now. */
  async operation(inside: Tables, types: readonly string[], lock?: 'share'): Promise<Operation> {
    const asker = await this.who.now(inside, types, lock)
    return { tables: inside, asker, env: asker.env() }
  }

  /** An operation that answers a question: within a transaction, by what is locked until its end. */
  async asking(types: readonly string[], action: string): Promise<Operation> {
    if (!this.needs.held) return this.operation(this.tables, types)
    const op = await this.operation(this.tables, types, 'share')
    return { ...op, relied: reliedOn(), ...(action === 'read' ? { lock: 'share' as const } : {}) }
  }

  /** Refuses what is too large to be looked at, before anything is. @throws InvalidError */
  checkSize(type: TypeModel, sent: unknown): void {
    const { limits } = this.needs
    const most = this.isSystem ? { items: Infinity, values: Infinity, size: Infinity, depth: limits.depth } : limits
    const faults = overLimits(sent, most)
    if (faults.length > 0) throw new InvalidError(type.name, faults)
  }

  /** Writes in a transaction. What a constraint of the database forbids is to the asker simply refused. */
  write<T>(
    type: TypeModel,
    action: string,
    key: Key | undefined,
    work: (op: Operation) => Promise<T>,
    also: readonly string[] = [],
  ): Promise<T> {
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

  /** Answers a question. What it comes to is nothing to log, but where it fails. */
  question<T>(about: AboutCall, work: () => Promise<T>): Promise<T> {
    return safely(`ask about ${about.type}`, work).catch((error: unknown) => {
      this.logger.failed(about, error)
      throw error
    })
  }

  /** Whether a privilege is granted, or a routine may be called; `locked` asks so that it holds until the transaction ends. */
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

/** Passes our own errors on; anything else is a failure that must not say more than that. @throws StoreError */
export async function safely<T>(doing: string, work: () => Promise<T>): Promise<T> {
  try {
    return await work()
  } catch (error) {
    if (isPachterError(error)) throw error
    throw new StoreError(doing, error)
  }
}
