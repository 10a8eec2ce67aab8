/**
 * The smallest text that is greater, code point by code point, than every text with this prefix; undefined if there is none. Surrogates are
 * not code points and are skipped.
 */
export function afterPrefix(start: string): string | undefined {
  const points = Array.from(start, (character) => character.codePointAt(0) as number)
  while (points.length > 0) {
    const last = points.pop() as number
    if (last < 0x10ffff) return String.fromCodePoint(...points, last === 0xd7ff ? 0xe000 : last + 1)
  }
  return undefined
}
