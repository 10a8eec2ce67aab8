// The records in the page: the fields that the person sees, and what they may do to each.
import type { PageVerdict, PageView } from 'pachter/client'
import { useLiveList, useRules } from 'pachter/react'
import type { z } from 'zod'
import type * as shapes from '../../../world/shapes.js'

type ShapeOf = {
  member: typeof shapes.Member
  site: typeof shapes.Site
  team: typeof shapes.Team
  plot: typeof shapes.Plot
  share: typeof shapes.Share
  entry: typeof shapes.Entry
  remark: typeof shapes.Remark
  job: typeof shapes.Job
  notice: typeof shapes.Notice
  inspection: typeof shapes.Inspection
  invoice: typeof shapes.Invoice
}
export type TypeName = keyof ShapeOf
/** A record as the person sees it. It always has its key. */
export type Seen<K extends TypeName> = { readonly id: string } & Partial<Readonly<z.infer<ShapeOf[K]>>>

/** What may be done to a record, as the list says. */
interface Permitted {
  readonly allowed: boolean
  readonly fields?: readonly string[]
  readonly message?: string
}

/** A record of a list. */
export interface Shown<K extends TypeName = TypeName> {
  readonly record: Seen<K>
  readonly may: { readonly [action: string]: Permitted | undefined }
}

const ACTIONS: { readonly [type in TypeName]?: string } = { inspection: 'update,delete,confirm' }

/** A live list of the records that the person sees. `where` narrows it: `{ plotId: 'p-01' }`. */
export function useRecords<K extends TypeName>(type: K, where: { readonly [field: string]: string } = {}) {
  const filters = Object.entries(where).map(([field, value]) => `&where.${field}=${encodeURIComponent(value)}`)
  const { records, state, message } = useLiveList(`${type}?may=${ACTIONS[type] ?? 'update,delete'}${filters.join('')}`)
  return { records: records as unknown as readonly Shown<K>[], state, message }
}

/** The verdict on an action on a record of a list: the list brought it along. In what words it is refused, the rules in the page know. */
export function verdictFor(view: PageView, action: string, type: TypeName, { record, may }: Shown): PageVerdict {
  const told = may[action]
  if (told?.allowed) return { allowed: true, outcome: 'allowed', ...(told.fields ? { fields: told.fields } : {}) }
  return { allowed: false, outcome: 'refused', message: told?.message ?? messageFor(view, action, type, record) }
}

function messageFor(view: PageView, action: string, type: TypeName, record: object): string {
  const here = view.verdict(action, type, record, { whole: true })
  return here.outcome === 'refused' ? (here.message as string) : view.message(action, type)
}

/** Whether the person may do this to some record of the type. What is never allowed is not shown. */
export function useEver(action: string, type: TypeName): boolean {
  return useRules().view.may(action, type) !== 'never'
}
