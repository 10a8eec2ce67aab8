/**
 * Thin hooks over `pachter/client`, for React 18 and later.
 * @module
 */
export {
  createHooks,
  type Hooks,
  RulesProvider,
  type RulesProviderProps,
  useAnswer,
  useLiveList,
  usePassage,
  useRules,
  useVerdict,
} from '../react/hooks.js'
