/** Freezes plain data and all that is in it: a condition, with its terms and what they name. What is frozen already is taken to be so throughout. */
export function frozen<T>(data: T): T {
  if (typeof data !== 'object' || data === null || Object.isFrozen(data)) return data
  for (const part of Object.values(data)) frozen(part)
  return Object.freeze(data)
}
