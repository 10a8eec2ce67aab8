/** A letter for every action except read: the first letter of its name that no other action has. */
export function lettersOf(actions: readonly string[]): ReadonlyMap<string, string> {
  const letters = new Map<string, string>()
  for (const action of actions) {
    if (action === 'read') continue
    const taken = new Set(letters.values())
    letters.set(action, [...action.toLowerCase(), ...'123456789'].find((letter) => !taken.has(letter)) ?? '*')
  }
  return letters
}
