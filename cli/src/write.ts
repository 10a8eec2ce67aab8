import { renameSync, rmSync, writeFileSync } from 'node:fs'
import { UsageError } from './errors.js'

/** Writes a file completely or not at all, even if the command is interrupted. @throws UsageError if it cannot be written */
export function writeWhole(file: string, text: string): void {
  const draft = `${file}.${process.pid}.draft`
  try {
    writeFileSync(draft, text)
    renameSync(draft, file)
  } catch (error) {
    rmSync(draft, { force: true })
    throw new UsageError(`${file} cannot be written: ${error instanceof Error ? error.message : String(error)}`)
  }
}
