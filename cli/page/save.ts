// Saves expectations to a file of the project.

import type { CellToSave } from 'pachter/internal/review'
import { useState } from 'react'

/** The result. */
export interface Saved {
  readonly text: string
  readonly isProblem?: boolean
}

export async function save(what: { readonly cells: readonly CellToSave[] } | { readonly proposals: readonly number[] }): Promise<Saved> {
  try {
    const response = await send('./save', what)
    const { file, saved = [], problem } = (await response.json()) as { file?: string; saved?: string[]; problem?: string }
    if (file === undefined) return { text: problem ?? 'It was not saved.', isProblem: true }
    const said = saved.length > 3 ? `${saved.length} expectations` : saved.join('; ')
    return { text: `${said}: saved to ${file}` }
  } catch {
    return { text: 'It was not saved: pachter review does not answer.', isProblem: true }
  }
}

/** Saves, and keeps the result until the subject changes. */
export function useSave(of: string): [Saved | undefined, (what: Parameters<typeof save>[0]) => Promise<void>] {
  const [told, setTold] = useState<{ readonly of: string; readonly saved: Saved }>()
  return [told?.of === of ? told.saved : undefined, async (what) => setTold({ of, saved: await save(what) })]
}

/** Posts data to pachter review, which accepts it only from its own page. */
export const send = (path: string, what: object) =>
  fetch(path, { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify(what) })
