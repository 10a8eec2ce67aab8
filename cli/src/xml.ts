import { escaped } from 'pachter/internal/review'

/** An element of XML, with elements or a text in it. */
export interface Element {
  readonly name: string
  readonly attributes: { readonly [name: string]: string | number }
  readonly inside?: readonly Element[] | string
}

/** Characters that XML 1.0 has no place for, not even written as a number (https://www.w3.org/TR/xml/#charsets). */
const IMPROPER = /[^\t\n\r\u{20}-\u{D7FF}\u{E000}-\u{FFFD}\u{10000}-\u{10FFFF}]/gu

/** A document, an element a line. */
export function xmlText(root: Element): string {
  return ['<?xml version="1.0" encoding="UTF-8"?>', ...linesOf(root, '')].join('\n')
}

function linesOf({ name, attributes, inside = [] }: Element, indent: string): string[] {
  const about = Object.entries(attributes).map(([key, value]) => ` ${key}="${attribute(String(value))}"`)
  const open = `${indent}<${name}${about.join('')}`
  if (typeof inside === 'string') return [`${open}>${text(inside)}</${name}>`]
  if (inside.length === 0) return [`${open}/>`]
  return [`${open}>`, ...inside.flatMap((one) => linesOf(one, `${indent}  `)), `${indent}</${name}>`]
}

function text(value: string): string {
  return escaped(value.replace(IMPROPER, '\u{FFFD}'))
}

/** What would be read as a space in an attribute is written as a number. */
function attribute(value: string): string {
  return text(value).replace(/[\t\n\r]/g, (character) => `&#${character.charCodeAt(0)};`)
}
