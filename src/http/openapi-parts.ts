// The building blocks of operations in the OpenAPI document.
import { keyName, serverKey, type TypeModel } from '../rulebook/index.js'
import { FILTER_OPERATORS } from '../store/read/from-text.js'

export type Json = { readonly [name: string]: unknown }

/** An OpenAPI 3.1 operation, and the problems that it may respond with, by status. */
export interface OperationDoc {
  readonly id: string
  readonly tag?: string
  readonly summary: string
  readonly description?: string
  readonly parameters?: readonly Json[]
  readonly requestBody?: Json
  readonly responses: Json
  readonly problems: readonly number[]
}

export const ref = (name: string) => ({ $ref: `#/components/schemas/${name}` })
export const content = (schema: Json, type = 'application/json') => ({ content: { [type]: { schema } } })
export const body = (schema: Json, type?: string) => ({ required: true, ...content(schema, type) })
export const query = (name: string, description: string, schema: Json = { type: 'string' }) => ({ name, in: 'query', description, schema })
export const ETAG = { headers: { ETag: { schema: { type: 'string' } } } }
/** JSON Merge Patch, RFC 7396. */
export const MERGE_PATCH = 'application/merge-patch+json'
export const PATCHES = [MERGE_PATCH, 'application/json']

export const WHERE = {
  name: 'where',
  in: 'query',
  style: 'form',
  explode: true,
  description: `Filters: where.<field>=<value>, or where.<field>.<comparison>=<value>. Comparisons: ${FILTER_OPERATORS.join(', ')}.`,
  schema: { type: 'object', additionalProperties: { type: 'string' } },
}

/** Whether some clause allows the action. */
export function lets({ rules }: TypeModel, action: string): boolean {
  return (rules?.may[action] ?? []).length > 0
}

/** The titles of the clauses that allow the action. */
export function who({ rules }: TypeModel, action: string): string {
  return `May ${action}: ${(rules?.may[action] ?? []).map(({ title }) => title).join('; or ')}.`
}

/** The key of a record as a path parameter. */
export function keySchema(type: TypeModel): Json {
  const key = serverKey(type)
  if (key === undefined) return { type: 'string', description: `${keyName(type)}. In a part, "~" is written as "%7E" and "%" as "%25".` }
  return { type: type.fields[key]?.type === 'integer' ? 'integer' : 'string' }
}

/** The parameters about standings, if any may be told. */
function standingsDoc(names: readonly string[] | undefined) {
  if (names === undefined) return []
  const known = `Of ${names.join(', ')}.`
  return [
    query('standing', `Only records on which the asker has one of these standings, separated by commas. ${known}`),
    query('withoutStanding', `Only records on which the asker has none of these. ${known}`),
    query('standings', 'Also tells the standings of the asker on each record.', { type: 'boolean' }),
  ]
}

/** The query parameters of a list. */
export function listDoc(
  of: TypeModel,
  limits: {
    readonly pageSize: number
    readonly pageLimit: number
    readonly standings: { readonly [type: string]: readonly string[] | undefined }
  },
): Pick<OperationDoc, 'description' | 'parameters' | 'responses' | 'problems'> {
  const size = { type: 'integer', minimum: 1, maximum: limits.pageLimit, default: limits.pageSize }
  const page = {
    type: 'object',
    required: ['records'],
    properties: { records: { type: 'array', items: ref(of.name) }, next: { type: 'string' }, count: { type: 'integer' }, signIn: {} },
  }
  return {
    description: who(of, 'read'),
    parameters: [
      query('sort', 'Fields to sort by, separated by commas; "-" before a field sorts descending.'),
      query('fields', 'Only these fields, separated by commas.'),
      query('size', 'The number of records.', size),
      query('after', 'The cursor "next" of the previous page.'),
      query('count', 'Also returns the total count.', { type: 'boolean' }),
      query('include', `Linked records to include: ${Object.keys(of.links).join(', ') || 'none'}.`),
      query('may', 'Actions to judge for each record.'),
      ...standingsDoc(limits.standings[of.name]),
      WHERE,
    ],
    responses: { 200: { description: 'The records that the asker may see.', ...content(page) } },
    problems: [400, 404, 406, 429],
  }
}
