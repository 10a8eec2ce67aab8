// For pachter-cli and this project's own tests. Not part of the public API; it can change without notice.
export {
  type ClauseTrace,
  changedFields,
  type Explanation,
  type GrantKind,
  grantsIn,
  type InnerViewpoint,
  indexed,
  linkedClaims,
  type Rulebook,
  readClaims,
  rulebookOf,
} from '../../viewpoint/index.js'
