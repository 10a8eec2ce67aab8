/** The bytes in a base64 text (RFC 4648, section 4); undefined if it is none. */
export function bytesOf(text: unknown): Uint8Array<ArrayBuffer> | undefined {
  if (typeof text !== 'string' || !BASE64.test(text)) return undefined
  try {
    const read = atob(text)
    const bytes = new Uint8Array(read.length)
    for (let at = 0; at < read.length; at++) bytes[at] = read.charCodeAt(at)
    return bytes
  } catch {
    return undefined
  }
}

const BASE64 = /^(?:[A-Za-z0-9+/]{4})*(?:[A-Za-z0-9+/]{2}==|[A-Za-z0-9+/]{3}=)?$/

// As many arguments as every engine takes.
const CHUNK = 8192

/** The form that JSON has for a value that it does not have: a bigint as decimal text, bytes as base64. */
export function unlistedText(value: unknown): unknown {
  if (typeof value === 'bigint') return String(value)
  if (!(value instanceof Uint8Array)) return value
  let read = ''
  for (let at = 0; at < value.length; at += CHUNK) read += String.fromCharCode(...value.subarray(at, at + CHUNK))
  return btoa(read)
}

/** JSON text in which a bigint is decimal text, and bytes are base64. */
export function jsonText(value: unknown, space?: number): string {
  // A replacer makes it many times slower.
  return JSON.stringify(value, holdsUnlisted(value) ? replaced : undefined, space)
}

function holdsUnlisted(value: unknown): boolean {
  if (typeof value === 'bigint') return true
  if (typeof value !== 'object' || value === null) return false
  if (Array.isArray(value)) return value.some(holdsUnlisted)
  if (value instanceof Uint8Array) return true
  for (const name in value) if (holdsUnlisted((value as { readonly [name: string]: unknown })[name])) return true
  return false
}

// Bytes of Node's Buffer have a JSON form of their own, which has been applied to the second argument.
function replaced(this: { readonly [name: string]: unknown }, name: string, value: unknown): unknown {
  const raw = this[name]
  return raw instanceof Uint8Array || typeof raw === 'bigint' ? unlistedText(raw) : value
}
