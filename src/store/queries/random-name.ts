let count = 0
const secret = globalThis.crypto.randomUUID().replaceAll('-', '').slice(0, 12)

/** A name that nobody outside can guess. */
export function randomName(): string {
  count = (count + 1) % 1_000_000
  return `part_${secret}_${count}`
}
