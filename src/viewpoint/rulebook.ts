import {
  type AcceptancesBy,
  type Action,
  type ActionsOf,
  type Checked,
  type Condition,
  type DaysOf,
  type Definition,
  type EveryRecordWords,
  type GateWords,
  type GeneratedIn,
  type Granted,
  type GrantGuarantees,
  type GrantWords,
  type GuaranteesBy,
  type Joined,
  type KeyFields,
  type LimitedIn,
  type LimitsReading,
  type Links,
  type LinksOf,
  type MeTerms,
  type Model,
  type Names,
  noteApart,
  noteWritten,
  type Out,
  type RecordDefinitions,
  type RecordTerms,
  type RoleName,
  type RulesBy,
  type RulesFor,
  readDefinition,
  type Shape,
  type StampedBy,
  type StampedIn,
  type StandingsBy,
  type StandingsFor,
  type StandingWords,
  type TimesOf,
  type TypeName,
  type Words,
  type World,
  warningsOf,
  withAcceptances,
  withEveryRecord,
  withGate,
  withGrant,
  withGrants,
  withGuarantees,
  withoutRule,
  withRules,
  withStandings,
} from '../rulebook/index.js'
import { readClaims } from './claims.js'
import { type LinkedRecords, linksOver, withMyLinks } from './linked.js'
import { type Clock, type Viewpoint, viewpointOf } from './viewpoint.js'

// The resulting world is written out in each method: a named type would appear in compiler messages instead of the fields and standings.

/** The whole set of rules: an immutable value. Methods that change rules return a new rulebook. */
export interface Rulebook<W extends World = World> {
  /**
   * Defines standings: named conditions that tie a person to a record. Can be called several times.
   *
   * @example
   * book.standings({ plot: (plot, { me }) => ({ holder: plot.holderId.is(me.id) }) })
   */
  standings<N extends { [K in keyof N]: { readonly [name: string]: Condition } }>(
    standings: StandingsBy<N, W>,
  ): Rulebook<{
    readonly rows: W['rows']
    readonly times: W['times']
    readonly days: W['days']
    readonly keys: W['keys']
    readonly links: W['links']
    readonly actions: W['actions']
    readonly me: W['me']
    readonly meLinks: W['meLinks']
    readonly role: W['role']
    readonly standings: Joined<W['standings'], Names<N>>
    readonly privilege: W['privilege']
    readonly routine: W['routine']
    readonly limited: W['limited']
    readonly stamped: W['stamped']
  }>

  /**
   * Defines the clauses of each action, per record type. An action without a clause is refused.
   *
   * @example
   * book.rules({ plot: (plot, { standing: { holder } }) => ({ may: { read: [holder], update: [holder] } }) })
   */
  rules<O>(rules: RulesBy<O, W>): Rulebook<{
    readonly rows: W['rows']
    readonly times: W['times']
    readonly days: W['days']
    readonly keys: W['keys']
    readonly links: W['links']
    readonly actions: W['actions']
    readonly me: W['me']
    readonly meLinks: W['meLinks']
    readonly role: W['role']
    readonly standings: W['standings']
    readonly privilege: W['privilege']
    readonly routine: W['routine']
    readonly limited: W['limited'] | LimitedIn<O>
    readonly stamped: W['stamped'] | StampedIn<O>
  }>

  /**
   * Says what must never be possible, for any person and any records: not only for those at hand. `pachter prove` proves each guarantee, or
   * shows an example that breaks it. Guarantees decide nothing themselves. Those of privileges and routines are the second argument.
   *
   * @example
   * book.guarantees({ plot: (plot, { role }) => [{ never: 'update', fields: ['rentDue'], unless: role('treasurer') }] })
   * @throws RulebookError
   */
  guarantees<G>(guarantees: GuaranteesBy<G, W>, ofGrants?: GrantGuarantees<W>): Rulebook<W>

  /**
   * Accepts what `pachter prove` finds of people who give themselves more by one permitted write: by the record type that they write, with the
   * standing or role of the writer, what they gain, and why that is right. It decides nothing, and new findings still fail.
   *
   * @example
   * book.accepts({ plot: [{ write: 'update', by: 'warden', gains: { read: 'invoice' }, because: 'Wardens answer for their plots.' }] })
   * @throws RulebookError
   */
  accepts(acceptances: AcceptancesBy<W>): Rulebook<W>

  /**
   * A condition on the person that has to hold before any clause of any record type counts. With several calls, all of them have to hold. It may
   * have its own message for the people that it refuses.
   *
   * @example
   * book.gate(({ me, signedIn }) => signedIn.and(me.banned.is(false)), { message: 'Your account is closed.' })
   */
  gate(gate: (words: GateWords<W>) => Condition, options?: { readonly message?: string }): Rulebook<W>

