import { PachterError } from '../../condition/index.js'
import type { PlaceValue } from '../tables.js'

/** The cursor is invalid, or was made for another person, list or order. Start again without a cursor. */
export class CursorError extends PachterError {
  constructor() {
    super('BAD_CURSOR', 'this cursor does not belong to this list and person. Start again without a cursor.')
  }
}

/** Writes and reads cursors. They are signed (HMAC with SHA-256, RFC 2104), so that clients cannot make their own. */
export interface Cursors {
  write(about: string, values: readonly PlaceValue[]): Promise<string>
  /** @throws CursorError */
  read(about: string, cursor: unknown): Promise<readonly PlaceValue[]>
}

const text = new TextEncoder()
const ALGORITHM = { name: 'HMAC', hash: 'SHA-256' } as const

/** Cursors signed with a secret. Without one, the secret is random and lasts as long as the store. */
export function cursors(secret: string | undefined): Cursors {
  const { subtle } = globalThis.crypto
  const bytes = secret === undefined ? globalThis.crypto.getRandomValues(new Uint8Array(32)) : text.encode(secret)
  const key = subtle.importKey('raw', bytes, ALGORITHM, false, ['sign', 'verify'])
  // The person, type and order of a cursor are signed with it, but not stored in it.
  const signed = (about: string, payload: string) => text.encode(`${about}\n${payload}`)
  return {
    async write(about, values) {
      const payload = base64url(text.encode(JSON.stringify(values)))
      const signature = await subtle.sign('HMAC', await key, signed(about, payload))
      return `${payload}.${base64url(new Uint8Array(signature))}`
    },
    async read(about, cursor) {
      const [, payload = '', signature = ''] = typeof cursor === 'string' ? (/^([\w-]+)\.([\w-]+)$/.exec(cursor) ?? []) : []
      const known = payload !== '' && (await subtle.verify('HMAC', await key, fromBase64url(signature), signed(about, payload)))
      if (!known) throw new CursorError()
      return JSON.parse(new TextDecoder().decode(fromBase64url(payload))) as PlaceValue[]
    },
  }
}

function base64url(bytes: Uint8Array): string {
  return btoa(String.fromCharCode(...bytes))
    .replace(/\+/g, '-')
    .replace(/\//g, '_')
    .replace(/=+$/, '')
}

function fromBase64url(encoded: string): Uint8Array<ArrayBuffer> {
  try {
    return Uint8Array.from(atob(encoded.replace(/-/g, '+').replace(/_/g, '/')), (character) => character.charCodeAt(0))
  } catch {
    throw new CursorError()
  }
}
