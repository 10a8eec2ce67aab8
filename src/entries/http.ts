/**
 * Records over HTTP: identity, and routes over the guarded store, with Fetch standard requests and responses.
 * @module
 */

export { answerRefusals, attachRules, type ErrorMiddleware, type WithRules } from '../http/attach.js'
export { authzen } from '../http/authzen/authzen.js'
export type { AuthZenSubject } from '../http/authzen/request.js'
export type { AuthZenOptions, SubjectPage } from '../http/authzen/subjects.js'
export { cookieOf } from '../http/cookie.js'
export { type DevelopmentOptions, developmentIdentity } from '../http/development-identity.js'
export { CredentialError, RequestError, SetupError } from '../http/error.js'
export { type EntryOptions, type Guard, type Guarded, type GuardOptions, guard } from '../http/guard.js'
export { firstOf, fromSession } from '../http/identity.js'
export type { Actor, Identity } from '../http/identity-types.js'
export { type ImpersonationOptions, impersonation } from '../http/impersonation.js'
export { liveLists } from '../http/live/lists.js'
export type { LiveLists, LiveOptions } from '../http/live/live-types.js'
export { type Messages, overRedis } from '../http/live/messages.js'
export type { LiveEvent, LiveQuery } from '../http/live/subscription.js'
export { type Middleware, middleware } from '../http/middleware.js'
export { type OpenApiOptions, openApi } from '../http/openapi.js'
export type { Problem } from '../http/problem.js'
export type { Refusal, RefusalHook, RefusalHooks } from '../http/refusal.js'
export type { Done, FileContext, RouteContext, RouteOptions } from '../http/route-options.js'
export { routes } from '../http/routes.js'
export { messageOf, type NextPage, seeOther } from '../http/see-other.js'
export { fromToken, type Granted, type RoleTable, type TokenOptions } from '../http/token.js'
