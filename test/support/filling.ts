/** A store of any rulebook, as far as trusted code creates records in it. */
interface Fillable {
  asSystem(reason: string): { create(type: never, row: never): Promise<unknown> }
}

/** Creates records by type, one after another. */
export async function fill(store: Fillable, data: { readonly [type: string]: readonly object[] }): Promise<void> {
  const system = store.asSystem('fill')
  for (const [type, rows] of Object.entries(data)) for (const row of rows) await system.create(type as never, row as never)
}

/** The code with which something was refused, or "done". */
export function codeOf(work: Promise<unknown>): Promise<string> {
  return work.then(
    () => 'done',
    (error) => error.code,
  )
}
