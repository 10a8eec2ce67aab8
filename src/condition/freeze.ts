/** Freezes plain data deeply. An object that is frozen already is assumed to be frozen throughout. */
export function frozen<T>(data: T): T {
  if (typeof data !== 'object' || data === null || Object.isFrozen(data)) return data
  for (const part of Object.values(data)) frozen(part)
  return Object.freeze(data)
}
