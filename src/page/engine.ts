// What the page asks of the rules. It works off the page's own thread; nothing here knows that.
import { instant, type Row } from '../condition/index.js'
import { type ClauseLine, clauseLines } from '../review/clause-lines.js'
import { type Failing, failings } from '../review/failings.js'
import { type Ground, groundOf } from '../review/ground.js'
import { accessMatrix } from '../review/matrix.js'
import { typesNeeded } from '../review/needed.js'
import { openProject, type Project } from '../review/project.js'
import type { IndexCache } from '../review/sets.js'
import type { SourcePlace } from '../review/source.js'
import { type Field, type Key, type Model, typeModel } from '../rulebook/index.js'
import { TextError, valueFromText } from '../store/from-text.js'

/** An access matrix as the page draws it. */
export interface Drawn {
  readonly type: string
  readonly people: readonly string[]
  readonly keys: readonly Key[]
  /** What each record is called: a text of its own, or nothing. */
  readonly labels: readonly string[]
  /** The actions that are done to a stored record; the first is `read`. */
  readonly actions: readonly string[]
  /** For each person, for each record: a bit for each action, in their order. */
  readonly cells: readonly Uint16Array[]
  /** For each person, for each record: 1 where some fields only are read. */
  readonly partly: readonly Uint8Array[]
  /** What the cells were before the changes that are tried, where any are. */
  readonly was?: readonly Uint16Array[]
  readonly creates: readonly ('always' | 'never' | 'depending')[]
  /** Records to which nobody has any standing. */
  readonly unreached: readonly Key[]
}

/** Why somebody may or may not do something, as the page tells it. */
export interface Told {
  readonly allowed: boolean
  readonly outcome: string
  readonly saying?: string | undefined
  readonly fields?: readonly string[] | undefined
  /** The action whose clauses decided. */
  readonly decidedBy: string
  readonly withheld: readonly {
    readonly kind: string
    readonly title: string
    readonly lines: readonly ClauseLine[]
    readonly place: SourcePlace | null
  }[]
  readonly clause?: {
    readonly title: string
    readonly holds: boolean
    readonly lines: readonly ClauseLine[]
    readonly place: SourcePlace | null
    /** What would have to be otherwise for it to hold. */
    readonly failing: readonly Failing[]
  }
  readonly others: readonly { readonly title: string; readonly holds: boolean; readonly place: SourcePlace | null }[]
}

/** A person's list of a type: the records that they see, each with what they see of it. */
export interface Listed {
  readonly fields: readonly string[]
  readonly rows: readonly { readonly key: Key; readonly values: Row; readonly hidden: readonly string[] }[]
  /** How many there are for the system. */
  readonly of: number
}

/** What is tried, and written nowhere. */
export interface Trial {
  /** Records as they would be; null for one that would be gone. */
  readonly records: readonly { readonly type: string; readonly key: Key; readonly record: Row | null }[]
  /** Claims as they would be; somebody new among them. */
  readonly people: readonly { readonly name: string; readonly claims: Row }[]
  /** Clauses and vetoes that would not be there. */
  readonly off: readonly { readonly type: string; readonly title: string }[]
}

/** Something that somebody may do under what is tried and may not otherwise, or the other way about. */
export interface Difference {
  readonly type: string
  readonly person: string
  readonly key: Key
  readonly action: string
  readonly gained: boolean
}

/** A field of a form: its value as text, as `--set` takes it on the command line. */
export interface FormField {
  readonly name: string
  readonly text: string
  /** There is no value. */
  readonly isMissing: boolean
  readonly field: Field
}

export type Engine = ReturnType<typeof engineOf>

