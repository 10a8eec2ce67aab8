import { type Row, TRUE } from '../condition/index.js'
import { type Key, keyOf, knownAction, type TypeModel, typeModel } from '../rulebook/index.js'
import { type Explanation, explain, fieldsLetBy, stampedRecord, type Verdict, type Viewpoint, verdictOf } from '../viewpoint/index.js'
import type { AllowedVerdict, Along } from './allowed-verdict.js'
import type { Asker, AskersRules } from './asker-types.js'
import { DeniedError, denied, QueryError } from './errors.js'
import { deny, holding, judge, type Operation, visible } from './operation.js'
import { type Session, safely } from './session.js'
import { judgeCreate } from './write/create.js'
import { judgeDelete, seenAlong, typesAlong } from './write/delete.js'
import { readingAlong } from './write/read-set.js'
import { targetTypes } from './write/targets.js'
import { judgeUpdate } from './write/update.js'

interface Judged {
  readonly verdict: Verdict
  readonly along: readonly Along[]
}

/** Answers what the asker may do, and why, without doing it. */
export class Asking {
  readonly #session: Session

  constructor(session: Session) {
    this.#session = session
  }

  async verdict(action: string, type: string, asked: Key | Row, changes?: Row): Promise<Verdict> {
    const answer = await this.#answer(action, type, asked, changes, async (_op, { verdict }) => verdict)
    return answer instanceof DeniedError ? answer.verdict : answer
  }

