/**
 * Records on the web: who is asking, and routes over the guarded store. Fetch standard requests and responses.
 * @module
 */
export { CredentialError, RequestError, SetupError } from './error.js'
export { type Guarded, type GuardOptions, guard } from './guard.js'
export { cookieOf, firstOf, fromSession, type Identity } from './identity.js'
export type { LiveEvent, LiveQuery } from './live/audience.js'
export { type LiveLists, type LiveOptions, liveLists } from './live/lists.js'
export { type Messages, overRedis } from './live/messages.js'
export { type Middleware, middleware } from './middleware.js'
export { type OpenApiOptions, openApi } from './openapi.js'
export type { Problem } from './problem.js'
export type { Asked, FileAsked, RouteOptions } from './route-options.js'
export { routes } from './routes.js'
export { fromToken, type Granted, type RoleTable, type TokenOptions } from './token.js'
