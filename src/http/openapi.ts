import { type Field, type LinkModel, type Model, type TypeModel, type TypeName, typeModel, type World } from '../rulebook/index.js'
import { FILTER_OPERATORS } from '../store/read/from-text.js'
import type { Rulebook } from '../viewpoint/index.js'
import type { RouteOptions } from './route-options.js'

/** What a document says besides what the rulebook does. */
export interface OpenApiOptions<W extends World = World>
  extends Pick<RouteOptions<W>, 'base' | 'types' | 'paths' | 'actions' | 'matchRequired' | 'pageSize' | 'pageLimit'> {
  readonly title: string
  readonly version: string
  /** How one signs in, as an OpenAPI security scheme. Default: a bearer token. */
  readonly security?: object
}

type Json = { readonly [name: string]: unknown }

/**
 * An OpenAPI 3.1 document of the routes, from the shapes and the rules: an address has the methods that some clause lets somebody
 * use, with the clauses in plain English.
 *
 * @example
 * app.get('/openapi.json', (context) => context.json(openApi(book, { title: 'Allotments', version: '1', base: '/api' })))
 */
export function openApi<W extends World>(book: Rulebook<W>, options: OpenApiOptions<W>): Json {
  const { model } = book
  const { title, version, base = '/', security = { type: 'http', scheme: 'bearer', bearerFormat: 'JWT' } } = options
  const types = ((options.types as readonly string[] | undefined) ?? Object.keys(model.types)).map((name) => typeModel(model, name))
  const pathOf = (name: string) =>
    `${base.replace(/\/+$/, '')}/${(options.paths as { [type: string]: string } | undefined)?.[name] ?? name}`
  const context: Context = { model, options: options as never, pathOf, served: types.map(({ name }) => name) }
  return {
    openapi: '3.1.1',
    info: { title, version },
    security: [{ person: [] }, {}],
    tags: types.map(({ name }) => ({ name })),
    paths: Object.assign({}, ...types.map((type) => pathsOf(type, context))),
    components: {
      securitySchemes: { person: security },
      schemas: { problem: PROBLEM, ...Object.fromEntries(types.flatMap((type) => schemasOf(type))) },
      responses: Object.fromEntries(
        Object.entries(ANSWERS).map(([status, description]) => [
          `problem${status}`,
          { description, content: { 'application/problem+json': { schema: ref('problem') } } },
        ]),
      ),
    },
  }
}

interface Context {
  readonly model: Model
  readonly options: OpenApiOptions
  readonly pathOf: (type: TypeName<World>) => string
  readonly served: readonly string[]
}

const ANSWERS: { readonly [status: string]: string } = {
  400: 'The request means nothing here.',
  401: 'Sign in.',
  403: 'Refused, in the words of the rule.',
  404: 'There is no such record, or none that the asker may know of.',
  409: 'Some of the records stand in the way.',
  412: 'It was changed since it was last seen.',
  413: 'Too large.',
  415: 'Not in this form.',
  422: 'Not valid; with the fields at fault.',
}

const PROBLEM = {
  description: 'Problem details (RFC 9457).',
  type: 'object',
  required: ['status', 'title', 'code'],
  properties: {
    type: { type: 'string' },
    status: { type: 'integer' },
    title: { type: 'string' },
    detail: { type: 'string' },
    code: { type: 'string', description: 'Stable, for programs.' },
    fields: { type: 'array', items: { type: 'string' }, description: 'The fields that stood in the way.' },
    faults: { type: 'array', items: { type: 'object', properties: { field: { type: 'string' }, problem: { type: 'string' } } } },
  },
}

const ref = (name: string) => ({ $ref: `#/components/schemas/${name}` })
const problems = (...statuses: number[]) =>
  Object.fromEntries(statuses.map((status) => [status, { $ref: `#/components/responses/problem${status}` }]))
const content = (schema: Json, type = 'application/json') => ({ content: { [type]: { schema } } })
const query = (name: string, description: string, schema: Json = { type: 'string' }) => ({ name, in: 'query', description, schema })

