/** A word, a literal or a sign of TypeScript, as far as it takes to find one's way in it. */
export interface Token {
  readonly text: string
  /** From 1. */
  readonly line: number
}

const WORD = /[\p{ID_Continue}$@#]/u
const OPENS: { readonly [bracket: string]: string } = { '(': ')', '[': ']', '{': '}' }
/** After these, a slash begins a regular expression, and divides nothing. */
const BEFORE_EXPRESSION = new Set([
  '(',
  '[',
  '{',
  '}',
  ',',
  ';',
  ':',
  '=',
  '=>',
  '!',
  '&',
  '|',
  '?',
  '+',
  '-',
  '*',
  '%',
  '<',
  '>',
  'return',
  '',
])

/** Cuts TypeScript into tokens: comments are left out, literals are one token each. */
export function tokensOf(text: string): Token[] {
  const tokens: Token[] = []
  let at = 0
  let line = 1
  const take = (end: number) => {
    const part = text.slice(at, end)
    tokens.push({ text: part, line })
    line += countLines(part)
    at = end
  }
  const skip = (end: number) => {
    line += countLines(text.slice(at, end))
    at = end
  }
  while (at < text.length) {
    const one = text[at] as string
    const two = text.slice(at, at + 2)
    if (/\s/.test(one)) skip(at + 1)
    else if (two === '//') skip(endOr(text, text.indexOf('\n', at)))
    else if (two === '/*') skip(endOr(text, text.indexOf('*/', at), 2))
    else if (one === '"' || one === "'") take(endOfQuoted(text, at, one))
    else if (one === '`') take(endOfTemplate(text, at))
    else if (one === '/' && BEFORE_EXPRESSION.has(tokens.at(-1)?.text ?? '')) take(endOfPattern(text, at))
    else if (two === '=>') take(at + 2)
    else if (WORD.test(one)) {
      let end = at + 1
      while (end < text.length && WORD.test(text[end] as string)) end++
      take(end)
    } else take(at + 1)
  }
  return tokens
}

const countLines = (text: string) => text.split('\n').length - 1
const endOr = (text: string, found: number, more = 0) => (found < 0 ? text.length : found + more)

function endOfQuoted(text: string, from: number, quote: string): number {
  for (let at = from + 1; at < text.length; at++) {
    if (text[at] === '\\') at++
    else if (text[at] === quote || text[at] === '\n') return at + 1
  }
  return text.length
}

function endOfTemplate(text: string, from: number): number {
  for (let at = from + 1; at < text.length; at++) {
    if (text[at] === '\\') at++
    else if (text[at] === '`') return at + 1
    else if (text.startsWith('${', at)) {
      let depth = 0
      for (at += 1; at < text.length; at++) {
        const one = text[at] as string
        if (one === '{') depth++
        else if (one === '}' && --depth === 0) break
        else if (one === '`') at = endOfTemplate(text, at) - 1
        else if (one === '"' || one === "'") at = endOfQuoted(text, at, one) - 1
      }
    }
  }
  return text.length
}

function endOfPattern(text: string, from: number): number {
  let inClass = false
  for (let at = from + 1; at < text.length; at++) {
    const one = text[at] as string
    if (one === '\\') at++
    else if (one === '[') inClass = true
    else if (one === ']') inClass = false
    else if (one === '\n') return from + 1
    else if (one === '/' && !inClass) {
      let end = at + 1
      while (end < text.length && /[a-z]/.test(text[end] as string)) end++
      return end
    }
  }
  return from + 1
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
