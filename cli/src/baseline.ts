import { dirname, join } from 'node:path'
import type { Loaded } from './load.js'

/** Where the baseline is saved: beside the configuration. */
export function baselineFile({ file }: Pick<Loaded, 'file'>): string {
  return join(dirname(file), 'pachter.baseline.yaml')
}
