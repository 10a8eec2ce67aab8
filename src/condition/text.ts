/**
 * Compares two texts code point by code point, in the order of their UTF-8 bytes. JavaScript's `<` compares UTF-16 units and puts U+1F331
 * before U+FFFD.
 */
export function compareText(left: string, right: string): number {
  const length = Math.min(left.length, right.length)
  for (let at = 0; at < length; at++) {
    const a = left.charCodeAt(at)
    const b = right.charCodeAt(at)
    if (a !== b) return isSurrogate(a) === isSurrogate(b) ? a - b : isSurrogate(a) ? 1 : -1
  }
  return left.length - right.length
}

function isSurrogate(unit: number): boolean {
  return unit >= 0xd800 && unit <= 0xdfff
}

/** Lower case for the letters A to Z only: enough for email addresses, and the same on every engine. */
export function lowerAscii(text: string): string {
  return text.replace(/[A-Z]+/g, (letters) => letters.toLowerCase())
}