  /**
   * A condition on every record of every type: that it belongs to the tenant of the person, say. It has to hold before any clause counts,
   * for an update on the record as it is and as it becomes. Types that lack the fields are named in `except`; a forgotten one does not
   * compile, and is refused when the rulebook is built. With several calls, all of them have to hold.
   *
   * @example
   * book.everyRecord(({ record, me }) => record.schoolId.is(me.schoolId), { except: ['school'] })
   * @throws RulebookError `BAD_RULEBOOK` if a type that is not excepted lacks a field that the condition uses.
   */
  everyRecord<const E extends TypeName<W> = never>(
    condition: (words: EveryRecordWords<W, E>) => Condition,
    options?: { readonly except?: readonly E[]; readonly message?: string },
  ): Rulebook<W>

  /**
   * Defines permissions that belong to no record: to open a page, or to start a job. Any of the conditions grants it, if
   * the gate of the rulebook holds.
   *
   * @example
   * book.privileges({ openLedger: ({ role }) => [role('treasurer')] })
   */
  privileges<P extends { readonly [name: string]: unknown }>(
    privileges: { readonly [N in keyof P]: (words: GateWords<W>) => readonly Condition[] },
  ): Rulebook<{
    readonly rows: W['rows']
    readonly times: W['times']
    readonly days: W['days']
    readonly keys: W['keys']
    readonly links: W['links']
    readonly actions: W['actions']
    readonly me: W['me']
    readonly meLinks: W['meLinks']
    readonly role: W['role']
    readonly standings: W['standings']
    readonly privilege: W['privilege'] | (keyof P & string)
    readonly routine: W['routine']
    readonly limited: W['limited']
    readonly stamped: W['stamped']
  }>

  /**
   * Defines server procedures, and who may call them. Clauses with `.within('...')` apply inside them only, so call this
   * before `rules`. Any of the conditions allows the call, if the gate of the rulebook holds.
   *
   * @example
   * book.routines({ closeSeason: ({ role }) => [role('secretary')] })
   */
  routines<P extends { readonly [name: string]: unknown }>(
    routines: { readonly [N in keyof P]: (words: GateWords<W>) => readonly Condition[] },
  ): Rulebook<{
    readonly rows: W['rows']
    readonly times: W['times']
    readonly days: W['days']
    readonly keys: W['keys']
    readonly links: W['links']
    readonly actions: W['actions']
    readonly me: W['me']
    readonly meLinks: W['meLinks']
    readonly role: W['role']
    readonly standings: W['standings']
    readonly privilege: W['privilege']
    readonly routine: W['routine'] | (keyof P & string)
    readonly limited: W['limited']
    readonly stamped: W['stamped']
  }>

  /**
   * Adds the same clauses to several record types, behind their own: what an office may do everywhere, say. It may be called before or after
   * `rules`.
   *
   * @example
   * book.grant(['room', 'instrument'], ({ role }) => ({ read: [role('office')], update: [role('office')] }))
   */
  grant<const K extends TypeName<W>, const O>(
    types: readonly K[],
    clauses: (words: GrantWords<W, K>) => [O] extends [never] ? O : Granted<O, Action>,
  ): Rulebook<{
    readonly rows: W['rows']
    readonly times: W['times']
    readonly days: W['days']
    readonly keys: W['keys']
    readonly links: W['links']
    readonly actions: W['actions']
    readonly me: W['me']
    readonly meLinks: W['meLinks']
    readonly role: W['role']
    readonly standings: W['standings']
    readonly privilege: W['privilege']
    readonly routine: W['routine']
    readonly limited: W['limited'] | (LimitsReading<{ readonly may: O }> extends true ? K : never)
    readonly stamped: W['stamped']
  }>

  /** The standings of one record type, for a file of their own. Pass them to `standings`. */
  standingsOf<K extends TypeName<W>, N extends { readonly [name: string]: Condition }>(
    type: K,
    standings: (record: RecordTerms<K, W>, words: StandingWords<K, W>) => N,
  ): StandingsFor<K, N>

  /** The rules of one record type, for a file of their own. Pass them to `rules`. */
  rulesOf<K extends TypeName<W>, const O>(
    type: K,
    rules: (record: RecordTerms<K, W>, words: Words<K, W>) => Checked<O, W['rows'][K], W['times'][K], Action | W['actions'][K]>,
  ): RulesFor<K, LimitsReading<O>, StampedBy<O>>

  /**
   * Specialises the rulebook for one person, by their claims; null and undefined are a visitor. If rules follow links,
   * pass the linked `records`: arrays by record type, which must not change. With `within`, the person acts within a
   * routine, if they may call it.
   *
   * @example
   * book.for({ id: 'm-01' }, { records: { member: members, share: shares } }).filter('plot', plots)
   * @throws ClaimsError `BAD_CLAIMS` if the claims do not fit the shape of `me`; LinksError `NO_LINKED_RECORDS` if the
   * rules read records linked to the person and their type is not given.
   */
  for(
    me: W['me'] | null | undefined,
    options?: { readonly now?: Clock; readonly records?: LinkedRecords<W>; readonly within?: W['routine'] },
  ): Viewpoint<W>

