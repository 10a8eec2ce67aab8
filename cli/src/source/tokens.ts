import jsTokens from 'js-tokens'

/** A token of TypeScript, as detailed as finding positions requires. */
export interface Token {
  readonly text: string
  /** From 1. */
  readonly line: number
}

const OPENS: { readonly [bracket: string]: string } = { '(': ')', '[': ']', '{': '}' }
const LEFT_OUT: ReadonlySet<string> = new Set([
  'WhiteSpace',
  'LineTerminatorSequence',
  'SingleLineComment',
  'MultiLineComment',
  'HashbangComment',
])

/** Splits TypeScript into tokens. Comments are left out; every literal is one token, including template literals. */
export function tokensOf(text: string): Token[] {
  const tokens: Token[] = []
  let line = 1
  // The open template literals, which can be nested.
  let depth = 0
  let begun = { text: '', line }
  for (const { type, value } of jsTokens(text)) {
    if (type === 'TemplateHead' && depth++ === 0) begun = { text: '', line }
    if (depth > 0) begun.text += value
    else if (!LEFT_OUT.has(type)) tokens.push({ text: value, line })
    if (type === 'TemplateTail' && --depth === 0) tokens.push(begun)
    line += value.split('\n').length - 1
  }
  return tokens
}

/** The position of the matching closing bracket. */
export function closing(tokens: readonly Token[], open: number): number {
  const stack: string[] = []
  for (let at = open; at < tokens.length; at++) {
    const { text } = tokens[at] as Token
    const closes = OPENS[text]
    if (closes !== undefined) stack.push(closes)
    else if (text === stack.at(-1)) {
      stack.pop()
      if (stack.length === 0) return at
    }
  }
  return tokens.length
}

/** A range of tokens, end exclusive. */
export interface Span {
  readonly from: number
  readonly to: number
}

/** The content of the brackets at this position, split at commas. */
export function between(tokens: readonly Token[], open: number): Span[] {
  const end = closing(tokens, open)
  const spans: Span[] = []
  let from = open + 1
  for (let at = from; at <= end; at++) {
    const text = tokens[at]?.text ?? ''
    if (at === end || text === ',') {
      if (at > from) spans.push({ from, to: at })
      from = at + 1
    } else if (OPENS[text] !== undefined) at = closing(tokens, at)
  }
  return spans
}

/** The members of the object literal at this position, by name. */
export function members(tokens: readonly Token[], open: number): Map<string, Span> {
  const found = new Map<string, Span>()
  for (const { from, to } of between(tokens, open)) {
    const name = tokens[from]?.text.replace(/^['"]|['"]$/g, '') ?? ''
    const next = tokens[from + 1]?.text
    if (next === ':') found.set(name, { from: from + 2, to })
    else if (next === '(' || to === from + 1) found.set(name, { from, to })
  }
  return found
}

/** The start of the object literal that a function returns, or that stands here itself; with `open`, of a list literal. */
export function objectGiven(tokens: readonly Token[], { from, to }: Span, open: '{' | '[' = '{'): number | undefined {
  const literal = (at: number): number | undefined => {
    const text = tokens[at]?.text
    return text === open ? at : text === '(' ? literal(at + 1) : undefined
  }
  let block: number | undefined
  for (let at = from; at < to; at++) {
    const text = tokens[at]?.text as string
    if (text === '=>') {
      if (tokens[at + 1]?.text !== '{') return literal(at + 1)
      block = at + 1
      break
    }
    if (text === '{') {
      if (at === from && open === '{') return at
      block = at
      break
    }
    if (OPENS[text] !== undefined) at = closing(tokens, at)
  }
  if (block === undefined) return undefined
  const end = closing(tokens, block)
  for (let at = block + 1; at < end; at++) {
    const text = tokens[at]?.text as string
    if (text === 'return') return literal(at + 1)
    if (OPENS[text] !== undefined) at = closing(tokens, at)
  }
  return undefined
}
