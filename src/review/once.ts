/** What a function gives, found out when it is first asked for. */
export function once<T>(find: () => T): () => T {
  let found: { readonly value: T } | undefined
  return () => {
    found ??= { value: find() }
    return found.value
  }
}
