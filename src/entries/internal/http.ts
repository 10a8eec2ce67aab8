// For pachter-cli and this project's own tests. Not part of the public API; it can change without notice.
export { middleware } from '../../http/middleware.js'
export { isLocal } from '../../http/token.js'
