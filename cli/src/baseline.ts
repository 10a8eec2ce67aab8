import { dirname, join } from 'node:path'
import type { Loaded } from './load.js'

/** The path of the baseline: next to the configuration. */
export function baselineFile({ file }: Pick<Loaded, 'file'>): string {
  return join(dirname(file), 'pachter.baseline.yaml')
}
