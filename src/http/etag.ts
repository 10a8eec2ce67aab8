import { RequestError } from './error.js'

/** An entity tag (RFC 9110) of a record as the asker sees it: what is hidden from them does not change it. */
export async function etagOf(record: object): Promise<string> {
  const bytes = new TextEncoder().encode(stable(record))
  const digest = new Uint8Array(await crypto.subtle.digest('SHA-256', bytes))
  return `"${btoa(String.fromCharCode(...digest.subarray(0, 15)))
    .replaceAll('+', '-')
    .replaceAll('/', '_')}"`
}

/** JSON in which the same fields stand in the same order. */
function stable(value: unknown): string {
  return JSON.stringify(value, (_name, inner: unknown) =>
    typeof inner === 'object' && inner !== null && !Array.isArray(inner) && !(inner instanceof Date)
      ? Object.fromEntries(Object.entries(inner).sort(([a], [b]) => (a < b ? -1 : 1)))
      : inner,
  )
}

/**
 * Whether a tag is among those of a header (RFC 9110, section 8.8.3.2): compared strongly, as for `If-Match`, a weak one is like none;
 * weakly, as for `If-None-Match`, it is like the strong one.
 */
export function isAmong(header: string, tag: string, how: 'strongly' | 'weakly' = 'strongly'): boolean {
  const meant = (one: string) => (how === 'weakly' ? one.replace(/^W\//, '') : one)
  return header.trim() === '*' || [...header.matchAll(/(?:W\/)?"[^"]*"/g)].some(([one]) => meant(one) === tag)
}

/** @throws RequestError 412 where the record is no longer as the asker saw it */
export async function checkMatch(header: string | null, record: object): Promise<void> {
  if (header !== null && !isAmong(header, await etagOf(record)))
    throw new RequestError(412, 'The record has changed since you loaded it. Load it again before you change it.')
}
