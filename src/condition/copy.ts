/** A deep copy of plain data, many times quicker than `structuredClone`, which copies everything else. */
export function copied<T>(value: T): T {
  if (typeof value !== 'object' || value === null) return value
  if (Array.isArray(value)) return value.map(copied) as T
  if (value instanceof Date) return new Date(value.getTime()) as T
  if (Object.getPrototypeOf(value) !== Object.prototype) return structuredClone(value)
  const copy: Record<string, unknown> = {}
  for (const name of Object.keys(value)) {
    const inner = copied(value[name as keyof T])
    if (name === '__proto__') Object.defineProperty(copy, name, { value: inner, enumerable: true, configurable: true, writable: true })
    else copy[name] = inner
  }
  return copy as T
}
