import type { Row } from '../condition/index.js'
import { type Field, isUnlisted, type TypeModel, unlistedFrom } from '../rulebook/index.js'
import { RequestError } from './error.js'

/** Reads a JSON object of limited size from a request. @throws RequestError 400, 413, 415 */
export async function readBody(request: Request, types: readonly string[], most: number): Promise<Row> {
  const [type = ''] = (request.headers.get('content-type') ?? '').split(';')
  if (!types.includes(type.trim().toLowerCase())) throw new RequestError(415, `Send the body as ${types.join(' or ')}.`)
  const text = new TextDecoder('utf-8', { fatal: true })
  let body: unknown
  try {
    body = JSON.parse(text.decode(await bytesOf(request, most)))
  } catch (error) {
    if (error instanceof RequestError) throw error
    throw new RequestError(400, 'The body is not valid JSON.')
  }
  if (typeof body !== 'object' || body === null || Array.isArray(body)) throw new RequestError(400, 'The body has to be a JSON object.')
  return body as Row
}

async function bytesOf(request: Request, most: number): Promise<Uint8Array> {
  const tooLarge = () => new RequestError(413, `The body is larger than ${most} bytes.`)
  if (Number(request.headers.get('content-length') ?? 0) > most) throw tooLarge()
  const chunks: Uint8Array[] = []
  let length = 0
  // A body without a length, or with a wrong one, is counted while it arrives.
  for await (const chunk of (request.body ?? []) as unknown as AsyncIterable<Uint8Array>) {
    length += chunk.byteLength
    if (length > most) throw tooLarge()
    chunks.push(chunk)
  }
  const all = new Uint8Array(length)
  let at = 0
  for (const chunk of chunks) {
    all.set(chunk, at)
    at += chunk.byteLength
  }
  return all
}

/** Converts the times, bigints and bytes of a JSON body to the form that the shapes use. Names that the type does not have stay as they are. */
export function asShaped(type: TypeModel, sent: Row): Row {
  return Object.fromEntries(Object.entries(sent).map(([name, value]) => [name, shaped(own(type.fields, name), value)]))
}

function own<T>(of: { readonly [name: string]: T }, name: string): T | undefined {
  return Object.hasOwn(of, name) ? of[name] : undefined
}

function shaped(field: Field | undefined, value: unknown): unknown {
  if (field === undefined || value === null) return value
  // There is nothing to convert in a list of lists, however deep it is nested.
  if (Array.isArray(value)) return value.map((one) => (Array.isArray(one) ? one : shaped(field, one)))
  if (field.type === 'time' && field.held === 'date') return typeof value === 'string' ? new Date(value) : value
  if (isUnlisted(field)) return unlistedFrom(field, value)
  const { fields } = field
  if (fields === undefined || typeof value !== 'object') return value
  return Object.fromEntries(Object.entries(value).map(([name, inner]) => [name, shaped(own(fields, name), inner)]))
}
