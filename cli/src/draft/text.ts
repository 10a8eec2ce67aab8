// Pieces of TypeScript.
import { printable } from '../table.js'

/** A text as a literal with single quotes. Nothing in it ends a line, so that it can stand in a comment too. */
export function quoted(text: string): string {
  const inner = JSON.stringify(text).slice(1, -1).replaceAll('\\"', '"').replaceAll("'", "\\'")
  return `'${inner.replaceAll('\u2028', '\\u2028').replaceAll('\u2029', '\\u2029')}'`
}

/** A value as a literal. */
export function literal(value: string | number | boolean): string {
  return typeof value === 'string' ? quoted(value) : String(value)
}

/** A name as a property: quoted if it has to be. */
export function property(name: string): string {
  return /^[A-Za-z_$][\w$]*$/.test(name) ? name : quoted(name)
}

/** Text in comments of one line each, wrapped between words. */
export function comment(text: string, indent: string, width = 120): string {
  const lines: string[] = []
  let line = ''
  // The text may come from a database: whatever ends a line would end the comment.
  for (const word of printable(text.replaceAll(/\s+/g, ' ').trim()).split(' ')) {
    if (line !== '' && indent.length + 3 + line.length + 1 + word.length > width) {
      lines.push(line)
      line = word
    } else line = line === '' ? word : `${line} ${word}`
  }
  return [...lines, line].map((one) => `${indent}// ${one}`).join('\n')
}

/** A list or object on one line if it fits, or else on a line for each. */
export function bracketed(open: string, parts: readonly string[], close: string, indent: string, width = 120): string {
  if (parts.length === 0) return open + close
  const pad = open === '{' ? ' ' : ''
  const line = `${open}${pad}${parts.join(', ')}${pad}${close}`
  if (indent.length + line.length < width - 20 && !parts.some((part) => part.includes('\n') || part.includes('//'))) return line
  return `${open}\n${parts.map((part) => `${indent}  ${part},`).join('\n')}\n${indent}${close}`
}
