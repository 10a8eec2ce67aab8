import type { Key } from '../rulebook/index.js'
import type { Call } from './call.js'
import type { OperationDoc } from './openapi-parts.js'

/** A step of an address: a name, or a place for a key, for the key of a linked record, or for all that follows. */
export type Step = string | { readonly param: 'key' | 'inner' | 'rest' }

/** What an address says at those places. */
export interface Params {
  readonly key: Key
  readonly inner: Key
  readonly rest: string
}

/** What is done by one method at one address, and what the OpenAPI document says of it. */
export interface Endpoint {
  answer(call: Call, params: Params): Promise<Response>
  /** Left out of the document where no clause lets anybody do it. */
  readonly doc?: OperationDoc | undefined
}

export const METHODS = ['GET', 'POST', 'PATCH', 'DELETE'] as const
export type Method = (typeof METHODS)[number]

/** An address and its methods: what there is is served, and described, by this alone. */
export interface Route {
  readonly steps: readonly Step[]
  readonly endpoints: { readonly [M in Method]?: Endpoint }
}
