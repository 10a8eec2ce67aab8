// Where the files of this package are. It stays at the top of the folder, because the build may join it with other modules there.
import { fileURLToPath } from 'node:url'

/** The folder of the review page. */
export const PAGE = fileURLToPath(new URL('./page/', import.meta.url))

/** The module that a thread starts with to read a project. */
export const READING_THREAD = new URL('./review/reading-thread.js', import.meta.url)

/** The configuration's own module. */
export const CONFIGURATION = fileURLToPath(new URL('./config.js', import.meta.url))

export const PACKAGE = fileURLToPath(new URL('../package.json', import.meta.url))