function schemasOf({ name, fields, key, rules }: TypeModel): [string, Json][] {
  const properties = Object.fromEntries(Object.entries(fields).map(([field, one]) => [field, schemaOf(one)]))
  const { [key]: keySchema, ...others } = properties
  const stamped = Object.keys(rules?.stamps.create ?? {})
  const required = Object.entries(fields).filter(([field, one]) => field !== key && one.optional !== true && !stamped.includes(field))
  return [
    // What is hidden is absent: of a record that one sees, the key alone is sure to be there.
    [name, { type: 'object', required: [key], properties }],
    [`${name}New`, { type: 'object', required: required.map(([field]) => field), properties: others }],
    [
      `${name}Patch`,
      { type: 'object', description: 'JSON Merge Patch (RFC 7396): null removes.', properties: { [key]: keySchema, ...others } },
    ],
  ]
}

function schemaOf({ type, list, nullable, values, fields }: Field): Json {
  const one: Json =
    type === 'group'
      ? { type: 'object', properties: Object.fromEntries(Object.entries(fields ?? {}).map(([name, inner]) => [name, schemaOf(inner)])) }
      : type === 'time'
        ? { type: 'string', format: 'date-time' }
        : type === 'other'
          ? {}
          : { type: type === 'id' || type === 'text' ? 'string' : type, ...(values ? { enum: [...values] } : {}) }
  if (list) return { type: 'array', items: one }
  return nullable && one.type !== undefined ? { anyOf: [one, { type: 'null' }] } : one
}

/** Who may, by the titles of the clauses. */
function who({ rules }: TypeModel, action: string): string {
  const clauses = rules?.may[action] ?? []
  return `May ${action}: ${clauses.map(({ title }) => title).join('; or ')}.`
}

function lets({ rules }: TypeModel, action: string): boolean {
  return (rules?.may[action] ?? []).length > 0
}

