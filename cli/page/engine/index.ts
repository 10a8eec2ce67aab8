// What the page asks of the rules. It works off the page's own thread; nothing here knows that.
import { type ConditionNode, describe, type Row } from 'pachter/internal/condition'
import type { Expectation, Ground, IndexCache } from 'pachter/internal/review'
import {
  type Bits,
  type Deciding,
  decidingBy,
  each,
  has,
  judgeExpectation,
  openProject,
  type Project,
  type Situation,
  typesAsked,
  type Workings,
  workingsOf,
} from 'pachter/internal/review'
import { type Key, typeModel } from 'pachter/internal/rulebook'
import { grantsIn } from 'pachter/internal/viewpoint'
import { isNothing, NOTHING } from '../trial.js'
import { type Compared, compare, compareFew, together } from './differences.js'
import { type Drawing, draw } from './drawing.js'
import { formOf, recordFrom } from './forms.js'
import { redraw } from './redrawing.js'
import { placesIn, tell } from './telling.js'
import { affected, changed } from './trying.js'
import type { Differences, FormField, GrantShown, Listed, RuleShown, Shown, Standings, Told, Trial } from './types.js'

export type Engine = ReturnType<typeof engineOn>

/** Opens a project for questions. `since` is what it was before: what is otherwise is told. */
export const engineOf = (project: Project, since?: Ground): Engine => engineOn(openProject(project), project, since)