/** Opens a project for questions. */
export function engineOf(project: Project) {
  const base = openProject(project)
  const drawnOf = new Map<string, Drawn>()
  let ground = base
  /** The matrices that what is tried may have changed, by type; found out when they are asked for. */
  let triedOf = new Map<string, Drawn | undefined>()
  const { model } = base
  const placeOf = (type: string, action: string, title: string): SourcePlace | null => {
    const at = (model.types[type]?.rules?.may[action] ?? []).findIndex((clause) => clause.title === title)
    return project.places[type]?.may[action]?.[at] ?? null
  }
  const vetoPlace = (type: string, title: string): SourcePlace | null => {
    const at = (model.types[type]?.rules?.vetoes ?? []).findIndex((veto) => veto.title === title)
    return project.places[type]?.vetoes[at] ?? null
  }
  /** The matrix before anything is tried; found out once. */
  const before = (type: string): Drawn => {
    const found = drawnOf.get(type) ?? drawn(base, type)
    drawnOf.set(type, found)
    return found
  }

  const after = (type: string): Drawn => {
    if (!triedOf.has(type)) return before(type)
    const found = triedOf.get(type) ?? drawn(ground, type)
    triedOf.set(type, found)
    return found
  }

  return {
    /** What there is: record types with how many records each, and the people. */
    about: () => ({
      title: project.title,
      now: project.now,
      canKeep: project.canKeep === true,
      people: Object.keys(ground.people),
      types: Object.values(model.types).map(({ name, key }) => ({ name, key, count: (base.records[name] ?? []).length })),
    }),

    /** Tries changes in place of those before; gives who gains and who loses what by them. */
    try(trial: Trial): readonly Difference[] {
      ground = changed(base, trial)
      // Where there are no records, nobody gains or loses any.
      const some = affected(model, trial).filter((type) => (base.records[type] ?? []).length + (ground.records[type] ?? []).length > 0)
      triedOf = new Map(some.map((type) => [type, undefined]))
      return [...triedOf.keys()].flatMap((type) => differences(before(type), after(type)))
    },

    matrix(type: string): Drawn {
      const now = after(type)
      return triedOf.has(type) ? { ...now, was: aligned(before(type), now) } : now
    },

    why(type: string, person: string, key: Key, action: string): Told {
      const record = ground.record(type, key) as Row
      const { verdict, decidedBy, clause, clauses, withheldBy } = ground.viewpoint(person).why(action as never, type, record)
      const wording = { record: `the ${type}`, person: person === 'visitor' ? "the visitor's" : `${person}'s` }
      return {
        allowed: verdict.allowed,
        outcome: verdict.outcome,
        saying: verdict.saying,
        fields: verdict.fields,
        decidedBy,
        withheld: withheldBy.map(({ kind, title, trace }) => ({
          kind,
          title,
          lines: clauseLines({ title, holds: trace.holds, trace }, wording).flat(),
          place: kind === 'veto' ? vetoPlace(type, title) : null,
        })),
        ...(clause
          ? {
              clause: {
                title: clause.title,
                holds: clause.holds,
                lines: clauseLines(clause, wording).flat(),
                failing: failings(clause.trace, wording),
                place: placeOf(type, decidedBy, clause.title),
              },
            }
          : {}),
        others: clauses
          .filter((other) => other !== clause)
          .map(({ title, holds }) => ({ title, holds, place: placeOf(type, decidedBy, title) })),
      }
    },

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

    /** A record as a form has it; without a key, one to begin with: like the first there is, under a key of its own. */
    form(type: string, key?: Key): readonly FormField[] {
      const { fields, key: keyField } = typeModel(model, type)
      const rows = (ground.records[type] ?? []) as readonly Row[]
      const record = key === undefined ? { ...rows[0], [keyField]: unusedKey(rows, keyField) } : (ground.record(type, key) as Row)
      return Object.entries(fields).map(([name, field]) => {
        const value = (record as Row)[name]
        return { name, field, isMissing: value === undefined, text: value === undefined ? '' : textFor(value) }
      })
    },

    /** A record from a form. @throws TextError where a text is none of its field. */
    record(type: string, texts: { readonly [name: string]: string | undefined }): Row {
      const { fields } = typeModel(model, type)
      const given = Object.entries(texts).flatMap(([name, text]) => {
        if (text === undefined) return []
        const field = fields[name] as Field
        const value = valueFromText(field, text, name)
        if (field.type === 'time' && !field.list && value !== null && instant(value) === undefined)
          throw new TextError(name, `an instant is needed, as in 2026-06-15T09:00:00Z, not ${JSON.stringify(text)}`)
        return [[name, value] as const]
      })
      return Object.fromEntries(given)
    },

    /** A person's claims as JSON. */
    claims: (person: string): string => JSON.stringify(ground.people[person] ?? {}, null, 1),
  }
}

/** The record types on which somebody may come to do more or less by what is tried. */
function affected(model: Model, { records, people, off }: Trial): string[] {
  const touched = new Set(records.map(({ type }) => type))
  return Object.keys(model.types).filter(
    (type) => people.length > 0 || off.some((rule) => rule.type === type) || typesNeeded(model, type).some((needed) => touched.has(needed)),
  )
}

/** The rules, people and records as they would be. @throws ClaimsError, UnknownNameError */
function changed(base: Ground, { records, people, off }: Trial): Ground {
  if (records.length + people.length + off.length === 0) return base
  const model = off.reduce((left, { type, title }) => left.without(type as never, title), base.book).model
  const next: Record<string, readonly object[]> = { ...(base.records as Record<string, readonly object[]>) }
  for (const { type, key, record } of records) {
    const { key: keyField } = typeModel(model, type)
    const rows = next[type] ?? []
    const at = rows.findIndex((row) => (row as Row)[keyField] === key)
    next[type] =
      record === null
        ? rows.filter((_, one) => one !== at)
        : at < 0
          ? [...rows, record]
          : rows.map((row, one) => (one === at ? record : row))
  }
  const claims = Object.fromEntries(people.map(({ name, claims: given }) => [name, given]))
  // Whoever is new comes before those who are always there.
  const { unknown, visitor, ...others } = { ...base.people, ...claims }
  const all = { ...others, ...(unknown === undefined ? {} : { unknown }), visitor: visitor ?? null }
  return groundOf({ model }, { people: all, records: next, now: base.now })
}

