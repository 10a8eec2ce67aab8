// The page's questions about the rules. This runs in a worker, but does not depend on it.
import { type ConditionNode, describe, type Row } from 'pachter/internal/condition'
import {
  type Bits,
  type Deciding,
  decidingBy,
  type Expectation,
  each,
  type Ground,
  has,
  judgeExpectation,
  openProject,
  type Project,
  type Workings,
  workingsOf,
} from 'pachter/internal/review'
import { isKeyField, type Key, keyOf, typeModel } from 'pachter/internal/rulebook'
import { grantsIn } from 'pachter/internal/viewpoint'
import { isNothing, NOTHING } from '../trial.js'
import { Befores, found, situationOf, type Tried } from './before.js'
import { type Compared, compare, together } from './differences.js'
import { type Drawing, draw } from './drawing.js'
import { formOf, recordFrom } from './forms.js'
import { peopleWith } from './people.js'
import { placesIn, tell } from './telling.js'
import { affected, changed } from './trying.js'
import type { Differences, FormField, GrantShown, Listed, PeopleFound, RuleShown, Shown, Standings, Told, Trial } from './types.js'

type Places = ReturnType<typeof placesIn>

/** Opens a project for questions. `since` is its previous version, to report what changed. */
export const engineOf = (project: Project & About, since?: Ground): Engine => engineOn(openProject(project), project, since)

/** The same for a project that is already open. */
export const engineOn = (base: Ground, about: About, since?: Ground): Engine => new Engine(base, about, since)

type About = Pick<Project, 'title' | 'now' | 'places' | 'canSave' | 'everyone'> & {
  /** What the records are an example of, if they are not the project's own. */
  readonly example?: string
}

/** Answers the page's questions about the rules, with and without the trial. */
export class Engine {
  readonly #about: About
  readonly #since: Ground | undefined
  readonly #places: Places
  readonly #before: Befores
  readonly #drifts = new Map<string, Compared | undefined>()
  readonly #decidings = new Map<string, Deciding>()
  /** The matrices that the trial may have changed, by type, computed on request. */
  readonly #tried = new Map<string, Tried>()
  #trial = NOTHING
  #trialText = JSON.stringify(NOTHING)
  #workings: Workings
  #affects: ReadonlySet<string> = new Set()
  /** The state without a trial. */
  readonly ground: Ground
  #ground: Ground

  constructor(base: Ground, about: About, since: Ground | undefined) {
    this.ground = base
    this.#ground = base
    this.#about = about
    this.#since = since
    this.#places = placesIn(base.model, about)
    this.#before = new Befores(base)
    this.#workings = this.#before.workings
  }

  /** The record types with their numbers of records, and the people. */
  about() {
    const { title, now, canSave, example } = this.#about
    const { model, people, records } = this.ground
    return {
      title,
      now,
      canSave: canSave === true,
      example,
      people: Object.keys(people),
      /** The record type of all people, if they can be searched. */
      everyone: this.#about.everyone?.type,
      types: Object.values(model.types).map(({ name, keys }) => ({ name, keys, count: (records[name] ?? []).length })),
    }
  }

