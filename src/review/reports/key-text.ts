import type { Trace } from '../../condition/index.js'

/** The key of a linked record. */
export function keyText({ key, on = {} }: Trace): string {
  return key ?? String(Object.values(on)[0] ?? '')
}