// What is tried leaves most lists of records as they are.
const indexes: IndexCache = new WeakMap()

function drawn({ model, people, records, now }: Ground, type: string): Drawn {
  const matrix = accessMatrix({ model }, type, { people, records, now, indexes })
  const { keys, actions } = matrix
  return {
    type,
    people: matrix.people,
    keys,
    labels: labelsOf((records[type] ?? []) as readonly Row[], typeModel(model, type).key),
    actions,
    cells: matrix.people.map((person) => {
      const mine = new Uint16Array(keys.length)
      for (const [bit, action] of actions.entries())
        matrix.eachReached(person, action, (at) => {
          mine[at] = (mine[at] as number) | (1 << bit)
        })
      return mine
    }),
    partly: matrix.people.map((person) => {
      const mine = new Uint8Array(keys.length)
      matrix.eachPartly(person, (at) => {
        mine[at] = 1
      })
      return mine
    }),
    creates: matrix.people.map((person) => matrix.creates(person)),
    unreached: matrix.unreached,
  }
}

/** What the cells of a matrix were, in the places that they have now; nothing for who and what was not there. */
function aligned(was: Drawn, now: Drawn): Uint16Array[] {
  const inPlace = was.keys.length === now.keys.length && was.keys.every((key, at) => key === now.keys[at])
  const placeOf = new Map(was.keys.map((key, at) => [key, at]))
  return now.people.map((person) => {
    const old = was.cells[was.people.indexOf(person)]
    if (old === undefined) return new Uint16Array(now.keys.length)
    return inPlace ? old : Uint16Array.from(now.keys, (key) => old[placeOf.get(key) ?? -1] ?? 0)
  })
}

function differences(was: Drawn, now: Drawn): Difference[] {
  const found: Difference[] = []
  const note = (person: string, key: Key, bits: number, gained: boolean) => {
    for (const [bit, action] of now.actions.entries()) if (bits & (1 << bit)) found.push({ type: now.type, person, key, action, gained })
  }
  const before = aligned(was, now)
  for (const [at, person] of now.people.entries()) {
    // Of somebody new, all is gained.
    const [old, mine] = [before[at] as Uint16Array, now.cells[at] as Uint16Array]
    for (let row = 0; row < mine.length; row++) {
      const [a, b] = [old[row] as number, mine[row] as number]
      if (a === b) continue
      note(person, now.keys[row] as Key, b & ~a, true)
      note(person, now.keys[row] as Key, a & ~b, false)
    }
  }
  if (was.keys.length <= now.keys.length) return found
  const left = new Set(now.keys)
  for (const [row, key] of was.keys.entries())
    if (!left.has(key)) for (const [at, person] of was.people.entries()) note(person, key, was.cells[at]?.[row] ?? 0, false)
  return found
}

/** A value as text, as it is read again. */
function textFor(value: unknown): string {
  if (value === null) return 'null'
  if (Array.isArray(value))
    return value.every((one) => typeof one === 'string' && !/[,[]/.test(one)) ? value.join(', ') : JSON.stringify(value)
  return typeof value === 'object' ? JSON.stringify(value) : String(value)
}

function unusedKey(rows: readonly Row[], keyField: string): Key {
  const keys = new Set(rows.map((row) => row[keyField]))
  if (typeof rows[0]?.[keyField] === 'number') return Math.max(...[...keys].map(Number)) + 1
  for (let number = 1; ; number++) if (!keys.has(`new-${number}`)) return `new-${number}`
}

/** The field by which a record is best told apart from others: the first whose text differs in most of them. */
function labelsOf(rows: readonly Row[], key: string): string[] {
  const sample = rows.slice(0, 200)
  const names = [...new Set(sample.flatMap((row) => Object.keys(row)))].filter((name) => name !== key && !/Id$|Ids$|At$/.test(name))
  const kinds = (name: string) =>
    new Set(sample.map((row) => row[name]).filter((value) => typeof value === 'string' || typeof value === 'number')).size
  const best = names.find((name) => sample.length > 0 && kinds(name) > sample.length * 0.6)
  return rows.map((row) => (best === undefined || row[best] === undefined ? '' : String(row[best])))
}