/** The same, of what is open already. */
export function engineOn(base: Ground, project: Pick<Project, 'title' | 'now' | 'places' | 'canKeep'>, since?: Ground) {
  const { model } = base
  const indexes: IndexCache = new WeakMap()
  const situation = ({ model: rules, people, records, now }: Ground): Situation => ({
    model: rules,
    people,
    records: records as Situation['records'],
    now,
  })
  const baseWorkings = workingsOf(situation(base), indexes)
  let workings = baseWorkings
  const places = placesIn(model, project)
  const drawings = new Map<string, Drawing>()
  const drifts = new Map<string, Compared | undefined>()
  const decidings = new Map<string, Deciding>()
  let trial = NOTHING
  let trialText = JSON.stringify(NOTHING)
  let ground = base
  let affects: ReadonlySet<string> = new Set()
  /** The matrices that what is tried may have changed, by type; found out when they are asked for. */
  const tried = new Map<string, Tried>()

  const workingsUnder = (next: Trial, nextGround: Ground): Workings =>
    isNothing(next) ? baseWorkings : workingsOf(situation(nextGround), indexes, baseWorkings)

  /** The matrix before anything is tried; found out once. */
  const before = (type: string): Drawing => found(drawings, type, () => draw(baseWorkings, type))

  function after(type: string): Tried {
    return found(tried, type, () => worked(type, trial, ground, workings))
  }

  function worked(type: string, next: Trial, nextGround: Ground, nextWorkings: Workings): Tried {
    const was = before(type)
    const touched = next.records.map((one) => one.type)
    const asked = typesAsked(model, type, { asStored: true, claims: false })
    const isAsAWhole = next.off.length > 0 || touched.some((one) => asked.has(one))
    // Of somebody whose viewpoint is the same, nothing is otherwise but by records.
    const isSame = (person: string) =>
      !isAsAWhole && Object.hasOwn(base.people, person) && nextWorkings.view(person) === baseWorkings.view(person)
    if (isAsAWhole || !touched.includes(type)) {
      const drawing = draw(nextWorkings, type, { was, isSame })
      return { drawing, compared: compare(was, drawing) }
    }
    const redrawn = redraw(nextGround, type, was, baseWorkings)
    if (Object.keys(nextGround.people).every(isSame)) return { drawing: redrawn.drawing, compared: compareFew(was, redrawn) }
    const whole = draw(nextWorkings, type, { was: redrawn.drawing, isSame })
    return { drawing: whole, compared: compare(was, whole) }
  }

  /** What is otherwise than it was when the page was opened; undefined where there was no such type. */
  function drift(type: string): Compared | undefined {
    if (since === undefined || !Object.hasOwn(since.model.types, type)) return undefined
    return found(drifts, type, () => compare(draw(workingsOf(situation(since)), type), before(type)))
  }

  const deciding = (type: string): Deciding => found(decidings, type, () => decidingBy(workings, type))

  function begin(next: Trial, text: string): void {
    ground = changed(base, next)
    workings = workingsUnder(next, ground)
    trial = next
    trialText = text
    tried.clear()
    decidings.clear()
    // Where there are no records, nobody gains or loses any by others; by rules and claims, they may come to create some.
    const hasRecords = (type: string) => (base.records[type] ?? []).length + (ground.records[type] ?? []).length > 0
    const some = affected(model, next).filter((type) => next.off.length + next.people.length > 0 || hasRecords(type))
    affects = new Set(isNothing(next) ? [] : some)
  }

  const current = (type: string): Drawing => (affects.has(type) ? after(type).drawing : before(type))

  function standings(type: string): Standings {
    const { access, rows } = current(type)
    const bits = access.map(({ standing }) => {
      const found = new Uint32Array(rows.length)
      for (const [number, set] of standing.entries())
        each(set, (row) => {
          found[row] = (found[row] as number) | (1 << number)
        })
      return found
    })
    return { names: Object.keys(typeModel(model, type).standings), bits }
  }

  function standingTowards(type: string, key: Key): Told['standings'] {
    const { access, drawn } = current(type)
    const names = Object.keys(typeModel(model, type).standings)
    const row = drawn.keys.indexOf(key)
    return drawn.people.flatMap((person, at) => {
      const is = names.filter((_, number) => has(access[at]?.standing[number] as Bits, row))
      return is.length === 0 ? [] : [{ person, is }]
    })
  }

  return {
    ground: base,

    /** What there is: record types with how many records each, and the people. */
    about: () => ({
      title: project.title,
      now: project.now,
      canKeep: project.canKeep === true,
      people: Object.keys(base.people),
      types: Object.values(model.types).map(({ name, key }) => ({ name, key, count: (base.records[name] ?? []).length })),
    }),

    /**
     * Tries changes in place of those before; gives who gains and who loses what by them, and the matrix of the type that is looked at.
     * Where that cannot be, nothing is tried. @throws ClaimsError, UnknownNameError
     */
    try(next: Trial, looking: string): { readonly differences: Differences; readonly shown: Shown } {
      const text = JSON.stringify(next)
      try {
        if (text !== trialText) begin(next, text)
        return { differences: together([...affects].map((type) => after(type).compared)), shown: this.matrix(looking) }
      } catch (error) {
        begin(NOTHING, '')
        throw error
      }
    },

    matrix(type: string): Shown {
      if (affects.has(type)) {
        const { drawing, compared } = after(type)
        return { drawn: drawing.drawn, changes: compared.changes }
      }
      return { drawn: before(type).drawn, changes: isNothing(trial) ? drift(type)?.changes : undefined }
    },

    /** Goes through a trial that changes nothing, so that the first that does need not wait for what can be made ready before. */
    rehearse(type: string): void {
      const [row] = (base.records[type] ?? []) as readonly Row[]
      if (row === undefined) return
      const next: Trial = { ...NOTHING, records: [{ type, key: row[typeModel(model, type).key] as Key, record: { ...row } }] }
      const nextGround = changed(base, next)
      worked(type, next, nextGround, workingsUnder(next, nextGround))
    },

    /** Who gained and who lost since the page was opened; undefined where it is as it was then. */
    drift: (): Differences | undefined =>
      since === undefined ? undefined : together(Object.keys(model.types).flatMap((type) => drift(type) ?? [])),

    why: (type: string, person: string, key: Key, action: string): Told => ({
      ...tell(ground, places, { type, person, key, action }),
      standings: standingTowards(type, key),
    }),

    /** The rules of a type, and where each has a say. */
    rules: (type: string): readonly RuleShown[] =>
      deciding(type).rules.map((rule) => ({
        ...rule,
        place:
          rule.kind === 'clause'
            ? places.clause(type, rule.actions[0] as string, rule.title)
            : rule.kind === 'veto'
              ? places.veto(type, rule.title)
              : null,
      })),

    /** Privileges and routines, which belong to no record, and who has them under what is tried. */
    grants: (): readonly GrantShown[] =>
      grantsIn(model).map(({ kind, name }) => ({
        kind,
        name,
        meaning: describe((kind === 'privilege' ? model.privileges : model.routines)[name] as ConditionNode),
        people: Object.keys(ground.people).filter((person) => ground.viewpoint(person).whyGranted(kind, name).has),
      })),

    /** Where one of them has a say, by person and record. */
    marks: (type: string, rule: number): readonly Uint8Array[] => deciding(type).marks(rule),

    standings,

    /** A person's list; `system` for all there is. */
    list(type: string, person: string): Listed {
      const { key, fields: shape } = typeModel(model, type)
      const all = (ground.records[type] ?? []) as readonly Row[]
      const fields = Object.keys(shape)
      const others = fields.filter((name) => name !== key)
      if (person === 'system')
        return { fields, of: all.length, rows: all.map((row) => ({ key: row[key] as Key, values: row, hidden: [] })) }
      const view = ground.viewpoint(person)
      const rows = view.filter(type, all).map((row) => {
        const verdict = view.verdict('read', type, row)
        const hidden = others.filter((name) => verdict.fields !== undefined && !verdict.fields.includes(name))
        const values = Object.fromEntries(Object.entries(row as Row).filter(([name]) => !hidden.includes(name)))
        return { key: (row as Row)[key] as Key, values, hidden }
      })
      return { fields, of: all.length, rows }
    },

    /** Of these expectations, those that hold and would not under what is tried. Gives up where something else is tried meanwhile. */
    async failing(written: readonly Expectation[]): Promise<readonly { readonly title: string; readonly problems: readonly string[] }[]> {
      const mine = ground
      const lost: { title: string; problems: readonly string[] }[] = []
      let begun = Date.now()
      for (const one of written) {
        if ('type' in one && !affects.has(one.type) && one.kind !== 'try') continue
        const expectation = revived(one)
        const { held, title, problems } = await judgeExpectation(mine, expectation)
        if (!held && (await judgeExpectation(base, expectation)).held) lost.push({ title, problems })
        if (Date.now() - begun > 30) {
          // Others may ask between.
          await new Promise((resolve) => setTimeout(resolve))
          if (ground !== mine) return []
          begun = Date.now()
        }
      }
      return lost
    },

    /** Which of some cells are there without what is tried, and so can be kept. */
    areThere: (cells: readonly { readonly type: string; readonly person: string; readonly key?: Key | undefined }[]): readonly boolean[] =>
      cells.map(({ type, person, key }) => Object.hasOwn(base.people, person) && key !== undefined && base.record(type, key) !== undefined),

    form: (type: string, key?: Key): readonly FormField[] => formOf(ground, type, key),

    /** A record from a form. @throws TextError where a text is none of its field. */
    record: (type: string, texts: { readonly [name: string]: string | undefined }): Row => recordFrom(model, type, texts),

    /** A person's claims as JSON. */
    claims: (person: string): string => JSON.stringify(ground.people[person] ?? {}, null, 1),
  }
}

/** A matrix under what is tried, and what is otherwise in it. */
interface Tried {
  readonly drawing: Drawing
  readonly compared: Compared
}

function found<V>(known: Map<string, V>, name: string, make: () => V): V {
  if (!known.has(name)) known.set(name, make())
  return known.get(name) as V
}

/** An expectation as it was before it was written as JSON. */
function revived(expectation: Expectation): Expectation {
  return expectation.at === undefined ? expectation : { ...expectation, at: new Date(expectation.at) }
}
