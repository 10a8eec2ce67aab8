import { unlistedText } from '../condition/index.js'
import { RequestError } from './error.js'

/** The entity tag (RFC 9110) of a record as the asker sees it. Hidden fields do not change it. */
export async function etagOf(record: object): Promise<string> {
  const digest = await sha256(stable(record))
  return `"${btoa(String.fromCharCode(...digest.subarray(0, 15)))
    .replaceAll('+', '-')
    .replaceAll('/', '_')}"`
}

/** Node's own hash takes a tenth of the time of the Web's, which goes through a thread. Other runtimes have the latter. */
const node = globalThis.process?.getBuiltinModule?.('node:crypto')

async function sha256(text: string): Promise<Uint8Array> {
  if (node !== undefined) return node.createHash('sha256').update(text).digest()
  return new Uint8Array(await crypto.subtle.digest('SHA-256', new TextEncoder().encode(text)))
}

/** JSON with sorted field names. */
function stable(value: unknown): string {
  return JSON.stringify(value, (_name, given: unknown) => {
    const inner = unlistedText(given)
    return typeof inner === 'object' && inner !== null && !Array.isArray(inner) && !(inner instanceof Date)
      ? Object.fromEntries(Object.entries(inner).sort(([a], [b]) => (a < b ? -1 : 1)))
      : inner
  })
}

/**
 * Whether a tag is in the list of a header (RFC 9110, section 8.8.3.2). Strong comparison (`If-Match`) ignores weak tags; weak comparison
 * (`If-None-Match`) treats them like strong ones.
 */
export function isAmong(header: string, tag: string, how: 'strongly' | 'weakly' = 'strongly'): boolean {
  const meant = (one: string) => (how === 'weakly' ? one.replace(/^W\//, '') : one)
  return header.trim() === '*' || [...header.matchAll(/(?:W\/)?"[^"]*"/g)].some(([one]) => meant(one) === tag)
}

/** @throws RequestError 412 if the record has changed since the asker saw it */
export async function checkMatch(header: string | null, record: object): Promise<void> {
  if (header !== null && !isAmong(header, await etagOf(record)))
    throw new RequestError(412, 'The record has changed since you loaded it. Load it again before you change it.')
}
