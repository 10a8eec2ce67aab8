import type { Row } from '../condition/index.js'
import { type Model, modelFromJson, modelToJson, type RulebookJson, schemaOf, shapeOf } from '../rulebook/index.js'
import type { Records } from '../store/index.js'
import { type Ground, groundOf } from './scenario.js'
import type { SourcePlace, SourcePlaces } from './source-places.js'

/** Rules, people and records as plain data: all that it takes to look through people's eyes, anywhere. */
export interface Project {
  readonly 'pachter review': 1
  /** What it is about: the file of the configuration. */
  readonly title: string
  /** The instant at which everything is judged, as RFC 3339 text. */
  readonly now: string
  readonly rulebook: RulebookJson
  /** The JSON Schema of each shape: what the shapes check beyond it, stays behind. */
  readonly schemas: { readonly me: object; readonly records: { readonly [type: string]: object } }
  /** Claims by name; null is a visitor. */
  readonly people: { readonly [name: string]: Row | null }
  readonly records: { readonly [type: string]: readonly Row[] }
  /** Whether expectations can be saved where this came from. */
  readonly canSave?: boolean
  /** Where clauses and vetoes are in the source, in the order of the rulebook; null where that is not known. */
  readonly places: { readonly [type: string]: TypePlaces }
}

/** Where the rules of a type are. */
export interface TypePlaces {
  readonly may: { readonly [action: string]: readonly (SourcePlace | null)[] }
  readonly vetoes: readonly (SourcePlace | null)[]
}

/** Puts together what goes to a page. */
export function projectOf(
  { model }: { readonly model: Model },
  given: Pick<Project, 'title' | 'people' | 'canSave'> & {
    readonly records: Records
    readonly now: Date
    readonly places?: SourcePlaces | undefined
  },
): Project {
  const { title, people, records, now, places, canSave = false } = given
  const types = Object.values(model.types)
  return {
    'pachter review': 1,
    title,
    canSave,
    now: now.toISOString(),
    rulebook: modelToJson(model),
    schemas: { me: schemaOf(model.me.shape), records: Object.fromEntries(types.map(({ name, shape }) => [name, schemaOf(shape)])) },
    people,
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

/** Opens what `projectOf` put together. @throws RulebookError, ConditionError, ClaimsError */
export function openProject({ rulebook, schemas, people, records, now }: Project): Ground {
  const shapes = Object.fromEntries(
    Object.entries(schemas.records).map(([name, schema]) => [name, shapeOf(schema as Record<string, unknown>)]),
  )
  const model = modelFromJson(rulebook, { me: shapeOf(schemas.me as Record<string, unknown>), records: shapes })
  return groundOf({ model }, { people, records, now: new Date(now) })
}