function pathsOf(type: TypeModel, { model, options, pathOf, served }: Context): Json {
  const { name, key, fields, links, actions } = type
  const { pageSize = 50, pageLimit = 200, matchRequired = false } = options
  const operation = (action: string, summary: string, more: Json, id = `${action}_${name}`) => ({
    operationId: id,
    tags: [name],
    summary,
    description: who(type, action),
    ...more,
  })
  const given = { name: key, in: 'path', required: true, schema: { type: fields[key]?.type === 'integer' ? 'integer' : 'string' } }
  const ifMatch = {
    name: 'If-Match',
    in: 'header',
    required: matchRequired,
    description: 'The ETag of the record as it was last seen.',
    schema: { type: 'string' },
  }
  const etag = { headers: { ETag: { schema: { type: 'string' } } } }
  const paging = [
    query('sort', 'Fields to order by, with commas between; - before one for descending.'),
    query('fields', 'Only these fields, with commas between.'),
    query('size', 'How many records.', { type: 'integer', minimum: 1, maximum: pageLimit, default: pageSize }),
    query('after', 'The next of the page before.'),
    query('count', 'How many there are in all, too.', { type: 'boolean' }),
    query('include', `Linked records to bring along: ${Object.keys(links).join(', ') || 'there are none'}.`),
    query('may', 'Actions to tell of each record whether they are allowed.'),
    {
      name: 'where',
      in: 'query',
      style: 'form',
      explode: true,
      description: `Filters: where.<field>=<value>, or where.<field>.<comparison>=<value>. Comparisons: ${FILTER_OPERATORS.join(', ')}.`,
      schema: { type: 'object', additionalProperties: { type: 'string' } },
    },
  ]
  const page = (of: string) => ({
    type: 'object',
    required: ['records'],
    properties: { records: { type: 'array', items: ref(of) }, next: { type: 'string' }, count: { type: 'integer' }, signIn: {} },
  })
  const list = (of: TypeModel, summary: string, id: string) => ({
    operationId: id,
    tags: [name],
    summary,
    description: who(of, 'read'),
    parameters: paging,
    responses: { 200: { description: 'Those that the asker may see.', ...content(page(of.name)) }, ...problems(400, 401) },
  })
  /** What is linked to a record: a list, and where the link is set from there, a way to add to it. */
  const linked = (link: LinkModel, of: TypeModel) => ({
    get: list(of, `The ${link.name} of a ${name}`, `list_${link.name}_of_${name}`),
    ...(lets(of, 'create') && link.many && !link.by.some(({ to, from }) => to.list || from.list)
      ? {
          post: {
            operationId: `create_${link.name}_of_${name}`,
            tags: [name],
            summary: `Create a ${of.name} that is linked to a ${name}`,
            description: who(of, 'create'),
            requestBody: { required: true, ...content(ref(`${of.name}New`)) },
            responses: { 201: { description: 'Created.', ...etag, ...content(ref(of.name)) }, ...problems(401, 403, 404, 413, 415, 422) },
          },
        }
      : {}),
  })
  const [where] = paging.slice(-1)
  const several = [
    where,
    query('all', 'Every record that one may see, where there is no filter.', { type: 'boolean' }),
    query('partly', 'As far as it goes, instead of all or nothing.', { type: 'boolean' }),
  ]
  const done = {
    description: 'What was done, and what stood in the way.',
    ...content({
      type: 'object',
      required: ['done', 'inTheWay'],
      properties: { done: { type: 'array', items: given.schema }, inTheWay: { type: 'array', items: { type: 'object' } } },
    }),
  }
  const found = {
    [pathOf(name)]: {
      ...(lets(type, 'read') ? { get: list(type, `List ${name} records`, `list_${name}`) } : {}),
      ...(lets(type, 'create')
        ? {
            post: operation('create', `Create a ${name}`, {
              requestBody: { required: true, ...content(ref(`${name}New`)) },
              responses: { 201: { description: 'Created.', ...etag, ...content(ref(name)) }, ...problems(401, 403, 413, 415, 422) },
            }),
          }
        : {}),
      ...(lets(type, 'update')
        ? {
            patch: operation(
              'update',
              `Update several ${name} records`,
              {
                parameters: several,
                requestBody: { required: true, ...content(ref(`${name}Patch`), 'application/merge-patch+json') },
                responses: { 200: done, ...problems(400, 401, 409, 413, 415) },
              },
              `update_several_${name}`,
            ),
          }
        : {}),
      ...(lets(type, 'delete')
        ? {
            delete: operation(
              'delete',
              `Remove several ${name} records`,
              { parameters: several, responses: { 200: done, ...problems(400, 401, 409) } },
              `delete_several_${name}`,
            ),
          }
        : {}),
    },
    [`${pathOf(name)}/{${key}}`]: {
      parameters: [given],
      ...(lets(type, 'read')
        ? {
            get: operation(
              'read',
              `Get a ${name}`,
              {
                responses: {
                  200: { description: 'As much of it as the asker may see.', ...etag, ...content(ref(name)) },
                  ...problems(401, 404),
                },
              },
              `get_${name}`,
            ),
          }
        : {}),
      ...(lets(type, 'update')
        ? {
            patch: operation('update', `Update a ${name}`, {
              parameters: [ifMatch],
              requestBody: { required: true, ...content(ref(`${name}Patch`), 'application/merge-patch+json') },
              responses: {
                200: { description: 'Updated.', ...etag, ...content(ref(name)) },
                ...problems(401, 403, 404, 412, 413, 415, 422),
              },
            }),
          }
        : {}),
      ...(lets(type, 'delete')
        ? {
            delete: operation('delete', `Remove a ${name}`, {
              parameters: [ifMatch],
              responses: { 204: { description: 'Removed.' }, ...problems(401, 403, 404, 412) },
            }),
          }
        : {}),
    },
    ...Object.fromEntries(
      actions.slice(4).map((action) => [
        `${pathOf(name)}/{${key}}/${action}`,
        {
          parameters: [given],
          get: operation(
            action,
            `Whether one may ${action} a ${name}`,
            {
              responses: {
                200: {
                  description: 'The answer.',
                  ...content({
                    type: 'object',
                    required: ['allowed'],
                    properties: { allowed: { type: 'boolean' }, saying: { type: 'string' } },
                  }),
                },
                ...problems(401, 404),
              },
            },
            `may_${action}_${name}`,
          ),
          ...((options.actions as { [type: string]: object } | undefined)?.[name] &&
          Object.hasOwn((options.actions as { [type: string]: object })[name] as object, action)
            ? {
                post: operation(action, `${action} a ${name}`, {
                  responses: {
                    200: { description: 'Done.', ...content({ type: 'object' }) },
                    204: { description: 'Done.' },
                    ...problems(401, 403, 404),
                  },
                }),
              }
            : {}),
        },
      ]),
    ),
    ...Object.fromEntries(
      Object.values(links)
        .filter(({ to }) => served.includes(to))
        .map((link) => [`${pathOf(name)}/{${key}}/${link.name}`, { parameters: [given], ...linked(link, typeModel(model, link.to)) }]),
    ),
  }
  return Object.fromEntries(Object.entries(found).filter(([, methods]) => Object.keys(methods).some((method) => method !== 'parameters')))
}
