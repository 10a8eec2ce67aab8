import type { Row } from '../condition/index.js'
import { type Model, modelFromJson, modelToJson, type RulebookJson, schemaOf, shapeOf } from '../rulebook/index.js'
import type { Records } from '../store/index.js'
import { type Ground, groundOf } from './scenario.js'
import type { SourcePlace, SourcePlaces } from './source-places.js'

/** Rules, people and records as plain data: all that a review needs, anywhere. */
export interface Project {
  readonly 'pachter review': 1
  /** The name of the project: the path of its configuration file. */
  readonly title: string
  /** The time at which everything is judged, as RFC 3339 text. */
  readonly now: string
  readonly rulebook: RulebookJson
  /** The JSON Schema of each shape, without checks that JSON Schema cannot express. */
  readonly schemas: { readonly me: object; readonly records: { readonly [type: string]: object } }
  /** Claims by name; null is a visitor. */
  readonly people: { readonly [name: string]: Row | null }
  readonly records: { readonly [type: string]: readonly Row[] }
  /** The record type of all people, and what each of them would sign in with, by key; several for several tenants. */
  readonly everyone?: {
    readonly type: string
    readonly people: { readonly [key: string]: readonly { readonly name: string; readonly claims: Row }[] }
  }
  /** Whether expectations can be saved to the source. */
  readonly canSave?: boolean
  /** The source positions of clauses and vetoes, in the order of the rulebook; null if unknown. */
  readonly places: { readonly [type: string]: TypePlaces }
}

/** The source positions of a type's rules. */
export interface TypePlaces {
  readonly may: { readonly [action: string]: readonly (SourcePlace | null)[] }
  readonly vetoes: readonly (SourcePlace | null)[]
}

/** Creates the data for a page. */
export function projectOf(
  { model }: { readonly model: Model },
  given: Pick<Project, 'title' | 'people' | 'canSave' | 'everyone'> & {
    readonly records: Records
    readonly now: Date
    readonly places?: SourcePlaces | undefined
  },
): Project {
  const { title, people, everyone, records, now, places, canSave = false } = given
  const types = Object.values(model.types)
  return {
    'pachter review': 1,
    title,
    canSave,
    now: now.toISOString(),
    rulebook: modelToJson(model),
    schemas: { me: schemaOf(model.me.shape), records: Object.fromEntries(types.map(({ name, shape }) => [name, schemaOf(shape)])) },
    people,
    ...(everyone === undefined ? {} : { everyone }),
    records: Object.fromEntries(types.map(({ name }) => [name, (records[name] ?? []) as readonly Row[]])),
    places: Object.fromEntries(
      types.map(({ name, rules }) => [
        name,
        {
          may: Object.fromEntries(
            Object.entries(rules?.may ?? {}).map(([action, clauses]) => [
              action,
              clauses.map((_, at) => places?.clause(name, action, at) ?? null),
            ]),
          ),
          vetoes: (rules?.vetoes ?? []).map((_, at) => places?.veto(name, at) ?? null),
        },
      ]),
    ),
  }
}

/** Reads the data that `projectOf` created. @throws RulebookError, ConditionError, ClaimsError */
export function openProject({ rulebook, schemas, people, records, now }: Project): Ground {
  const shapes = Object.fromEntries(
    Object.entries(schemas.records).map(([name, schema]) => [name, shapeOf(schema as Record<string, unknown>)]),
  )
  const model = modelFromJson(rulebook, { me: shapeOf(schemas.me as Record<string, unknown>), records: shapes })
  return groundOf({ model }, { people, records, now: new Date(now) })
}
