import {
  type Checked,
  type Condition,
  type Definition,
  type GateWords,
  type Joined,
  type LimitedIn,
  type LimitsReading,
  type Model,
  type Names,
  type Out,
  type RecordDefinitions,
  type RecordTerms,
  type RoleName,
  type RulesBy,
  type RulesFor,
  readDefinition,
  type Shape,
  type StandingsBy,
  type TimesOf,
  type TypeName,
  type Words,
  type World,
  withGate,
  withPrivileges,
  withRules,
  withStandings,
} from '../rulebook/index.js'
import { readClaims } from './claims.js'
import { type Clock, type Viewpoint, viewpointOf } from './viewpoint.js'

// The world that a method leads to is written out each time: a named type for it would stand in the compiler's messages, in
// place of the fields and standings that they should show.

/** The whole set of rules: an immutable value. Every method returns a new rulebook or an answer. */
export interface Rulebook<W extends World = World> {
  /**
   * Names conditions that tie a person to a record of a type. May be called again.
   *
   * @example
   * book.standings({ plot: (plot, { me }) => ({ holder: plot.holderId.is(me.id) }) })
   */
  standings<N extends { [K in keyof N]: { readonly [name: string]: Condition } }>(
    standings: StandingsBy<N, W>,
  ): Rulebook<{
    readonly rows: W['rows']
    readonly times: W['times']
    readonly keys: W['keys']
    readonly me: W['me']
    readonly role: W['role']
    readonly standings: Joined<W['standings'], Names<N>>
    readonly privilege: W['privilege']
    readonly limited: W['limited']
  }>

  /**
   * Says which clauses let each action happen, per record type. Closed by default: what no clause lets, is refused.
   *
   * @example
   * book.rules({ plot: (plot, { standing: { holder } }) => ({ may: { read: [holder], update: [holder] } }) })
   */
  rules<O>(rules: RulesBy<O, W>): Rulebook<{
    readonly rows: W['rows']
    readonly times: W['times']
    readonly keys: W['keys']
    readonly me: W['me']
    readonly role: W['role']
    readonly standings: W['standings']
    readonly privilege: W['privilege']
    readonly limited: W['limited'] | LimitedIn<O>
  }>

  /**
   * What must hold of the person before any clause of any record type counts. Called again, all of the gates must be passed.
   *
   * @example
   * book.gate(({ me, signedIn }) => signedIn.and(me.banned.is(false)))
   */
  gate(gate: (words: GateWords<W>) => Condition): Rulebook<W>

  /**
   * Names permissions that belong to no record: to open a page, to start something. Any of the conditions grants it, and
   * the rulebook's gate must be passed as well.
   *
   * @example
   * book.privileges({ openLedger: ({ role }) => [role('treasurer')] })
   */
  privileges<P extends { readonly [name: string]: unknown }>(
    privileges: { readonly [N in keyof P]: (words: GateWords<W>) => readonly Condition[] },
  ): Rulebook<{
    readonly rows: W['rows']
    readonly times: W['times']
    readonly keys: W['keys']
    readonly me: W['me']
    readonly role: W['role']
    readonly standings: W['standings']
    readonly privilege: W['privilege'] | (keyof P & string)
    readonly limited: W['limited']
  }>

  /** The rules of one record type, to keep in a file of their own and hand to `rules`. */
  rulesOf<K extends TypeName<W>, O>(
    type: K,
    rules: (record: RecordTerms<K, W>, words: Words<K, W>) => Checked<O, W['rows'][K], W['times'][K]>,
  ): RulesFor<K, LimitsReading<O>>

  /**
   * Specialises the rulebook for one person, by their claims; null and undefined are a visitor.
   * @throws ClaimsError `BAD_CLAIMS` where the claims do not fit the shape of `me`.
   */
  for(me: W['me'] | null | undefined, options?: { readonly now?: Clock }): Viewpoint<W>

  /** What is probably a mistake in the rules, yet could be meant. Show these to the author. */
  readonly warnings: readonly string[]

  /** The rulebook as plain frozen data. */
  readonly model: Model
}

/**
 * Begins a rulebook: who asks, and which record types there are.
 *
 * @example
 * const book = rulebook({
 *   me: { shape: z.object({ id: z.string(), roles: z.array(z.enum(['warden'])) }), key: 'id' },
 *   records: { plot: { shape: Plot, key: 'id' } },
 * })
 * @throws RulebookError `BAD_RULEBOOK` where a shape cannot be read or a name means nothing.
 */
export function rulebook<const R extends RecordDefinitions, S extends Shape, const Role extends string = RoleName<Out<S>>>(
  definition: Definition<R, S, Role>,
): Rulebook<{
  readonly rows: { readonly [K in keyof R]: Out<R[K]['shape']> }
  readonly times: { readonly [K in keyof R]: TimesOf<R[K]> }
  readonly keys: { readonly [K in keyof R]: R[K]['key'] }
  readonly me: Out<S>
  readonly role: Role
  readonly standings: {}
  readonly privilege: never
  readonly limited: never
}> {
  return toRulebook(readDefinition(definition)) as never
}

function toRulebook(model: Model): Rulebook {
  return Object.freeze({
    model,
    warnings: model.warnings,
    standings: (standings: unknown) => toRulebook(withStandings(model, standings)),
    privileges: (privileges: unknown) => toRulebook(withPrivileges(model, privileges)),
    gate: (gate: unknown) => toRulebook(withGate(model, gate)),
    rules: (rules: unknown) => toRulebook(withRules(model, rules)),
    rulesOf(type: string, rules: (...words: unknown[]) => unknown) {
      const tied = (...words: unknown[]) => rules(...words)
      return Object.assign(tied, { type })
    },
    for: (me: unknown, options?: { now?: Clock }) => viewpointOf(model, readClaims(model.me, me), options?.now),
  }) as never
}

/** The terms of a record type, for writing a condition that several rules share. */
export type TermsIn<B, K extends string> = B extends Rulebook<infer W> ? (K extends TypeName<W> ? RecordTerms<K, W> : never) : never
/** The claims as a rulebook's terms know them, for the same purpose. */
export type WorldOf<B> = B extends Rulebook<infer W extends World> ? W : never
