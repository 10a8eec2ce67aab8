/**
 * An object that answers for its own properties and refuses every other name, instead of handing out `undefined`.
 * Symbols pass: the platform itself asks for some.
 */
export function strict<T extends object>(object: T, refuse: (name: string) => never): T {
  return new Proxy(object, {
    get(target, name) {
      if (typeof name === 'symbol' || name in target) return Reflect.get(target, name)
      return refuse(name)
    },
  })
}
