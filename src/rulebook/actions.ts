import type { Action } from './types.js'

/** The four actions, in the order in which people list them. */
export const ACTIONS: readonly Action[] = Object.freeze(['read', 'create', 'update', 'delete'])
