// What the page asks of the rules. It works off the page's own thread; nothing here knows that.
import type { Row } from '../../condition/index.js'
import { type Deciding, decidingOf } from '../../review/deciding.js'
import type { Expectation } from '../../review/expectation.js'
import type { Ground } from '../../review/ground.js'
import { judgeExpectation } from '../../review/judge.js'
import { openProject, type Project } from '../../review/project.js'
import { type Key, typeModel } from '../../rulebook/index.js'
import { isNothing, NOTHING } from '../trial.js'
import { type Compared, compare, together } from './differences.js'
import { type Drawing, draw } from './drawing.js'
import { formOf, recordFrom } from './forms.js'
import { placesIn, tell } from './telling.js'
import { affected, changed } from './trying.js'
import type { Differences, FormField, Listed, RuleShown, Shown, Standings, Told, Trial } from './types.js'

export type Engine = ReturnType<typeof engineOf>

/** Opens a project for questions. `since` is what it was before: what is otherwise is told. */
export function engineOf(project: Project, since?: Ground) {
  const base = openProject(project)
  const { model } = base
  const places = placesIn(model, project)
  const drawings = new Map<string, Drawing>()
  const sinceDrawings = new Map<string, Drawing | undefined>()
  const drifts = new Map<string, Compared | undefined>()
  const decidings = new Map<string, Deciding>()
  let trial = NOTHING
  let trialText = JSON.stringify(NOTHING)
  let ground = base
  let affects: ReadonlySet<string> = new Set()
  /** The matrices that what is tried may have changed, by type; found out when they are asked for. */
  const tried = new Map<string, { readonly drawing: Drawing; readonly compared: Compared }>()

  /** The matrix before anything is tried; found out once. */
  const before = (type: string): Drawing => found(drawings, type, () => draw(base, type))

  function after(type: string): { readonly drawing: Drawing; readonly compared: Compared } {
    return found(tried, type, () => {
      // Of those whose claims are as they were, nothing is otherwise where the rules and records are as they were.
      const like =
        trial.records.length + trial.off.length > 0
          ? undefined
          : { of: before(type), except: new Set(trial.people.map(({ name }) => name)) }
      const drawing = draw(ground, type, like)
      return { drawing, compared: compare(before(type), drawing) }
    })
  }

  /** What is otherwise than it was when the page was opened; undefined where there was no such type. */
  function drift(type: string): Compared | undefined {
    if (since === undefined || !Object.hasOwn(since.model.types, type)) return undefined
    return found(drifts, type, () => {
      const was = found(sinceDrawings, type, () => draw(since, type)) as Drawing
      return compare(was, before(type))
    })
  }

  const deciding = (type: string): Deciding => found(decidings, type, () => decidingOf(ground, type, ground))

  function standings(type: string): Standings {
    return { names: Object.keys(typeModel(ground.model, type).standings), bits: deciding(type).standings() }
  }

  function standingTowards(type: string, key: Key): Told['standings'] {
    const { names, bits } = standings(type)
    const row = ground.keys(type).indexOf(key)
    return Object.keys(ground.people).flatMap((person, at) => {
      const is = names.filter((_, bit) => ((bits[at]?.[row] ?? 0) >> bit) & 1)
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

    /** Tries changes in place of those before; gives who gains and who loses what by them, and the matrix of the type that is looked at. */
    try(next: Trial, looking: string): { readonly differences: Differences; readonly shown: Shown } {
      const text = JSON.stringify(next)
      if (text !== trialText) {
        ground = changed(base, next)
        trialText = text
        trial = next
        tried.clear()
        decidings.clear()
      }
      // Where there are no records, nobody gains or loses any.
      const some = affected(model, next).filter((type) => (base.records[type] ?? []).length + (ground.records[type] ?? []).length > 0)
      affects = new Set(isNothing(next) ? [] : some)
      const differences = together([...affects].map((type) => after(type).compared))
      return { differences, shown: this.matrix(looking) }
    },

    matrix(type: string): Shown {
      if (affects.has(type)) {
        const { drawing, compared } = after(type)
        return { drawn: drawing.drawn, changes: compared.changes }
      }
      return { drawn: before(type).drawn, changes: isNothing(trial) ? drift(type)?.changes : undefined }
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

    /** The expectations that hold, and would not under what is tried. Gives up where something else is tried meanwhile. */
    async failing(): Promise<readonly { readonly title: string; readonly problems: readonly string[] }[]> {
      const mine = ground
      const lost: { title: string; problems: readonly string[] }[] = []
      let begun = Date.now()
      for (const one of project.expectations ?? []) {
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

function found<V>(known: Map<string, V>, name: string, make: () => V): V {
  if (!known.has(name)) known.set(name, make())
  return known.get(name) as V
}

/** An expectation as it was before it was written as JSON. */
function revived(expectation: Expectation): Expectation {
  return expectation.at === undefined ? expectation : { ...expectation, at: new Date(expectation.at) }
}
