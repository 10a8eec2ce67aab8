/** Calls a function on first use and caches its result. */
export function once<T>(find: () => T): () => T {
  let found: { readonly value: T } | undefined
  return () => {
    found ??= { value: find() }
    return found.value
  }
}
