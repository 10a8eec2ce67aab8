import type { Action } from './types.js'

/** The four actions, in their usual order. */
export const ACTIONS: readonly Action[] = Object.freeze(['read', 'create', 'update', 'delete'])