  /**
   * The same rulebook without a clause or a veto, by its title, to see what it does. For one action, or for every action with a rule
   * of that title.
   * @throws UnknownNameError
   * @example
   * book.without('plot', 'warden', 'read').for(tomasz, { records }).filter('plot', plots)
   */
  without<K extends TypeName<W>>(type: K, title: string, action?: Action | W['actions'][K]): Rulebook<W>

  /** Probable mistakes in the rules. Show them to the author. */
  readonly warnings: readonly string[]

  /** The rulebook as plain frozen data. */
  readonly model: Model
}

/**
 * Begins a rulebook with the person and the record types.
 *
 * @example
 * const book = rulebook({
 *   me: { shape: z.object({ id: z.string(), roles: z.array(z.enum(['warden'])) }), key: 'id' },
 *   records: { plot: { shape: Plot, key: 'id' } },
 * })
 * @throws RulebookError `BAD_RULEBOOK` if a shape cannot be read or a name is unknown.
 */
export function rulebook<
  const R extends RecordDefinitions,
  S extends Shape,
  const L extends Links = {},
  const Role extends string | number = RoleName<Out<S>>,
>(
  definition: Definition<R, S, L, Role>,
): Rulebook<{
  readonly rows: { readonly [K in keyof R]: Out<R[K]['shape']> }
  readonly times: { readonly [K in keyof R]: TimesOf<R[K]> }
  readonly days: { readonly [K in keyof R]: DaysOf<R[K]> }
  readonly keys: { readonly [K in keyof R]: KeyFields<R[K]> }
  readonly links: { readonly [K in keyof R]: LinksOf<R[K]> }
  readonly actions: { readonly [K in keyof R]: ActionsOf<R[K]> }
  readonly me: Out<S>
  readonly meLinks: L
  readonly role: Role
  readonly standings: {}
  readonly privilege: never
  readonly routine: never
  readonly limited: never
  readonly stamped: GeneratedIn<R>
}> {
  return rulebookOf(readDefinition(definition)) as never
}

/** Creates the rulebook of a model. */
export function rulebookOf(model: Model): Rulebook {
  return Object.freeze({
    model,
    get warnings() {
      return warningsOf(model)
    },
    standings: (given: unknown) => rulebookOf(noteWritten(model, withStandings(model, given), 'standings', given)),
    privileges: (given: unknown) => rulebookOf(noteWritten(model, withGrants(model, 'privileges', given), 'privileges', given)),
    routines: (given: unknown) => rulebookOf(noteWritten(model, withGrants(model, 'routines', given), 'routines', given)),
    gate: (given: unknown, options?: unknown) => rulebookOf(noteWritten(model, withGate(model, given, options), 'gate')),
    everyRecord: (given: unknown, options?: unknown) =>
      rulebookOf(noteWritten(model, withEveryRecord(model, given, options), 'everyRecord')),
    accepts: (given: unknown) => rulebookOf(noteWritten(model, withAcceptances(model, given), 'accepts', given)),
    guarantees: (given: unknown, ofGrants?: unknown) =>
      rulebookOf(noteWritten(model, withGuarantees(model, given, ofGrants), 'guarantees', given)),
    rules: (given: unknown) => rulebookOf(noteWritten(model, withRules(model, given), 'rules', given)),
    without: (type: string, title: string, action?: string) => rulebookOf(noteWritten(model, withoutRule(model, type, title, action))),
    grant: (types: unknown, given: unknown) => rulebookOf(noteWritten(model, withGrant(model, types, given), 'grant')),
    standingsOf: (type: string, standings: (...words: unknown[]) => unknown) =>
      noteApart(Object.assign((...words: unknown[]) => standings(...words), { type })),
    rulesOf(type: string, rules: (...words: unknown[]) => unknown) {
      const tied = (...words: unknown[]) => rules(...words)
      return noteApart(Object.assign(tied, { type }))
    },
    for(me: unknown, { now, records, within }: { now?: Clock; records?: LinkedRecords; within?: string } = {}) {
      const links = linksOver(model, records ?? {})
      const claims = readClaims(model.me, me)
      const mine = claims && withMyLinks(model, claims, links)
      const view = viewpointOf(model, mine, { now, links })
      return within !== undefined && view.mayCall(within) ? viewpointOf(model, mine, { now, links, within }) : view
    },
  }) as never
}

/** The terms of a record type, for a condition that several rules share. */
export type TermsIn<B, K extends string> = B extends Rulebook<infer W> ? (K extends TypeName<W> ? RecordTerms<K, W> : never) : never
/** The terms of the claims, for the same purpose: `const isMaster = (me: TermsOfMe<typeof book>) => ...`. */
export type TermsOfMe<B> = B extends Rulebook<infer W> ? MeTerms<W> : never
/** Everything that the types of a rulebook contain: for code that works with any of its records. */
export type WorldOf<B> = B extends Rulebook<infer W extends World> ? W : never
