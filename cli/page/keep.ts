// Expectations that are kept, in a file of the project.

import type { CellToKeep } from 'pachter/internal/review'
import { useState } from 'react'

/** What came of it. */
export interface Kept {
  readonly text: string
  readonly isProblem?: boolean
}

export async function keep(what: { readonly cells: readonly CellToKeep[] } | { readonly proposals: readonly number[] }): Promise<Kept> {
  try {
    const response = await send('./keep', what)
    const { file, kept = [], problem } = (await response.json()) as { file?: string; kept?: string[]; problem?: string }
    if (file === undefined) return { text: problem ?? 'It was not kept.', isProblem: true }
    const said = kept.length > 3 ? `${kept.length} expectations` : kept.join('; ')
    return { text: `${said}: kept in ${file}` }
  } catch {
    return { text: 'It was not kept: pachter review does not answer.', isProblem: true }
  }
}

/** Keeps, and what came of it; forgotten where what there is to keep is something else. */
export function useKeep(of: string): [Kept | undefined, (what: Parameters<typeof keep>[0]) => Promise<void>] {
  const [told, setTold] = useState<{ readonly of: string; readonly kept: Kept }>()
  return [told?.of === of ? told.kept : undefined, async (what) => setTold({ of, kept: await keep(what) })]
}

/** Sends something to pachter review, as it takes it from its own page only. */
export const send = (path: string, what: object) =>
  fetch(path, { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify(what) })
