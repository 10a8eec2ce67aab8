// What the page asks of the rules. It works off the page's own thread; nothing here knows that.
import type { Row } from '../condition/index.js'
import { type ClauseLine, clauseLines } from '../review/clause-lines.js'
import { type Failing, failings } from '../review/failings.js'
import { accessMatrix } from '../review/matrix.js'
import { openProject, type Project } from '../review/project.js'
import type { SourcePlace } from '../review/source.js'
import { type Key, typeModel } from '../rulebook/index.js'

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

export type Engine = ReturnType<typeof engineOf>

/** Opens a project for questions. */
export function engineOf(project: Project) {
  const ground = openProject(project)
  const { model, records, people, now } = ground
  const placeOf = (type: string, action: string, title: string): SourcePlace | null => {
    const at = (model.types[type]?.rules?.may[action] ?? []).findIndex((clause) => clause.title === title)
    return project.places[type]?.may[action]?.[at] ?? null
  }
  const vetoPlace = (type: string, title: string): SourcePlace | null => {
    const at = (model.types[type]?.rules?.vetoes ?? []).findIndex((veto) => veto.title === title)
    return project.places[type]?.vetoes[at] ?? null
  }
  const fieldsOf = (type: string) => Object.keys(typeModel(model, type).fields)

  return {
    /** What there is: record types with how many records each, and the people. */
    about: () => ({
      title: project.title,
      now: project.now,
      people: Object.keys(people),
      types: Object.values(model.types).map(({ name }) => ({ name, count: (records[name] ?? []).length })),
    }),

    matrix(type: string): Drawn {
      const matrix = accessMatrix({ model }, type, { people, records, now })
      const { keys, actions } = matrix
      const numbers = new Map(keys.map((key, at) => [key, at]))
      const cells = matrix.people.map((person) => {
        const mine = new Uint16Array(keys.length)
        for (const [bit, action] of actions.entries())
          for (const key of matrix.reached(person, action))
            mine[numbers.get(key) as number] = (mine[numbers.get(key) as number] as number) | (1 << bit)
        return mine
      })
      return {
        type,
        people: matrix.people,
        keys,
        labels: labelsOf(records[type] as readonly Row[], typeModel(model, type).key),
        actions,
        cells,
        partly: matrix.people.map((person) => Uint8Array.from(keys, (key) => (matrix.isPartly(person, key) ? 1 : 0))),
        creates: matrix.people.map((person) => matrix.creates(person)),
        unreached: matrix.unreached,
      }
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
      const { key } = typeModel(model, type)
      const all = (records[type] ?? []) as readonly Row[]
      const fields = fieldsOf(type)
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
  }
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
