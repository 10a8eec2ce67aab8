import type { Key } from '../rulebook/index.js'
import type { Call } from './call.js'
import type { OperationDoc } from './openapi-parts.js'

/** A path segment: a name, or a placeholder for a key, for the key of a linked record, or for the rest of the path. */
export type Step = string | { readonly param: 'key' | 'inner' | 'rest' }

/** The values of the placeholders. */
export interface Params {
  readonly key: Key
  readonly inner: Key
  readonly rest: string
}

/** The handler of one method at one path, and its description for the OpenAPI document. */
export interface Endpoint {
  answer(call: Call, params: Params): Promise<Response>
  /** Left out of the document if no clause allows it. */
  readonly doc?: OperationDoc | undefined
}

export const METHODS = ['GET', 'POST', 'PATCH', 'DELETE'] as const
export type Method = (typeof METHODS)[number]

/** A path and its methods. Serving and the document both come from it. */
export interface Route {
  readonly steps: readonly Step[]
  readonly endpoints: { readonly [M in Method]?: Endpoint }
}
