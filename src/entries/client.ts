/**
 * The rules in a page: one person's specialised rules, asked in the same words as on the server; lists that are kept up to date;
 * a guard for routes. No framework, no dependency.
 * @module
 */

export type { LiveList, LiveRecord } from '../client/list-state.js'
export { type KeptLists, keepLists, type ListsSource, type LiveSource, watchList } from '../client/live.js'
export type { PageAction, PageField, PageRecord } from '../client/page-types.js'
export { type Needs, type Passage, passageOf } from '../client/passage.js'
export type { PageRules } from '../client/rules.js'
export { type RulesClient, type RulesSource, rulesClient } from '../client/rules-client.js'
export { type Knowing, PageRulesError, type PageVerdict, type PageView, viewOf } from '../client/view.js'
