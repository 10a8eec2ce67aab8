// For pachter-cli and this project's own tests: no part of what the package promises, and changed without notice.
export { middleware } from '../../http/middleware.js'
export { isLocal } from '../../http/token.js'
