/**
 * An object that throws for unknown property names instead of returning `undefined`. Symbols are passed through, because the platform asks
 * for some.
 */
export function strict<T extends object>(object: T, refuse: (name: string) => never): T {
  return new Proxy(object, {
    get(target, name) {
      if (typeof name === 'symbol' || name in target) return Reflect.get(target, name)
      return refuse(name)
    },
  })
}