  /**
   * Replaces the trial. Returns who gains and loses by it, and the matrix of the displayed type. If it is not valid, there is no trial.
   * @throws ClaimsError, UnknownNameError
   */
  try(next: Trial, looking: string): { readonly differences: Differences; readonly shown: Shown } {
    const text = JSON.stringify(next)
    try {
      if (text !== this.#trialText) this.#begin(next, text)
      return { differences: together([...this.#affects].map((type) => this.#after(type).compared)), shown: this.matrix(looking) }
    } catch (error) {
      this.#begin(NOTHING, '')
      throw error
    }
  }

  matrix(type: string): Shown {
    if (this.#affects.has(type)) {
      const { drawing, compared } = this.#after(type)
      return { drawn: drawing.drawn, changes: compared.changes }
    }
    return { drawn: this.#before.drawing(type).drawn, changes: isNothing(this.#trial) ? this.#drift(type)?.changes : undefined }
  }

  /** Runs a trial that changes nothing, so that caches are filled before the first real one. */
  rehearse(type: string): void {
    const [row] = (this.ground.records[type] ?? []) as readonly Row[]
    if (row === undefined) return
    const key = keyOf(typeModel(this.ground.model, type), row)
    const next: Trial = { ...NOTHING, records: [{ type, key, record: { ...row } }] }
    const ground = changed(this.ground, next)
    this.#before.under(type, next, ground, this.#before.workingsUnder(next, ground))
  }

  /** What changed since the page was opened; undefined if nothing did. */
  drift(): Differences | undefined {
    if (this.#since === undefined) return undefined
    return together(Object.keys(this.ground.model.types).flatMap((type) => this.#drift(type) ?? []))
  }

  why(type: string, person: string, key: Key, action: string): Told {
    return { ...tell(this.#ground, this.#places, { type, person, key, action }), standings: this.#standingTowards(type, key) }
  }

  /** The rules of a type, and where each applies. */
  rules(type: string): readonly RuleShown[] {
    return this.#deciding(type).rules.map((rule) => ({ ...rule, place: this.#placeOf(type, rule) }))
  }

  /** Privileges and routines, which belong to no record, and who has them with the trial. */
  grants(): readonly GrantShown[] {
    const { model } = this.ground
    const { people, viewpoint } = this.#ground
    return grantsIn(model).map(({ kind, name }) => ({
      kind,
      name,
      meaning: describe((kind === 'privilege' ? model.privileges : model.routines)[name] as ConditionNode),
      people: Object.keys(people).filter((person) => viewpoint(person).whyGranted(kind, name).has),
    }))
  }

  /** Where one of the rules applies, by person and record. */
  marks(type: string, rule: number): readonly Uint8Array[] {
    return this.#deciding(type).marks(rule)
  }

  standings(type: string): Standings {
    const { access, rows } = this.#current(type)
    const bits = access.map(({ standing }) => {
      const found = new Uint32Array(rows.length)
      for (const [number, set] of standing.entries())
        each(set, (row) => {
          found[row] = (found[row] as number) | (1 << number)
        })
      return found
    })
    return { names: Object.keys(typeModel(this.ground.model, type).standings), bits }
  }

  /** A person's list; `system` for all records. */
  list(type: string, person: string): Listed {
    return listOf(this.#ground, type, person)
  }

  /** The expectations that hold now and would fail with the trial. Stops if the trial changes. */
  async failing(written: readonly Expectation[]): Promise<readonly { readonly title: string; readonly problems: readonly string[] }[]> {
    const mine = this.#ground
    const lost: { title: string; problems: readonly string[] }[] = []
    let begun = Date.now()
    for (const one of written) {
      if ('type' in one && !this.#affects.has(one.type) && one.kind !== 'try') continue
      const expectation = revived(one)
      const { held, title, problems } = await judgeExpectation(mine, expectation)
      if (!held && (await judgeExpectation(this.ground, expectation)).held) lost.push({ title, problems })
      if (Date.now() - begun <= 30) continue
      // Let other questions be answered in between.
      await new Promise((resolve) => setTimeout(resolve))
      if (this.#ground !== mine) return []
      begun = Date.now()
    }
    return lost
  }

  /** Which of some cells exist without the trial, and so can be saved. */
  areThere(cells: readonly { readonly type: string; readonly person: string; readonly key?: Key | undefined }[]): readonly boolean[] {
    const { people, record } = this.ground
    return cells.map(({ type, person, key }) => Object.hasOwn(people, person) && key !== undefined && record(type, key) !== undefined)
  }

  form(type: string, key?: Key): readonly FormField[] {
    return formOf(this.#ground, type, key)
  }

  /** A record from a form. @throws TextError where a text is none of its field. */
  record(type: string, texts: { readonly [name: string]: string | undefined }): Row {
    return recordFrom(this.ground.model, type, texts)
  }

  /** All people of the records with this text in a field, without regard to case: the first few, and how many there are. */
  peopleWith(text: string): PeopleFound {
    return peopleWith(this.ground, this.#about.everyone, text)
  }

  /** A person's claims as JSON. */
  claims(person: string): string {
    return JSON.stringify(this.#ground.people[person] ?? {}, null, 1)
  }

  #begin(next: Trial, text: string): void {
    this.#ground = changed(this.ground, next)
    this.#workings = this.#before.workingsUnder(next, this.#ground)
    this.#trial = next
    this.#trialText = text
    this.#tried.clear()
    this.#decidings.clear()
    // Without records, nobody can gain or lose any through others. Rules and claims can still change who may create them.
    const hasRecords = (type: string) => [this.ground, this.#ground].some(({ records }) => (records[type] ?? []).length > 0)
    const some = affected(this.ground.model, next).filter((type) => next.off.length + next.people.length > 0 || hasRecords(type))
    this.#affects = new Set(isNothing(next) ? [] : some)
  }

  #after(type: string): Tried {
    return found(this.#tried, type, () => this.#before.under(type, this.#trial, this.#ground, this.#workings))
  }

  #current(type: string): Drawing {
    return this.#affects.has(type) ? this.#after(type).drawing : this.#before.drawing(type)
  }

  /** What changed since the page was opened; undefined if the type did not exist. */
  #drift(type: string): Compared | undefined {
    const since = this.#since
    if (since === undefined || !Object.hasOwn(since.model.types, type)) return undefined
    return found(this.#drifts, type, () => compare(draw(workingsOf(situationOf(since)), type), this.#before.drawing(type)))
  }

  #deciding(type: string): Deciding {
    return found(this.#decidings, type, () => decidingBy(this.#workings, type))
  }

  #placeOf(type: string, { kind, actions, title }: Deciding['rules'][number]): RuleShown['place'] {
    if (kind === 'clause') return this.#places.clause(type, actions[0] as string, title)
    return kind === 'veto' ? this.#places.veto(type, title) : null
  }

  #standingTowards(type: string, key: Key): Told['standings'] {
    const { access, drawn } = this.#current(type)
    const names = Object.keys(typeModel(this.ground.model, type).standings)
    const row = drawn.keys.indexOf(key)
    return drawn.people.flatMap((person, at) => {
      const is = names.filter((_, number) => has(access[at]?.standing[number] as Bits, row))
      return is.length === 0 ? [] : [{ person, is }]
    })
  }
}

function listOf({ model, records, viewpoint }: Ground, type: string, person: string): Listed {
  const known = typeModel(model, type)
  const all = (records[type] ?? []) as readonly Row[]
  const fields = Object.keys(known.fields)
  if (person === 'system') return { fields, of: all.length, rows: all.map((row) => ({ key: keyOf(known, row), values: row, hidden: [] })) }
  const others = fields.filter((name) => !isKeyField(known, name))
  const view = viewpoint(person)
  const rows = view.filter(type, all).map((row) => {
    const verdict = view.verdict('read', type, row)
    const hidden = others.filter((name) => verdict.fields !== undefined && !verdict.fields.includes(name))
    const values = Object.fromEntries(Object.entries(row as Row).filter(([name]) => !hidden.includes(name)))
    return { key: keyOf(known, row as Row), values, hidden }
  })
  return { fields, of: all.length, rows }
}

/** Restores an expectation from its JSON form. */
function revived(expectation: Expectation): Expectation {
  return expectation.at === undefined ? expectation : { ...expectation, at: new Date(expectation.at) }
}
