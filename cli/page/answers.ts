// The data of the page: the matrix, the trial, the cells of a rule, standings.
import { useEffect, useLayoutEffect, useRef, useState } from 'react'
import { type Differences, type Drawn, ruleId, type Shown, type Standings, type Trial } from './engine/types.js'
import type { Marked } from './matrix.js'
import type { Rules } from './rules.js'
import { NOTHING } from './trial.js'
import type { ComparedState } from './worker.js'

/** The result of a trial. */
export interface Found {
  readonly of: Trial
  readonly differences?: Differences
  readonly problem?: string
}

/** A question and its subject. */
interface PendingTrial {
  readonly about: readonly unknown[]
  readonly answer: ReturnType<Rules['try']>
}

/** The matrix of a type with the trial, who gains and loses by it, and what changed since the page was opened. */
export function useAnswers(rules: Rules, revision: number, type: string, trial: Trial) {
  const [shown, setShown] = useState<Shown>()
  const [found, setFound] = useState<Found>({ of: NOTHING })
  const [problem, setProblem] = useState<string>()
  const [drift, setDrift] = useState<Differences>()
  const [begun, setBegun] = useState(0)
  const [compared, setCompared] = useState<ComparedState>('opened')
  // The latest question with its subject, and which of them is shown.
  const asked = useRef<PendingTrial>(undefined)
  const told = useRef<PendingTrial>(undefined)
  const ask = (next: Trial): PendingTrial => {
    const about = [rules, revision, begun, type, next]
    const last = asked.current
    if (last?.about.every((one, at) => one === about[at])) return last
    asked.current = { about, answer: rules.try(next, type) }
    return asked.current
  }
  const tell = (question: PendingTrial, next: Trial, { differences, shown: answer }: Awaited<PendingTrial['answer']>) => {
    told.current = question
    setFound({ of: next, differences })
    setShown(answer)
  }
  useLayoutEffect(() => {
    let gone = false
    setProblem(undefined)
    const question = ask(trial)
    if (told.current === question) return
    question.answer.then(
      (answer) => !gone && tell(question, trial, answer),
      (error: Error) => {
        if (gone) return
        setFound({ of: trial, problem: error.message })
        // The previous answer stays, whatever type is shown.
        rules.matrix(type).then(
          (next) => !gone && setShown(next),
          (other: Error) => !gone && setProblem(other.message),
        )
      },
    )
    return () => {
      gone = true
    }
  }, [rules, revision, begun, type, trial])
  /** Runs a trial and shows it together with its result. If that takes long, it is shown before. */
  const attempt = (next: Trial, show: () => void) => {
    const question = ask(next)
    let isShown = false
    const once = (tellIt: () => void) => {
      // A newer trial replaces this one.
      if (isShown || asked.current !== question) return
      isShown = true
      tellIt()
      show()
    }
    const late = setTimeout(once, 150, () => {})
    question.answer
      .then(
        (answer) => once(() => tell(question, next, answer)),
        () => once(() => {}),
      )
      .finally(() => clearTimeout(late))
  }
  useEffect(() => {
    let gone = false
    if (revision === 0) return
    rules.drift().then((next) => !gone && setDrift(next))
    return () => {
      gone = true
    }
  }, [rules, revision, compared])
  const begin = () => {
    void rules.begin().then(() => {
      setDrift(undefined)
      setBegun((old) => old + 1)
    })
  }
  const compareWith = (state: ComparedState) => {
    void rules.compareWith(state).then(() => {
      setCompared(state)
      setBegun((old) => old + 1)
    })
  }
  return { shown, found, problem, drift, begin, compared, compareWith, attempt }
}

/** The cells of the rule under the pointer, or else of the chosen rule. */
export function useMarks(rules: Rules, shown: Shown | undefined, chosen: string | undefined) {
  const [pointed, point] = useState<string>()
  const [cells, setCells] = useState<Marked>()
  const wanted = pointed ?? chosen
  const type = shown?.drawn.type
  useEffect(() => {
    let gone = false
    if (type === undefined || wanted === undefined) {
      setCells(undefined)
      return
    }
    rules
      .rules(type)
      .then(async (all) => {
        const at = all.findIndex((rule) => ruleId(rule) === wanted)
        return at < 0 ? undefined : { title: all[at]?.title ?? '', marks: await rules.marks(type, at), isPointed: pointed !== undefined }
      })
      .then(
        (next) => !gone && setCells(next),
        () => !gone && setCells(undefined),
      )
    return () => {
      gone = true
    }
  }, [rules, shown, type, wanted, pointed])
  return { cells, point }
}

/** The standings by person and record; the previous ones until the new ones arrive. */
export function useStandings(rules: Rules, shown: Shown | undefined, group: string): Standings | undefined {
  const [standings, setStandings] = useState<{ readonly of: Drawn; readonly found: Standings }>()
  useEffect(() => {
    let gone = false
    if (group === '' || shown === undefined) return
    rules.standings(shown.drawn.type).then((found) => !gone && setStandings({ of: shown.drawn, found }))
    return () => {
      gone = true
    }
  }, [rules, shown, group])
  const isLike = standings !== undefined && standings.of.type === shown?.drawn.type && standings.of.keys.length === shown.drawn.keys.length
  return isLike ? standings.found : undefined
}
