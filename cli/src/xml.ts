import { escaped } from 'pachter/internal/review'

/** An XML element with child elements or text. */
export interface Element {
  readonly name: string
  readonly attributes: { readonly [name: string]: string | number }
  readonly inside?: readonly Element[] | string
}

/** Characters that XML 1.0 does not allow, not even as references (https://www.w3.org/TR/xml/#charsets). */
const IMPROPER = /[^\t\n\r\u{20}-\u{D7FF}\u{E000}-\u{FFFD}\u{10000}-\u{10FFFF}]/gu

/** A document with one element per line. */
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

/** Whitespace that attributes would normalize to spaces is written as references. */
function attribute(value: string): string {
  return text(value).replace(/[\t\n\r]/g, (character) => `&#${character.charCodeAt(0)};`)
}
