// Events from pachter review: changed files, and new findings.

import type { MutantFindings, Project, ReviewFindings, ReviewState } from 'pachter/internal/review'
import { useEffect, useState } from 'react'
import type { About, Rules } from './rules.js'

/** How it stands. */
export interface Live {
  readonly about: About
  /** Increases with each new version of the project. */
  readonly revision: number
  /** Undefined before they arrive; null if they never will. */
  readonly findings: ReviewFindings | null | undefined
  readonly mutants?: MutantFindings | undefined
  readonly weakening?: readonly [done: number, all: number] | undefined
  /** Why the current state cannot be shown. */
  readonly problem?: string | undefined
  /** The command has ended. */
  readonly isOver?: boolean
}

/** Receives updates from pachter review. In a copy in a folder, the findings are read once. */
export function useLive(rules: Rules, opened: About): Live {
  const [live, setLive] = useState<Live>({ about: opened, revision: 0, findings: undefined })
  useEffect(() => {
    const set = (changes: Partial<Live>) => setLive((old) => ({ ...old, ...changes }))
    if (!opened.canSave) {
      void read<ReviewFindings>('./findings.json').then((findings) => set({ findings: findings ?? null }))
      return
    }
    const source = new EventSource('./changes')
    let known: ReviewState = { project: 0, findings: 0, mutants: 0 }
    source.addEventListener('message', async ({ data }: MessageEvent<string>) => {
      const state = JSON.parse(data) as ReviewState
      const before = known
      known = state
      set({ problem: state.problem, weakening: state.weakening, isOver: false })
      // The first version is the one that the page was opened with.
      if (before.project !== 0 && state.project !== before.project) {
        const project = await read<Project>('./project.json')
        if (!project) return
        try {
          const about = await rules.open(project)
          setLive((old) => ({ ...old, about, revision: old.revision + 1, mutants: undefined }))
        } catch (error) {
          set({ problem: error instanceof Error ? error.message : String(error) })
        }
      }
      if (state.findings !== before.findings) set({ findings: (await read<ReviewFindings>('./findings.json')) ?? undefined })
      if (state.mutants !== before.mutants) set({ mutants: (await read<MutantFindings>('./mutants.json')) ?? undefined })
    })
    source.addEventListener('error', () => set({ isOver: true }))
    return () => source.close()
  }, [rules, opened])
  return live
}

async function read<T>(path: string): Promise<T | null | undefined> {
  try {
    const response = await fetch(path)
    return response.ok ? ((await response.json()) as T) : undefined
  } catch {
    return undefined
  }
}
