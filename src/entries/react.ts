/**
 * Thin hooks over `pachter/client`, for React 18 and later.
 * @module
 */
export {
  createHooks,
  type Hooks,
  RulesProvider,
  type RulesProviderProps,
  useLiveList,
  useRouteAccess,
  useRules,
  useServerVerdict,
  useVerdict,
} from '../react/hooks.js'
