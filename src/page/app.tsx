// The page: which records one looks at and how, the matrix or the lists, what stands beside them, and what is tried.
import { useEffect, useLayoutEffect, useMemo, useRef, useState } from 'react'
import type { Key } from '../rulebook/index.js'
import { useLooking } from './address.js'
import { type Differences, type Drawn, ruleId, type Shown, type Standings, type Trial } from './engine/types.js'
import { FindingsList } from './findings.js'
import { Head } from './head.js'
import { type Cell, useKeep } from './keep.js'
import { Lists } from './lists.js'
import { useLive } from './live.js'
import { type Marked, Matrix } from './matrix.js'
import { Rulebook } from './rulebook.js'
import type { About, Rules } from './rules.js'
import { Side } from './side.js'
import { Tray } from './tray.js'
import { changesOf, isNothing, NOTHING, withoutRule, withPerson, withRecord } from './trial.js'
import { ClaimsForm, RecordForm } from './try-forms.js'
import { Why } from './why.js'

/** The form that is open. */
type Form = { readonly what: 'record'; readonly key?: Key | undefined } | { readonly what: 'claims'; readonly person?: string | undefined }

export function App({ opened, rules }: { readonly opened: About; readonly rules: Rules }) {
  const live = useLive(rules, opened)
  const { about, revision } = live
  const types = useMemo(() => about.types.map(({ name }) => name), [about])
  const [looking, look] = useLooking(types)
  const { type, mode, trial, side } = looking
  const [form, setForm] = useState<Form>()
  const { shown, found, problem, drift, begin, ask } = useAnswers(rules, revision, type, trial)
  const here = shown?.drawn.type === type ? shown : undefined
  const marked = useMarks(rules, here, looking.rule)
  const standings = useStandings(rules, here, looking.group)
  const isOpen = here !== undefined && looking.key !== undefined
  const keyOf = ({ keys }: Drawn) => keys.find((one) => String(one) === looking.key)
  const tried = (next: Trial) => {
    // Asked before anything is drawn of it: it takes a while.
    ask(next)
    look({ trial: next })
  }
  return (
    <>
      <Head live={live} looking={looking} look={look} people={here?.drawn.people ?? about.people} add={setForm} />
      <div className={side === undefined ? 'desk' : 'desk with-side'}>
        <main id="main" aria-label={mode === 'matrix' ? `Who may do what to each ${type}` : `Lists of ${type} records`}>
          {problem !== undefined && <p role="alert">{problem}</p>}
          {here === undefined ? (
            <p role="status" className="faint">
              Working it out …
            </p>
          ) : mode === 'matrix' ? (
            <Matrix
              shown={here}
              marked={marked.cells}
              standings={standings}
              rules={rules}
              canKeep={about.canKeep}
              looking={looking}
              look={look}
            />
          ) : (
            <Lists shown={here} rules={rules} looking={looking} look={look} />
          )}
        </main>
        {side !== undefined && (
          <Side looking={looking} look={look} has={isOpen}>
            {side === 'rules' ? (
              <Rulebook
                of={here}
                rules={rules}
                looking={looking}
                look={look}
                point={marked.point}
                without={(title) => tried(withoutRule(trial, { type, title }))}
              />
            ) : side === 'findings' ? (
              <FindingsList live={live} rules={rules} trial={trial} tried={found} look={look} />
            ) : isOpen ? (
              <Why
                drawn={here.drawn}
                rules={rules}
                looking={looking}
                look={look}
                edit={(what) => setForm(what === 'record' ? { what, key: keyOf(here.drawn) } : { what, person: looking.person })}
                remove={() => tried(withRecord(trial, { type, key: keyOf(here.drawn) as string, record: null }))}
                keeps={about.canKeep && about.people.includes(looking.person ?? '')}
                without={(title) => tried(withoutRule(trial, { type, title }))}
              />
            ) : (
              <p className="faint">Choose a cell to see why it is as it is.</p>
            )}
          </Side>
        )}
      </div>
      {live.problem !== undefined && (
        <p role="alert" className="banner">
          <strong>This is what there was before.</strong> {live.problem}
        </p>
      )}
      {live.isOver && <p className="banner faint">pachter review has ended, or cannot be reached: the page stays as it is.</p>}
      {drift !== undefined && (
        <Tray
          key={revision}
          label="Since the page was opened"
          heading={<strong>The files have changed since you opened this:</strong>}
          differences={drift}
          look={look}
          isOpen={isNothing(trial)}
        >
          <button type="button" className="plain" onClick={begin}>
            Begin from here
          </button>
        </Tray>
      )}
      {!isNothing(trial) && (
        <Tray
          label="What is tried"
          heading={
            <>
              <strong>Tried, and written nowhere:</strong>
              {changesOf(trial).map(({ words, without }) => (
                <span key={words} className="chip">
                  {words}
                  <button type="button" aria-label={`Without ${words}`} onClick={() => tried(without)}>
                    ×
                  </button>
                </span>
              ))}
            </>
          }
          differences={found.of === trial ? found.differences : undefined}
          problem={found.of === trial ? found.problem : undefined}
          look={look}
        >
          <button type="button" className="plain" onClick={() => tried(NOTHING)}>
            Throw it away
          </button>
          {about.canKeep && found.of === trial && found.differences !== undefined && (
            <KeepDifferences rules={rules} differences={found.differences} />
          )}
        </Tray>
      )}
      {form?.what === 'record' && (
        <RecordForm
          rules={rules}
          type={type}
          recordKey={form.key}
          close={() => setForm(undefined)}
          done={(record) => {
            const key = record[about.types.find(({ name }) => name === type)?.key as string] as string
            tried(withRecord(trial, { type, key, record }))
            setForm(undefined)
          }}
        />
      )}
      {form?.what === 'claims' && (
        <ClaimsForm
          rules={rules}
          person={form.person}
          people={here?.drawn.people ?? about.people}
          close={() => setForm(undefined)}
          done={(name, claims) => {
            tried(withPerson(trial, { name, claims }))
            setForm(undefined)
          }}
        />
      )}
    </>
  )
}

