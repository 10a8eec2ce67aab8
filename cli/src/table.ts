import { stripVTControlCharacters } from 'node:util'
import Table from 'cli-table3'
import { stringify } from 'csv-stringify/sync'
import { describeValue, jsonText, unlistedText } from 'pachter/internal/condition'
import pc from 'picocolors'

/** The output formats of lists. */
export const FORMATS = ['table', 'json', 'csv'] as const
/** One of them. */
export type Format = (typeof FORMATS)[number]

/** The width of the output: the terminal's, or 100 without a terminal. */
export function outputWidth(): number {
  return process.stdout.columns ?? (Number(process.env.COLUMNS) || 100)
}

const PLAIN = {
  top: '',
  'top-mid': '',
  'top-left': '',
  'top-right': '',
  bottom: '',
  'bottom-mid': '',
  'bottom-left': '',
  'bottom-right': '',
  left: '',
  'left-mid': '',
  mid: '',
  'mid-mid': '',
  right: '',
  'right-mid': '',
  middle: '  ',
}

/** Rows with headings, in columns. */
export function columns(headings: readonly string[], rows: readonly (readonly string[])[], rightAligned: readonly number[] = []): string {
  const table = new Table({
    head: headings.map((heading) => pc.bold(heading)),
    chars: PLAIN,
    style: { head: [], border: [], 'padding-left': 0, 'padding-right': 0 },
    colAligns: headings.map((_, at) => (rightAligned.includes(at) ? 'right' : 'left')),
  })
  table.push(...rows.map((row) => [...row]))
  return table
    .toString()
    .split('\n')
    .map((line) => line.trimEnd())
    .join('\n')
}

/** Rows with headings, in columns that share the width of the terminal; long cells are wrapped. */
export function wrapped(headings: readonly string[], rows: readonly (readonly string[])[]): string {
  const widest = headings.map((heading, at) =>
    Math.max(heading.length, ...rows.map((row) => stripVTControlCharacters(row[at] ?? '').length)),
  )
  const room = outputWidth() - 2 - 2 * headings.length
  let widths = widest
  // The widest columns are reduced first.
  for (let most = Math.max(...widest); widths.reduce((sum, width) => sum + width, 0) > room && most > 8; most--) {
    widths = widest.map((width) => Math.min(width, most))
  }
  const table = new Table({
    head: headings.map((heading) => pc.bold(heading)),
    chars: PLAIN,
    style: { head: [], border: [], 'padding-left': 0, 'padding-right': 0 },
    colWidths: widths,
    wordWrap: true,
  })
  table.push(...rows.map((row) => row.map((text) => text || pc.dim('-'))))
  return table
    .toString()
    .split('\n')
    .map((line) => line.trimEnd())
    .join('\n')
}

/** A value in a cell: text as it is, empty for missing. */
export function cell(value: unknown): string {
  if (value === null || value === undefined) return ''
  if (typeof value === 'string') return printable(value)
  if (value instanceof Uint8Array) return cell(unlistedText(value))
  if (Array.isArray(value)) return value.map(cell).join(', ')
  return printable(describeValue(value))
}

/** Makes control characters visible, so that data cannot move the cursor or forge a line. */
export function printable(text: string): string {
  return text.replace(/[\p{Cc}\p{Cf}\p{Cs}\u2028\u2029]/gu, (character) => `\\u{${(character.codePointAt(0) as number).toString(16)}}`)
}

/** Wraps text between words at the output width, with an indent on all lines but the first. */
export function hanging(text: string, indent: number): string {
  const lines: string[] = []
  let line = ''
  for (const word of text.split(' ')) {
    if (line !== '' && indent + line.length + 1 + word.length > outputWidth()) {
      lines.push(line)
      line = word
    } else line = line === '' ? word : `${line} ${word}`
  }
  return [...lines, line].join(`\n${' '.repeat(indent)}`)
}

/** Cuts a text to a width, with an ellipsis. */
export function shortened(text: string, width: number): string {
  return text.length <= width ? text : `${text.slice(0, Math.max(0, width - 1))}…`
}

/**
 * Rows as comma-separated values (RFC 4180) with a header. Text that a spreadsheet would read as a formula gets an apostrophe before it;
 * control characters are made visible.
 */
export function csv(headings: readonly string[], rows: readonly (readonly unknown[])[]): string {
  return stringify([headings.map(harmless), ...rows.map((row) => row.map(csvCell))]).trimEnd()
}

function csvCell(value: unknown): string {
  if (value === null || value === undefined) return ''
  if (typeof value === 'number' || typeof value === 'boolean' || typeof value === 'bigint') return String(value)
  if (value instanceof Date) return Number.isNaN(value.getTime()) ? '' : value.toISOString()
  if (value instanceof Uint8Array) return csvCell(unlistedText(value))
  if (Array.isArray(value)) return harmless(value.map((one) => (typeof one === 'object' ? csvObject(one) : String(one))).join(';'))
  return harmless(typeof value === 'object' ? csvObject(value) : String(value))
}

function csvObject(value: unknown): string {
  return value instanceof Date ? csvCell(value) : jsonText(value)
}

/** Cells may contain line breaks in this format, but no other control characters. */
function harmless(text: string): string {
  const visible = text.split(/(\r?\n)/).map((part) => (/^\r?\n$/.test(part) ? part : printable(part)))
  return `${/^\s*[=+\-@＝＋－＠]/.test(text) ? "'" : ''}${visible.join('')}`
}
