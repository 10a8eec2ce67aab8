// Reports: sums over what the person who asks sees.
import { type RawBuilder, sql } from 'kysely'
import type { GuardedStore } from 'pachter/store'
import type { Allotments } from '../../world/rulebook.js'

/** The tables that the report reads, as this database has them. */
interface Database {
  readonly invoice: {
    readonly id: string
    readonly plotId: string
    readonly amount: number
    readonly dueAt: string
    readonly paidAt: string | null
  }
  readonly plot: { readonly id: string; readonly siteId: string }
  readonly site: { readonly id: string; readonly name: string }
}

/** The bills of a site in a month. Without a site, they are for plots that the person does not see. */
export interface SiteRents {
  readonly site: string | null
  /** As in 2026-04. */
  readonly month: string
  readonly bills: number
  readonly amount: number
  readonly paid: number
}

/** How each database writes the month of a time. */
const MONTHS: { readonly [dialect: string]: RawBuilder<string> } = {
  sqlite: sql`substr(${sql.ref('invoice.dueAt')}, 1, 7)`,
  postgres: sql`to_char(${sql.ref('invoice.dueAt')} at time zone 'UTC', 'YYYY-MM')`,
}

/** Rents by site and month: the treasurer's are those of everyone, a holder's are their own. */
export async function rentsBySite(mine: GuardedStore<Allotments>, dialect: string): Promise<SiteRents[]> {
  const month = MONTHS[dialect] as RawBuilder<string>
  const rows = await (await mine.queries<Database>())
    .selectFrom('invoice')
    .leftJoin('plot', 'plot.id', 'invoice.plotId')
    .leftJoin('site', 'site.id', 'plot.siteId')
    .select(({ fn, eb }) => [
      'site.name as site',
      month.as('month'),
      fn.count('invoice.id').as('bills'),
      fn.sum('invoice.amount').as('amount'),
      fn.sum(eb.case().when('invoice.paidAt', 'is not', null).then(eb.ref('invoice.amount')).else(0).end()).as('paid'),
    ])
    .groupBy(['site.name', month])
    .orderBy('site.name')
    .orderBy('month')
    .execute()
  return rows.map(({ site, month, bills, amount, paid }) => ({
    site,
    month,
    bills: Number(bills),
    amount: Number(amount),
    paid: Number(paid),
  }))
}
