import jsTokens from 'js-tokens'

/** A word, a literal or a sign of TypeScript, as far as it takes to find one's way in it. */
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

/** Cuts TypeScript into tokens: comments are left out, literals are one token each, whatever a template holds. */
export function tokensOf(text: string): Token[] {
  const tokens: Token[] = []
  let line = 1
  // The template literals that are open, one within another.
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

/** Where the bracket at this place is closed. */
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

/** A part of the tokens: from the first of them to the one after the last. */
export interface Span {
  readonly from: number
  readonly to: number
}

/** What stands between the brackets at this place, cut at the commas. */
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

/** The members of an object literal at this place, by name, each with its value. */
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

/** Where the object begins that a function gives, or that stands here itself. */
export function objectGiven(tokens: readonly Token[], { from, to }: Span): number | undefined {
  const literal = (at: number): number | undefined => {
    const text = tokens[at]?.text
    return text === '{' ? at : text === '(' ? literal(at + 1) : undefined
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
      if (at === from) return at
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
