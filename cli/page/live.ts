// Events from pachter review: changed files, new findings, and proofs.

import type { ExampleWorld, MutantFindings, Project, ProofFindings, ReviewFindings, ReviewState } from 'pachter/internal/review'
import { useCallback, useEffect, useMemo, useState } from 'react'
import type { About, Rules } from './rules.js'

/** How it stands. */
export interface Live {
  /** What is displayed: the project, or an example. */
  readonly about: About
  /** Increases with each new version of what is displayed. */
  readonly revision: number
  /** Undefined before they arrive; null if they never will. */
  readonly findings: ReviewFindings | null | undefined
  /** Undefined before they arrive; null if they never will. */
  readonly proofs: ProofFindings | null | undefined
  readonly mutants?: MutantFindings | undefined
  readonly weakening?: ReviewState['weakening']
  readonly proving?: ReviewState['proving']
  /** Why the current state cannot be shown. */
  readonly problem?: string | undefined
  /** The command has ended. */
  readonly isOver?: boolean
}

/** Opens an example in place of the project, and returns to the project. */
export interface Examples {
  open(title: string, world: ExampleWorld): Promise<void>
  close(): Promise<void>
}

/** Receives updates from pachter review. In a copy in a folder, the findings are read once. */
export function useLive(rules: Rules, opened: About): readonly [Live, Examples] {
  const [live, setLive] = useState<Live>({ about: opened, revision: 0, findings: undefined, proofs: undefined })
  const show = useCallback(
    (about: About, changes: Partial<Live> = {}) => setLive((old) => ({ ...old, about, revision: old.revision + 1, ...changes })),
    [],
  )
  useEffect(() => {
    const set = (changes: Partial<Live>) => setLive((old) => ({ ...old, ...changes }))
    if (!opened.canSave) {
      void read<ReviewFindings>('./findings.json').then((findings) => set({ findings: findings ?? null }))
      void read<ProofFindings>('./proofs.json').then((proofs) => set({ proofs: proofs ?? null }))
      return
    }
    const source = new EventSource('./changes')
    let known: ReviewState = { project: 0, findings: 0, mutants: 0, proofs: 0 }
    source.addEventListener('message', async ({ data }: MessageEvent<string>) => {
      const state = JSON.parse(data) as ReviewState
      const before = known
      known = state
      set({ problem: state.problem, weakening: state.weakening, proving: state.proving, isOver: false })
      // The first version is the one that the page was opened with.
      if (before.project !== 0 && state.project !== before.project) {
        const project = await read<Project>('./project.json')
        if (!project) return
        try {
          show(await rules.open(project), { mutants: undefined })
        } catch (error) {
          set({ problem: error instanceof Error ? error.message : String(error) })
        }
      }
      for (const what of ['findings', 'mutants', 'proofs'] as const)
        if (state[what] !== before[what]) set({ [what]: (await read<Live[typeof what]>(`./${what}.json`)) ?? undefined })
    })
    source.addEventListener('error', () => set({ isOver: true }))
    return () => source.close()
  }, [rules, opened, show])
  const open = useCallback(async (title: string, world: ExampleWorld) => show(await rules.openExample({ title, world })), [rules, show])
  const close = useCallback(async () => show(await rules.closeExample()), [rules, show])
  const examples = useMemo(() => ({ open, close }), [open, close])
  return [live, examples]
}

async function read<T>(path: string): Promise<T | null | undefined> {
  try {
    const response = await fetch(path)
    return response.ok ? ((await response.json()) as T) : undefined
  } catch {
    return undefined
  }
}
