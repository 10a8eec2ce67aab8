import type { PlainNode } from './plain-nodes.js'

// What jsonArrayFrom and jsonObjectFrom of kysely/helpers write around a subquery. A mark stands for a name, a value, and the subquery.
const PAIRS = '\\0(?:, \\0)*'
const FORMS = [
  "\\(select coalesce\\(json_agg\\(agg\\), '\\[\\]'\\) from \\0 as agg\\)",
  '\\(select to_json\\(obj\\) from \\0 as obj\\)',
  `\\(select coalesce\\(json_group_array\\(json_object\\(${PAIRS}\\)\\), '\\[\\]'\\) from \\0 as agg\\)`,
  `\\(select cast\\(coalesce\\(json_arrayagg\\(json_object\\(${PAIRS}\\)\\), '\\[\\]'\\) as json\\) from \\0 as agg\\)`,
  `\\(select json_object\\(${PAIRS}\\) from \\0 as obj\\)`,
]
const NESTED = new RegExp(`^(?:${FORMS.join('|')})$`)

/** The name of the subquery in SQL text that makes JSON of its rows, if it is such text. The subquery is the last parameter. */
export function nestedJson(fragments: readonly string[], parameters: readonly PlainNode[]): string | undefined {
  if (parameters.at(-1)?.kind !== 'SelectQueryNode' || fragments.some((one) => one.includes('\0'))) return undefined
  const text = fragments.join('\0')
  if (!NESTED.test(text)) return undefined
  return text.endsWith(' as agg)') ? 'agg' : 'obj'
}
