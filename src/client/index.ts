/**
 * The rules in a page: one person's specialised rules, asked in the same words as on the server; lists that are kept up to date;
 * a guard for routes. No framework, no dependency.
 * @module
 */

export type { LiveList, LiveRecord } from './held.js'
export { type KeptRules, keepRules, type RulesSource } from './kept.js'
export { type KeptLists, keepLists, type ListsSource, type LiveSource, watchList } from './live.js'
export { type Needs, type Passage, passageOf } from './passage.js'
export type { PageRules } from './rules.js'
export { type Knowing, PageRulesError, type PageVerdict, type PageView, viewOf } from './view.js'
