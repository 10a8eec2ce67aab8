/**
 * The rules in a page: one person's specialised rules with the same questions as on the server, live lists, and a check for routes. No
 * framework and no dependency.
 * @module
 */

export { type ActingBar, actAs, actingBar } from '../client/acting-bar.js'
export type { LiveList, LiveRecord } from '../client/list-state.js'
export { type ListsSource, type LiveListClient, type LiveSource, liveList, liveListClient } from '../client/live.js'
export type { PageAction, PageField, PageRecord } from '../client/page-types.js'
export { checkRoute, type RouteAccess, type RouteNeeds } from '../client/route-access.js'
export type { PageRules } from '../client/rules.js'
export { type RulesClient, type RulesSource, rulesClient } from '../client/rules-client.js'
export { PageRulesError, type PageVerdict, type PageView, pageView, type VerdictOptions } from '../client/view.js'
