import { absorbed, type ConditionNode, fieldNodesIn, lower, pushNot, type Row, simplify } from '../condition/index.js'
import { type Action, type TypeName, typeModel, type World } from '../rulebook/index.js'
import type { InnerViewpoint, Viewpoint } from '../viewpoint/index.js'
import { DocumentError } from './error.js'
import type { FilterDocument, Written } from './parts.js'
import { resolve } from './resolve.js'
import { write } from './write.js'

/** How documents are stored, and how to find linked ones. */
export interface DocumentOptions {
  /**
   * Finds the documents of a record type that match a filter, with the named fields. Required if rules follow links: the links are replaced
   * by the keys of the records that they lead to now.
   */
  readonly find?: (type: string, filter: FilterDocument, fields: readonly string[]) => Promise<readonly Row[]>
  /** The name of a field in the documents of a type, for example `_id` for the key. Default: the field's own name. */
  readonly name?: (type: string, field: string) => string
}

/**
 * The records of a type on which a person may do an action, as a filter document in MongoDB's query language. It tests types, so a document
 * that does not fit its shape matches nothing. Use it on collections without a collation. A condition that no filter can express exactly is
 * an error.
 * @throws DocumentError, UnknownNameError, LinksError
 * @example
 * const filter = await documentFilter(book.for(me), 'read', 'plot', {
 *   find: (type, filter, fields) => db.collection(type).find(filter).project(Object.fromEntries(fields.map((field) => [field, 1]))).toArray(),
 * })
 * const plots = await db.collection('plot').find({ $and: [filter, { siteId: 's-01' }] }).toArray()
 */
export async function documentFilter<W extends World, K extends TypeName<W>>(
  view: Viewpoint<W>,
  action: Exclude<Action | W['actions'][K], 'create'>,
  type: K,
  options: DocumentOptions = {},
): Promise<FilterDocument> {
  const { rules, env, model } = view as unknown as InnerViewpoint
  typeModel(model, type)
  const when = rules(type, action).when
  const times = new Set(fieldNodesIn(lower(when)).flatMap((field) => (field.type === 'time' ? [field.path[0] as string] : [])))
  for (const { name, fields } of Object.values(model.types)) {
    const odd = Object.entries(fields).find(([field, { held }]) => held === 'text' && times.has(field))
    if (odd !== undefined) throw new DocumentError(`a time that is stored as text, as ${name}.${odd[0]} is,`)
  }
  return conditionFilter(when, type, env().now, options)
}

/** Writes a condition on records of a type as a filter document. @throws DocumentError */
export async function conditionFilter(
  condition: ConditionNode,
  type: string,
  now: number,
  { find, name = (_type, field) => field }: DocumentOptions = {},
): Promise<FilterDocument> {
  const writtenFor = (of: string): Written => ({ now, name: (field) => name(of, field) })
  const bare = pushNot(lower(absorbed(simplify(condition))))
  const linked = await resolve(bare, async (of, inner, fields) => {
    if (find === undefined) throw new DocumentError('a link, without a function that finds linked records,')
    const filter = write(simplify(inner), writtenFor(of))
    const found = await find(
      of,
      filter,
      fields.map((field) => name(of, field)),
    )
    return found.map((row) => Object.fromEntries(fields.map((field) => [field, row[name(of, field)]])))
  })
  return write(simplify(linked), writtenFor(type))
}
