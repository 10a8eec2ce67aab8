import { allOfNode, anyOfNode, type ConditionNode, notNode, TRUE } from '../../condition/index.js'
import { type TypeModel, UnknownNameError } from '../../rulebook/index.js'
import type { Asker } from '../asker-types.js'
import { QueryError } from '../errors.js'

/** Which standings the asker has to have on a record of a list, and which not. */
export interface StandingFilter {
  readonly has?: readonly string[]
  readonly hasNone: readonly string[]
}

/** Reads the options `standing` and `withoutStanding`. @throws QueryError, UnknownNameError */
export function readStandings(
  type: TypeModel,
  options: { readonly standing?: unknown; readonly withoutStanding?: unknown },
): StandingFilter {
  const { standing, withoutStanding } = options
  return {
    ...(standing === undefined ? {} : { has: namesIn(type, 'standing', standing) }),
    hasNone: withoutStanding === undefined ? [] : namesIn(type, 'withoutStanding', withoutStanding),
  }
}

function namesIn(type: TypeModel, option: string, given: unknown): readonly string[] {
  const names: readonly unknown[] = Array.isArray(given) ? given : [given]
  for (const name of names) {
    if (typeof name !== 'string') throw new QueryError(type.name, `${option} needs the name of a standing, or a list of names`)
    if (!Object.hasOwn(type.standings, name)) throw new UnknownNameError('standing', name, Object.keys(type.standings), type.name)
  }
  return names as readonly string[]
}

/** The standings of a filter as a condition. No names allow no records. @throws QueryError as the system, which has no standings */
export function standingWhere({ viewpoint }: Asker, type: TypeModel, { has, hasNone }: StandingFilter): ConditionNode {
  if (has === undefined && hasNone.length === 0) return TRUE
  if (viewpoint === undefined) throw new QueryError(type.name, 'the system has no standings: ask as a person')
  const all = new Map(viewpoint.standings(type.name).map(({ name, when }) => [name, when]))
  const of = (names: readonly string[]) => anyOfNode(names.map((name) => all.get(name) as ConditionNode))
  return allOfNode([...(has === undefined ? [] : [of(has)]), ...hasNone.map((name) => notNode(all.get(name) as ConditionNode))])
}
