// For pachter-cli and this project's own tests. Not part of the public API; it can change without notice.

export { isLocal } from '../../http/local.js'
export { middleware } from '../../http/middleware.js'