/** What came of what is tried. */
export interface Found {
  readonly of: Trial
  readonly differences?: Differences
  readonly problem?: string
}

/** The matrix of a type under what is tried, who gains and loses by that, and what is otherwise since the page was opened. */
function useAnswers(rules: Rules, revision: number, type: string, trial: Trial) {
  const [shown, setShown] = useState<Shown>()
  const [found, setFound] = useState<Found>({ of: NOTHING })
  const [problem, setProblem] = useState<string>()
  const [drift, setDrift] = useState<Differences>()
  const [begun, setBegun] = useState(0)
  // The question that was asked last, with what it was about.
  const asked = useRef<{ readonly about: readonly unknown[]; readonly answer: ReturnType<Rules['try']> }>(undefined)
  const ask = (next: Trial) => {
    const about = [rules, revision, begun, type, next]
    if (!asked.current?.about.every((one, at) => one === about[at])) asked.current = { about, answer: rules.try(next, type) }
    return asked.current?.answer as ReturnType<Rules['try']>
  }
  useLayoutEffect(() => {
    let gone = false
    setProblem(undefined)
    ask(trial).then(
      ({ differences, shown: next }) => {
        if (gone) return
        setFound({ of: trial, differences })
        setShown(next)
      },
      (error: Error) => {
        if (gone) return
        setFound({ of: trial, problem: error.message })
        // What was shown before stands, of whatever type is looked at.
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
  useEffect(() => {
    let gone = false
    if (revision === 0) return
    rules.drift().then((next) => !gone && setDrift(next))
    return () => {
      gone = true
    }
  }, [rules, revision])
  const begin = () => {
    void rules.begin().then(() => {
      setDrift(undefined)
      setBegun((old) => old + 1)
    })
  }
  return { shown, found, problem, drift, begin, ask }
}

/** The cells in which the rule that is pointed at, or else the one that is chosen, has a say. */
function useMarks(rules: Rules, shown: Shown | undefined, chosen: string | undefined) {
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

/** By what somebody is to which record; those of before, until those of now are there. */
function useStandings(rules: Rules, shown: Shown | undefined, group: string): Standings | undefined {
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

/** Keeps who gains and loses: that it stays as it is without what is tried, or that it becomes so. */
function KeepDifferences({ rules, differences }: { readonly rules: Rules; readonly differences: Differences }) {
  const [kept, keep] = useKeep(JSON.stringify(differences.first))
  const all = differences.gained + differences.lost
  if (all === 0) return null
  if (kept !== undefined) return <span className={kept.isProblem ? 'no' : ''}>{kept.text}</span>
  if (all > differences.first.length) return <span className="faint">Too many to keep one by one.</span>
  const keepAs = async (would: boolean) => {
    const there = await rules.areThere(differences.first)
    const cells = differences.first.flatMap(({ type, person, key, action, gained, fields }, at): Cell[] =>
      key === undefined || !there[at]
        ? []
        : [{ type, person, key, action, allowed: gained === would, ...(fields === undefined ? {} : { fields }) }],
    )
    await keep({ cells })
  }
  return (
    <span>
      Expect it{' '}
      <button type="button" className="plain" onClick={() => void keepAs(false)}>
        to stay as it is
      </button>
      , or{' '}
      <button type="button" className="plain" onClick={() => void keepAs(true)}>
        to become so
      </button>
    </span>
  )
}
