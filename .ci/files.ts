import { readdirSync, statSync } from 'node:fs'
import { join } from 'node:path'

/** The folder of the project. */
export const root = new URL('../', import.meta.url)

/** The files of a folder, those within its folders too, or a file itself; without what is installed or built. */
export function* filesBelow(path: string): Generator<string> {
  if (statSync(path).isFile()) yield path
  else for (const name of readdirSync(path).sort()) if (name !== 'node_modules' && name !== 'dist') yield* filesBelow(join(path, name))
}
