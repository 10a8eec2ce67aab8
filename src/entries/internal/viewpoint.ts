// For pachter-cli and this project's own tests: no part of what the package promises, and changed without notice.
export {
  type ClauseTrace,
  type Explanation,
  type GrantKind,
  grantsIn,
  type InnerViewpoint,
  indexed,
  linkedClaims,
  type Rulebook,
  readClaims,
} from '../../viewpoint/index.js'
