import { allOf, type Condition, knownAction, type TypeModel, UnknownNameError, unknownName } from '../rulebook/index.js'
import { FILTER_OPERATORS, filterFromText } from '../store/read/from-text.js'
import { RequestError } from './error.js'

/** The list options in a URL. */
export interface ListQuery {
  readonly where?: (record: unknown) => Condition
  readonly sort?: readonly string[]
  readonly fields?: readonly string[]
  readonly size?: number
  readonly after?: string
  readonly include?: readonly string[]
  readonly withActions?: readonly string[]
  readonly standing?: readonly string[]
  readonly withoutStanding?: readonly string[]
  readonly withStandings: boolean
  readonly count: boolean
}

const WORDS = ['sort', 'fields', 'size', 'after', 'include', 'may', 'standing', 'withoutStanding', 'standings', 'count', 'partial', 'all']
const FILTER = 'where.'
/** The most filters of one list: their cost grows faster than their number. */
const MOST_FILTERS = 100

const names = (text: string) =>
  text
    .split(',')
    .map((name) => name.trim())
    .filter(Boolean)

/**
 * Reads list options from a URL: `where.state=let`, `where.rentDue.isAtLeast=30`, `sort=-number`, `fields=number,state`, `size=20`,
 * `after=` with the `next` of the previous page, `include=shares`, `may=update,delete`, `count=true`; of the standings that may be told,
 * `standing=holder,helper` (one of these), `withoutStanding=holder` and `standings=true`.
 * @throws RequestError 400, TextError, UnknownNameError
 */
export function readQuery(type: TypeModel, params: URLSearchParams, most: number, told: readonly string[] = []): ListQuery {
  for (const name of new Set(params.keys()))
    if (!name.startsWith(FILTER)) {
      if (!WORDS.includes(name))
        throw new RequestError(400, unknownName('parameter', name, [...WORDS, ...Object.keys(type.fields).map((field) => FILTER + field)]))
      if (params.getAll(name).length > 1) throw new RequestError(400, `${name} is given twice`)
    }
  const text = (name: string) => params.get(name) ?? undefined
  const [sort, fields, after, include, may, size] = ['sort', 'fields', 'after', 'include', 'may', 'size'].map(text)
  const [standing, withoutStanding] = ['standing', 'withoutStanding'].map((name) => standingsIn(params, name, type, told))
  const where = whereOf(type, params)
  return {
    ...(where === undefined ? {} : { where }),
    ...(sort === undefined ? {} : { sort: names(sort) }),
    ...(fields === undefined ? {} : { fields: names(fields) }),
    ...(after === undefined ? {} : { after }),
    ...(include === undefined ? {} : { include: names(include) }),
    ...(may === undefined ? {} : { withActions: names(may).map((action) => knownAction(type, action)) }),
    ...(size === undefined ? {} : { size: sizeOf(size, most) }),
    ...(standing === undefined ? {} : { standing }),
    ...(withoutStanding === undefined ? {} : { withoutStanding }),
    withStandings: flag(params, 'standings'),
    count: flag(params, 'count'),
  }
}

/** The standings that a parameter names, all of which may be told. */
function standingsIn(params: URLSearchParams, name: string, type: TypeModel, told: readonly string[]): readonly string[] | undefined {
  const text = params.get(name)
  if (text === null) return undefined
  const given = names(text)
  if (given.length === 0) throw new RequestError(400, `${name}: name a standing`)
  for (const one of given) if (!told.includes(one)) throw new UnknownNameError('standing', one, told, type.name)
  return given
}

/** A parameter that is `true` or absent. */
export function flag(params: URLSearchParams, name: string): boolean {
  const value = params.get(name)
  if (value !== null && value !== 'true' && value !== 'false') throw new RequestError(400, `${name}: needs true or false`)
  return value === 'true'
}

function sizeOf(text: string, most: number): number {
  const size = /^\d{1,6}$/.test(text) ? Number(text) : 0
  if (size < 1 || size > most) throw new RequestError(400, `size: needs a whole number from 1 to ${most}`)
  return size
}

/** The filters of a URL, joined by `and`; undefined if there are none. */
export function whereOf(type: TypeModel, params: URLSearchParams): ((record: unknown) => Condition) | undefined {
  const filters = [...params].flatMap(([name, value]) => {
    if (!name.startsWith(FILTER)) return []
    const steps = name.slice(FILTER.length).split('.')
    const last = steps.at(-1) as string
    // If a field has the name of a comparison, the name means the field.
    const compared = steps.length > 1 && FILTER_OPERATORS.includes(last) && !isPath(type, steps)
    return [filterFromText(type, { path: compared ? steps.slice(0, -1) : steps, by: compared ? last : 'is', value }, name)]
  })
  if (filters.length > MOST_FILTERS) throw new RequestError(400, `there are ${filters.length} filters; the limit is ${MOST_FILTERS}`)
  return filters.length === 0 ? undefined : (record) => allOf(...filters.map((filter) => filter(record)))
}

function isPath({ fields }: TypeModel, steps: readonly string[]): boolean {
  let at: TypeModel['fields'] | undefined = fields
  for (const step of steps) {
    if (at === undefined || !Object.hasOwn(at, step)) return false
    at = at[step]?.fields
  }
  return true
}
