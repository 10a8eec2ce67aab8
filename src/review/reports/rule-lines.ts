import { type ConditionNode, describe } from '../../condition/index.js'
import type { ClauseNode, LinkModel, Model, TypeModel } from '../../rulebook/index.js'

/**
 * The rules of a rulebook, one line each, by what they belong to: `plot update`, `plot stamps`, `routines`. Rules with different results
 * have different lines: nothing else can compare their effect on records that are not here. Names and messages do not count.
 */
export type RuleLines = { readonly [of: string]: readonly string[] }

/** The lines of a rulebook. */
export function ruleLines(model: Model): RuleLines {
  const lines: Record<string, readonly string[]> = {}
  const put = (of: string, all: readonly string[]) => {
    if (all.length > 0) lines[of] = Object.freeze([...all].sort())
  }
  put('everything', model.gate === undefined ? [] : [gateLine(model.gate, 'the record')])
  for (const kind of ['privileges', 'routines'] as const)
    put(
      kind,
      Object.entries(model[kind]).map(([name, when]) => marked(`${name}: ${describe(when)}`, bare(when))),
    )
  for (const type of Object.values(model.types)) typeLines(type, put)
  return Object.freeze(lines)
}

function typeLines({ name, rules, links, actions, generated = [] }: TypeModel, put: (of: string, all: readonly string[]) => void): void {
  const record = `the ${name}`
  for (const action of actions) {
    const gate = rules?.gates[action]
    const vetoes = (rules?.vetoes ?? []).filter((veto) => veto.actions.includes(action))
    put(`${name} ${action}`, [
      ...(gate === undefined ? [] : [gateLine(gate, record)]),
      ...vetoes.map(({ title, when }) => marked(`veto: ${title}`, bare(when))),
      ...(rules?.may[action] ?? []).map(clauseLine),
    ])
  }
  const stamps = Object.entries(rules?.stamps ?? {}).flatMap(([when, of]) =>
    Object.entries(of).map(([field, term]) => marked(`${when}: ${field}`, term)),
  )
  // Without a field here, people may send it.
  put(`${name} stamps`, [...stamps, ...generated.map((field) => marked(`set by the database: ${field}`, field))])
  put(`${name} links`, Object.values(links).map(linkLine))
}

function gateLine(gate: ConditionNode, record: string): string {
  return marked(`gate: ${describe(gate, { record })}`, bare(gate))
}

function clauseLine({ title, when, afterwards, fields, overriding, within }: ClauseNode): string {
  const sorted = (names: readonly string[] | undefined) => names && [...names].sort()
  return marked(title, [bare(when), afterwards && bare(afterwards), sorted(fields), sorted(overriding), sorted(within)])
}

function linkLine({ name, to, by, many, target, onDelete }: LinkModel): string {
  const isFolded = by.some((pair) => pair.to.ignoringCase)
  const how = [
    isFolded ? 'ignoring case' : undefined,
    target === 'any' ? 'leads anywhere' : undefined,
    onDelete === undefined ? undefined : `onDelete ${onDelete}`,
  ]
  const said = how.filter((one) => one !== undefined)
  return marked(`${name}: ${many ? 'many' : 'one'} ${to}${said.length === 0 ? '' : `, ${said.join(', ')}`}`, [
    to,
    by,
    many,
    target,
    onDelete,
  ])
}

/** A rule with a hash of its exact meaning, which its title may not tell. */
function marked(title: string, exactly: unknown): string {
  return `${title} #${digest(JSON.stringify(exactly))}`
}

/** A condition without names: its meaning only. */
function bare(node: ConditionNode): ConditionNode {
  switch (node.kind) {
    case 'named':
      return bare(node.of)
    case 'not':
      return { kind: 'not', of: bare(node.of) }
    case 'allOf':
    case 'anyOf':
      return { kind: node.kind, of: node.of.map(bare) }
    case 'some':
      return { ...node, of: bare(node.of) }
    case 'constant':
    case 'compare':
    case 'presence':
    case 'listChange':
      return node
  }
}

/** A hash of 13 hexadecimal digits: two multiplicative 32-bit hashes, mixed. */
function digest(text: string): string {
  let [high, low] = [0xdeadbeef, 0x41c6ce57]
  for (let at = 0; at < text.length; at++) {
    const code = text.charCodeAt(at)
    high = Math.imul(high ^ code, 2_654_435_761)
    low = Math.imul(low ^ code, 1_597_334_677)
  }
  high = Math.imul(high ^ (high >>> 16), 2_246_822_507) ^ Math.imul(low ^ (low >>> 13), 3_266_489_909)
  low = Math.imul(low ^ (low >>> 16), 2_246_822_507) ^ Math.imul(high ^ (high >>> 13), 3_266_489_909)
  return (4_294_967_296 * (2_097_151 & low) + (high >>> 0)).toString(16).padStart(13, '0')
}