  /** Like `verdict`, of an action that is about to be done: a refusal is an error, and is logged. @throws DeniedError */
  async assertMay(actionName: string, typeName: string, asked: Key | Row, changes?: Row): Promise<AllowedVerdict> {
    const session = this.#session
    const action = knownAction(typeModel(session.model, typeName), actionName)
    const key = action === 'create' ? undefined : (asked as Key)
    return session.logger.about({ action, type: typeName, ...(key === undefined ? {} : { key }) }, async (note) => {
      if (action !== 'read') session.checkWritable(typeName, action, key)
      const answer = await this.#answer(action, typeName, asked, changes, async (op, { verdict, along }) =>
        Object.freeze({ ...verdict, allowed: true as const, along: Object.freeze(await seenAlong(op, along)) }),
      )
      if (answer instanceof DeniedError) throw answer
      note(answer.clause)
      return answer
    })
  }

  /** The answer, or the refusal. */
  async #answer<T>(
    actionName: string,
    typeName: string,
    asked: Key | Row,
    changes: Row | undefined,
    answer: (op: Operation, judged: Judged) => Promise<T>,
  ): Promise<T | DeniedError> {
    const session = this.#session
    const type = typeModel(session.model, typeName)
    const action = knownAction(type, actionName)
    const key = action === 'create' ? undefined : (asked as Key)
    const outcome = session.who.still.decideWithoutRecord(typeName, action)
    if (outcome !== undefined) return denied(verdictOf(type, action, outcome, key))
    session.checkSize(type, key === undefined ? asked : changes)
    return session.question({ action, type: typeName, ...(key === undefined ? {} : { key }) }, async () => {
      const op = await session.asking([...new Set([typeName, ...targetTypes(type), ...typesAlong(session.model, type)])], action)
      try {
        const judged = await this.#judged(op, type, action, asked, changes)
        return judged.verdict.allowed ? await answer(op, judged) : denied(judged.verdict)
      } catch (error) {
        if (error instanceof DeniedError) return error
        throw error
      }
    })
  }

  /** Builders of the asker's own queries. @throws QueryError where records are not in a database */
  async queries(options: unknown = {}): Promise<object> {
    const session = this.#session
    const { tables, model } = session
    if (tables.queries === undefined)
      throw new QueryError('own queries', 'the records are not in a database: open the store with overKysely(...)')
    const before = async () => (await session.operation(tables, Object.keys(model.types))).asker
    return tables.queries({ before, asked: (types, work) => this.#asked(types, work) }, options)
  }

  /** One query of the asker's own. */
  #asked<T>(types: readonly string[], work: (asker: Asker) => Promise<T>): Promise<T> {
    const session = this.#session
    const about = { action: 'query', type: types.join(', '), types }
    return session.logger.about(about, () => safely('run a query', () => session.reading(types, ({ asker }) => work(asker))))
  }

  /** A change or deletion is judged as if it were made. @throws DeniedError */
  async #judged(op: Operation, type: TypeModel, action: string, asked: Key | Row, changes: Row | undefined): Promise<Judged> {
    if (action === 'create') {
      // The clause allows the whole change. A form may show the fields of all clauses that hold.
      const { clause, fields } = await judgeCreate(op, type, asked, this.#session.needs.newKey)
      return { verdict: verdictOf(type, action, 'allowed', undefined, { clause, fields }), along: [] }
    }
    const key = asked as Key
    if (action === 'delete') {
      const plan = await judgeDelete(op, type, key)
      return { verdict: verdictOf(type, action, 'allowed', key, plan), along: plan.along }
    }
    if (action === 'update' && changes !== undefined)
      return { verdict: verdictOf(type, action, 'allowed', key, await judgeUpdate(op, type, key, changes)), along: [] }
    const { row } = await visible(op, type, action, key)
    return { verdict: await verdictOn(op, type, action, op.asker.rules(type.name, action), row), along: [] }
  }

  async why(actionName: string, typeName: string, asked: Key | Row, changes?: Row): Promise<Explanation> {
    const session = this.#session
    const { model, tables, who } = session
    const type = typeModel(model, typeName)
    const action = knownAction(type, actionName)
    if (session.isSystem) throw new QueryError('as the system', 'there is no verdict to explain: rules do not apply to the system')
    const key = action === 'create' ? undefined : (asked as Key)
    const verdict = await this.verdict(actionName, typeName, asked, changes)
    return session.question({ action, type: typeName, ...(key === undefined ? {} : { key }) }, async () => {
      const op = await session.operation(tables, [typeName])
      const [found] = key === undefined ? [] : await tables.select(typeName, { where: TRUE, key, now: op.env.now, limit: 1 })
      if (key !== undefined && found === undefined) throw deny(type, action, 'not found', key)
      const record = found?.row ?? stampedRecord(type, asked as Row, op.env)
      const [readable] = await judge(op, [{ when: op.asker.readable(typeName) }], record)
      const becomes = action === 'update' && changes !== undefined ? { ...record, ...changes } : undefined
      return readingAlong(op, (links) =>
        explain({ verdict, model, record, env: { ...op.env, links }, becomes, readable: readable === true, within: who.routine }),
      )
    })
  }

  async may(actionName: string, typeName: string): Promise<'always' | 'never' | 'depending'> {
    const session = this.#session
    const action = knownAction(typeModel(session.model, typeName), actionName)
    if (session.isSystem) return 'always'
    return session.question({ action, type: typeName }, async () => {
      const { viewpoint } = await session.who.now(session.tables, [typeName])
      return (viewpoint as NonNullable<Asker['viewpoint']>).may(action, typeName)
    })
  }

  async viewpoint(): Promise<Viewpoint> {
    const session = this.#session
    if (session.isSystem) throw new QueryError('as the system', 'there is no viewpoint: rules do not apply to the system')
    return session.question({ action: 'read', type: 'viewpoint' }, async () => {
      const { viewpoint } = await session.who.now(session.tables, Object.keys(session.model.types))
      return viewpoint as unknown as Viewpoint
    })
  }
}

/** Whether an action on a record that the asker sees is allowed. */
async function verdictOn(op: Operation, type: TypeModel, action: string, rules: AskersRules, row: Row): Promise<Verdict> {
  const key = keyOf(type, row)
  const [open, ...holds] = await judge(op, [rules.open, ...rules.clauses], row)
  if (!open) {
    const [standing] = await holding(op, rules.messages, row)
    return verdictOf(type, action, 'refused', key, { message: standing?.message })
  }
  const clauses = rules.clauses.filter((_, at) => holds[at])
  if (clauses.length === 0) return verdictOf(type, action, 'refused', key)
  return verdictOf(type, action, 'allowed', key, { clause: clauses[0]?.clause?.title, fields: fieldsLetBy(type, clauses, action) })
}
