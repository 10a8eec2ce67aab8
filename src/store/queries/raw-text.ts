import { AGGREGATES, FUNCTIONS, WINDOW_FUNCTIONS } from './functions.js'
import { OwnQueryError } from './refused.js'

/** Words that name nothing in a database. */
const WORDS: ReadonlySet<string> = new Set(
  `and or not is null true false case when then else end between in like ilike distinct asc desc nulls first last filter where over
  partition by order within group rows range unbounded preceding following current row interval at time zone escape unknown
  century decade year quarter month week day hour minute second dow isodow doy isoyear epoch`.split(/\s+/),
)

/** Types that may follow `::` or stand in `cast(... as ...)`. */
const TYPES: ReadonlySet<string> = new Set(
  'text integer int int2 int4 int8 smallint bigint boolean bool real float4 float8 numeric decimal date timestamp timestamptz uuid json jsonb varchar char signed unsigned datetime'.split(
    ' ',
  ),
)

// One token of the text of a raw fragment. A mark stands where a value or reference comes in.
const TOKEN = /\s+|\0|'(?:[^'\\\0]|'')*'|\d+(?:\.\d+)?|[A-Za-z_]\w*|::|->>|->|\|\||<=|>=|<>|!=|[-+*/%=<>(),]/y

/**
 * Refuses SQL text that could name a table, a column or anything else of the database. References and values come in as `sql.ref(...)` and
 * `${value}`. The fragments are read together, because a comment or a text may begin in one and end in another.
 * @throws OwnQueryError
 */
export function checkRawText(fragments: readonly string[], isAllowed: (name: string) => boolean): void {
  const text = fragments.join('\0')
  if (fragments.some((fragment) => fragment.includes('\0')) || /--|\/\*|#/.test(text)) throw problem(text, 'has a comment in it')
  const tokens: string[] = []
  TOKEN.lastIndex = 0
  while (TOKEN.lastIndex < text.length) {
    const at = TOKEN.lastIndex
    const token = TOKEN.exec(text)?.[0]
    if (token === undefined) throw problem(text, `has "${text.slice(at, at + 12)}" in it, which is not read`)
    if (token.trim() !== '') tokens.push(token.toLowerCase())
  }
  if (!isBalanced(tokens)) throw problem(text, 'has a parenthesis without its other one')
  tokens.forEach((token, at) => {
    if (/^[a-z_]/.test(token) && !isKnown(tokens, at, isAllowed)) throw problem(text, `names "${token}"`)
  })
}

function isBalanced(tokens: readonly string[]): boolean {
  let open = 0
  for (const token of tokens) {
    if (token === '(') open += 1
    if (token === ')') open -= 1
    if (open < 0) return false
  }
  return open === 0
}

function isKnown(tokens: readonly string[], at: number, isAllowed: (name: string) => boolean): boolean {
  const token = tokens[at] as string
  const [before, after] = [tokens[at - 1], tokens[at + 1]]
  // Any word before a parenthesis is a function, whatever else it may be.
  if (after === '(' && !WORDS.has(token) && !(before === '::' || before === 'as'))
    return isAllowed(token) || (token === 'cast' && tokens.includes('as'))
  if (before === '::') return TYPES.has(token)
  if (token === 'as') return TYPES.has(after ?? '')
  if (before === 'as') return TYPES.has(token)
  // extract(year from ...)
  if (token === 'from') return tokens[at - 3] === 'extract' && tokens[at - 2] === '('
  return WORDS.has(token)
}

/** The functions that queries may call. */
export function functionNames(further: readonly string[]): (name: string) => boolean {
  const own = new Set(further.map((name) => name.toLowerCase()))
  return (name) => [AGGREGATES, WINDOW_FUNCTIONS, FUNCTIONS, own].some((names) => names.has(name.toLowerCase()))
}

function problem(text: string, what: string): OwnQueryError {
  const shown = text.replaceAll('\0', '?').trim().slice(0, 60)
  return new OwnQueryError(
    `the SQL text \`${shown}\` ${what}: pass columns as sql.ref('table.column') and values as \${value}; tables only in selectFrom and joins`,
  )
}
