// Names for what is in a database: record types in the singular, fields in camelCase, links without the "id" of their column.

const IRREGULAR: { readonly [plural: string]: string } = {
  people: 'person',
  children: 'child',
  men: 'man',
  women: 'woman',
  mice: 'mouse',
  data: 'data',
  media: 'media',
  news: 'news',
  series: 'series',
  staff: 'staff',
}

/** The singular of an English noun; the noun itself if it is not a plural as far as can be told. */
export function singular(noun: string): string {
  const lower = noun.toLowerCase()
  if (Object.hasOwn(IRREGULAR, lower)) return IRREGULAR[lower] as string
  if (/(ss|us|is|[^aeiou]as)$/.test(lower)) return noun
  if (/ies$/.test(lower)) return lower.length > 4 ? `${noun.slice(0, -3)}y` : noun.slice(0, -1)
  if (/(ss|x|ch|sh|zz)es$/.test(lower)) return noun.slice(0, -2)
  return /s$/.test(lower) ? noun.slice(0, -1) : noun
}

/** The plural of an English noun. */
export function plural(noun: string): string {
  const irregular = Object.entries(IRREGULAR).find(([many, one]) => one === noun && many !== noun)?.[0]
  if (irregular !== undefined) return irregular
  if (/[^aeiou]y$/.test(noun)) return `${noun.slice(0, -1)}ies`
  return /(s|x|ch|sh|z)$/.test(noun) ? `${noun}es` : `${noun}s`
}

/** A name in camelCase, in which only letters and digits are left. */
export function camelCase(name: string): string {
  const words = name
    .replace(/([a-z\d])([A-Z])/g, '$1 $2')
    .replace(/([A-Z]+)([A-Z][a-z\d])/g, '$1 $2')
    .split(/[^A-Za-z\d]+/)
    .filter(Boolean)
  const joined = words.map((word, at) => (at === 0 ? word.toLowerCase() : word[0]?.toUpperCase() + word.slice(1).toLowerCase())).join('')
  return /^[A-Za-z]/.test(joined) ? joined : `n${joined}`
}

/** The same with a capital first, for types and schemas. */
export function pascalCase(name: string): string {
  const camel = camelCase(name)
  return (camel[0] as string).toUpperCase() + camel.slice(1)
}

/** A record type for a table: the last of several words in the singular. */
export function typeName(table: string): string {
  const words = table
    .replace(/([a-z\d])([A-Z])/g, '$1_$2')
    .split(/[^A-Za-z\d]+/)
    .filter(Boolean)
  const last = words.pop()
  return camelCase([...words, last === undefined ? table : singular(last)].join('_'))
}

/** The first of some names that is free. It is taken then. */
export function free(names: readonly string[], taken: Set<string>): string {
  const [first = 'unnamed'] = names
  let name = names.find((one) => !taken.has(one))
  for (let number = 2; name === undefined; number++) if (!taken.has(`${first}${number}`)) name = `${first}${number}`
  taken.add(name)
  return name
}

/** A link for a column: `author_id` and `authorId` lead to the author. */
export function linkName(column: string): string {
  const bare = camelCase(column).replace(/(Id|Uuid|Key|Ref|Fk)$/, '')
  return bare === '' ? camelCase(column) : bare
}
