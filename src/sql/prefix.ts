/**
 * The least text that is later, code point by code point, than every text with this start; undefined where there is none.
 * The halves of surrogate pairs are no code points, and are stepped over.
 */
export function afterPrefix(start: string): string | undefined {
  const points = Array.from(start, (character) => character.codePointAt(0) as number)
  while (points.length > 0) {
    const last = points.pop() as number
    if (last < 0x10ffff) return String.fromCodePoint(...points, last === 0xd7ff ? 0xe000 : last + 1)
  }
  return undefined
}
