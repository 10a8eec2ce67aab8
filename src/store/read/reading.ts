import { allOfNode, type ConditionNode, type Row } from '../../condition/index.js'
import { isJudgedAlong, type Key, keyOf, type TypeModel, typeModel, type World } from '../../rulebook/index.js'
import { withFields } from '../../viewpoint/index.js'
import { type Operation, readableWhere, type Seen, see, visible } from '../operation.js'
import { type Session, safely } from '../session.js'
import type { Selection } from '../tables.js'
import { typesAlong } from '../write/delete.js'
import { more, withheldAlong } from './described.js'
import { guardedWhere, typesIn, visibleField } from './filter-guards.js'
import { included, readInclude, typesIncluded } from './include.js'
import { aboutList, type CountOptions, countField, type DescribedPageOptions, orderFor, readSize } from './pages.js'
import {
  COUNT_OPTIONS,
  type DescribedOptions,
  PAGE_OPTIONS,
  readActions,
  readFields,
  readLimit,
  readOptions,
  readSort,
  readWhere,
} from './query.js'
import { readStandings, type StandingFilter, standingWhere } from './standing-filter.js'

/** The options of a list or page. */
type ListRequest = ReturnType<Reading['readList']>

/** The records that the asker sees, and a function that adds the requested details. */
interface Listed {
  readonly seen: readonly Seen[]
  readonly told: (those: readonly Seen[]) => Promise<unknown[]>
}

/** Reads for the asker: lists, pages, counts, single records. */
export class Reading {
  readonly #session: Session

  constructor(session: Session) {
    this.#session = session
  }

  list(typeName: string, given?: DescribedOptions<World, string>): Promise<unknown[]> {
    return this.#about(typeName, async (type) => {
      const options = readOptions(typeName, given) as DescribedOptions<World, string>
      const asked = this.readList(type, options)
      const limit = readLimit(type, options.limit)
      if (limit === 0 || this.#session.who.still.decideWithoutRecord(typeName, 'read') !== undefined) return []
      return safely(`list ${typeName}`, async () => {
        const { seen, told } = await this.#listed(type, asked, limit === undefined ? {} : { limit })
        return told(seen)
      })
    })
  }

  page(typeName: string, given?: DescribedPageOptions<World, string>): Promise<unknown> {
    const { cursors } = this.#session.needs
    return this.#about(typeName, async (type) => {
      const options = readOptions(typeName, given, PAGE_OPTIONS) as DescribedPageOptions<World, string>
      const asked = this.readList(type, options)
      const size = readSize(type, options.size)
      const about = aboutList(this.#session.logger.asker, type, asked.sort)
      const after = options.after === undefined ? undefined : await cursors.read(about, options.after)
      return safely(`list ${typeName}`, async () => {
        const { seen, told } = await this.#listed(type, asked, { limit: size + 1, places: true, ...(after ? { after } : {}) })
        const rows = seen.slice(0, size)
        const last = seen.length > size ? rows.at(-1) : undefined
        const next = last && { next: await cursors.write(about, last.place ?? []) }
        return { records: await told(rows), ...next }
      })
    })
  }

  count(typeName: string, given?: CountOptions<World, string>): Promise<number> {
    return this.#about(typeName, (type) => {
      const { where, standings } = this.#filter(type, given)
      return safely(`count ${typeName}`, () =>
        this.#session.reading([typeName, ...typesIn(where)], (op) => {
          const asked = askedWhere(op, type, where, standings)
          return op.tables.count(typeName, { where: readableWhere(op, typeName, [asked]), now: op.env.now })
        }),
      )
    })
  }

  countBy(typeName: string, field: string, given?: CountOptions<World, string>): Promise<unknown[]> {
    return this.#about(typeName, (type) => {
      const by = countField(type, field)
      const { where, standings } = this.#filter(type, given)
      return safely(`count ${typeName}`, () =>
        this.#session.reading([typeName, ...typesIn(where)], (op) => {
          const asked = askedWhere(op, type, where, standings)
          // The counted field must be visible too for a record to count.
          const seen = readableWhere(op, typeName, [asked, visibleField(op.asker, typeName, by)])
          return op.tables.countBy(typeName, by, { where: seen, now: op.env.now })
        }),
      )
    })
  }

  get(typeName: string, key: Key): Promise<Row> {
    const session = this.#session
    return session.logger.about({ action: 'read', type: typeName, key }, async () => {
      const type = session.begin(typeName, 'read', key)
      return safely(`get ${typeName}`, () => session.reading([typeName], async (op) => (await visible(op, type, 'read', key)).shown))
    })
  }

  #about<T>(typeName: string, work: (type: TypeModel) => Promise<T>): Promise<T> {
    const { logger, model } = this.#session
    return logger.about({ action: 'read', type: typeName }, async () => work(typeModel(model, typeName)))
  }

  #filter(type: TypeModel, given: CountOptions<World, string> | undefined) {
    const options = readOptions(type.name, given, COUNT_OPTIONS)
    return { where: readWhere(this.#session.model.types, type, options.where), standings: readStandings(type, options) }
  }

  /** Reads the options of a list or page. @throws QueryError */
  readList(type: TypeModel, options: DescribedOptions<World, string>) {
    const { types } = this.#session.model
    return {
      where: readWhere(types, type, options.where),
      having: readStandings(type, options),
      sort: readSort(type, options.sort),
      fields: readFields(type, options.fields),
      actions: readActions(type, options.withActions),
      standings: options.withStandings === true,
      plans: readInclude(types, type, (options as { include?: unknown }).include),
    }
  }

  async #listed(type: TypeModel, asked: ListRequest, some: Pick<Selection, 'limit' | 'after' | 'places'>): Promise<Listed> {
    const { model } = this.#session
    const { where, having, sort, fields, actions, standings, plans } = asked
    const goesAlong = actions.includes('delete') && isJudgedAlong(model, type.name)
    const types = [type.name, ...typesIn(where), ...typesIncluded(plans), ...(goesAlong ? typesAlong(model, type) : [])]
    const { op, also, seen } = await this.#session.reading([...new Set(types)], async (op) => {
      const also = more(op.asker, type, actions, standings)
      const selection = { where: askedWhere(op, type, where, having), sort: orderFor(op, type, sort), flags: also.flags, ...some }
      return { op, also, seen: await see(op, type.name, selection) }
    })
    const told = async (those: readonly Seen[]) => {
      const records = await included(op, type, those, plans)
      const along = fields && [...fields, ...plans.map(({ link }) => link.name)]
      const given = records.map((record) => withFields(type, record, along))
      if (actions.length === 0 && !standings) return given
      const described = those.map((one, at) => also.describe(one, given[at] as Row))
      const keys = those.map(({ row }) => keyOf(type, row))
      return goesAlong ? withheldAlong(op, type, described, keys) : described
    }
    return { seen, told }
  }
}

/** The asker's own conditions: a filter, whose fields have to be visible, and standings. */
function askedWhere({ asker }: Operation, type: TypeModel, where: ConditionNode, standings: StandingFilter): ConditionNode {
  return allOfNode([guardedWhere(asker, type, where), standingWhere(asker, type, standings)])
}
