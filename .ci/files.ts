import { readdirSync, statSync } from 'node:fs'
import { join } from 'node:path'

// Installed, built or generated.
const NOT_OURS = new Set(['node_modules', 'dist', 'api'])

/** The folder of the project. */
export const root = new URL('../', import.meta.url)

/** The files of a folder and its subfolders, or the file itself, without what is installed, built or generated. */
export function* filesBelow(path: string): Generator<string> {
  if (statSync(path).isFile()) yield path
  else for (const name of readdirSync(path).sort()) if (!NOT_OURS.has(name)) yield* filesBelow(join(path, name))
}
