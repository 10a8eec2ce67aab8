/**
 * Expectations in tests: what each person should see and be refused. For any test runner: an unmet expectation throws.
 * @module
 */
import { PachterError, type Row } from '../../condition/index.js'
import {
  type Action,
  type FieldName,
  type Key,
  keyFromText,
  type Model,
  type RowOf,
  type TypeName,
  typeModel,
  type World,
} from '../../rulebook/index.js'
import type { Records } from '../../store/index.js'
import type { Rulebook } from '../../viewpoint/index.js'
import { type Ground, groundOf, withEverybody } from '../scenario.js'
import { type AccessExpectation, type Expectation, expectationTitle, type Refusal, type TryExpectation } from './expectation.js'
import { judgeExpectation } from './judge.js'

export type { Expectation, Refusal } from './expectation.js'

/** An expectation does not hold. `problems` has a line for each difference, with the reason. */
export class ExpectationError extends PachterError {
  readonly expectation: Expectation
  readonly problems: readonly string[]

  constructor(expectation: Expectation, problems: readonly string[]) {
    super('NOT_AS_EXPECTED', `${expectationTitle(expectation)}\n${problems.map((line) => `  ${line}`).join('\n')}`)
    this.expectation = expectation
    this.problems = problems
  }
}

/** The people, the records and the time. */
export interface LookOptions<P extends string, Me> {
  /** Claims by name. `visitor` and `unknown` are added. */
  readonly people: { readonly [name in P]: Me }
  /** The claims of a signed-in person without a record, if an id alone does not fit the shape. */
  readonly unknown?: Me
  /** The records by type. They are not changed. */
  readonly records: Records
  /** Default: the system clock. */
  readonly now?: Date
}

/** The fields to send, and the expected result. */
export interface Trying<W extends World, K extends TypeName<W>> {
  readonly sending?: { readonly [F in keyof RowOf<W, K>]?: RowOf<W, K>[F] | null }
  readonly within?: W['routine']
}

/** Expectations about one person. Every method throws an `ExpectationError` if the expectation does not hold. */
export interface Onlooker<W extends World> {
  /** The person sees these records, and maybe others. */
  sees<K extends TypeName<W>, F extends FieldName<W, K>>(
    type: K,
    which: readonly Key[] | 'all' | { readonly [key: string]: readonly F[] | 'all' },
  ): Promise<void>
  /** The person sees exactly these records; with fields, exactly these fields. */
  seesExactly<K extends TypeName<W>, F extends FieldName<W, K>>(
    type: K,
    which: readonly Key[] | 'all' | { readonly [key: string]: readonly F[] | 'all' },
  ): Promise<void>
  /** The person sees none of these records; with fields, none of these fields. */
  doesNotSee<K extends TypeName<W>, F extends FieldName<W, K>>(
    type: K,
    which: readonly Key[] | 'all' | { readonly [key: string]: readonly F[] | 'all' },
  ): Promise<void>
  /** The person may change these records, and maybe others. */
  changes<K extends TypeName<W>, F extends FieldName<W, K>>(
    type: K,
    which: readonly Key[] | 'all' | { readonly [key: string]: readonly F[] | 'all' },
  ): Promise<void>
  /** The person may change exactly these records; with fields, exactly these fields. */
  changesExactly<K extends TypeName<W>, F extends FieldName<W, K>>(
    type: K,
    which: readonly Key[] | 'all' | { readonly [key: string]: readonly F[] | 'all' },
  ): Promise<void>
  /** The person may change none of these records; with fields, none of these fields. */
  doesNotChange<K extends TypeName<W>, F extends FieldName<W, K>>(
    type: K,
    which: readonly Key[] | 'all' | { readonly [key: string]: readonly F[] | 'all' },
  ): Promise<void>
  /** The person may do the action to exactly these records. */
  mayExactly<K extends TypeName<W>>(
    action: Exclude<Action | W['actions'][K], 'create'>,
    type: K,
    keys: readonly Key[] | 'all',
  ): Promise<void>
  /** The person may create such a record; `giving` is what it must then contain. It is really done, on a copy. */
  may<K extends TypeName<W>>(action: 'create', type: K, trying: Trying<W, K> & { readonly giving?: Partial<RowOf<W, K>> }): Promise<void>
  /** The person may do the action to a stored record. An update without `sending` asks whether any field may be changed. */
  may<K extends TypeName<W>>(
    action: Exclude<Action | W['actions'][K], 'create'>,
    type: K,
    key: Key,
    trying?: Trying<W, K> & { readonly giving?: Partial<RowOf<W, K>> },
  ): Promise<void>
  /** The person is refused, with this kind and message if given, and the record stays as it was. */
  isRefused<K extends TypeName<W>>(
    action: 'create',
    type: K,
    trying: Trying<W, K> & { readonly as?: Refusal; readonly message?: string },
  ): Promise<void>
  isRefused<K extends TypeName<W>>(
    action: Exclude<Action | W['actions'][K], 'create'>,
    type: K,
    key: Key,
    trying?: Trying<W, K> & { readonly as?: Refusal; readonly message?: string },
  ): Promise<void>
  has(privilege: W['privilege']): Promise<void>
  hasNot(privilege: W['privilege']): Promise<void>
  mayCall(routine: W['routine']): Promise<void>
  mayNotCall(routine: W['routine']): Promise<void>
}

/** The names that a file of expectations may use. */
export interface KnownNames {
  readonly model: Model
  /** The names of the people. */
  readonly people: readonly string[]
  /** The keys of the records of a type. */
  keys(type: string): readonly Key[]
}

/** A rulebook, people and records to state expectations about. */
export interface Look<W extends World, P extends string> {
  as(person: P | 'visitor' | 'unknown'): Onlooker<W>
  /** All that each person may do to a stored record; `everyone else` covers the people who are not named. */
  table<K extends TypeName<W>>(
    type: K,
    key: Key,
    rows: { readonly [name in P | 'visitor' | 'unknown' | 'everyone else']?: readonly Exclude<Action | W['actions'][K], 'create'>[] },
  ): Promise<void>
  /** The names that a file of expectations may use: for `readExpectations` of `pachter-cli/files`, followed by `holds`. */
  readonly known: KnownNames
  /** @throws ExpectationError */
  holds(expectation: Expectation): Promise<void>
}

/**
 * Checks what people see and may do, by the rules of a rulebook. Nothing is written: attempts run on a copy of the records.
 * @throws ClaimsError, UnknownNameError
 * @example
 * const look = lookThrough(book, { people: { ines: { id: 'm-01' } }, records })
 * it('Ines sees her own', () => look.as('ines').seesExactly('plot', ['p-01']))
 * it('and gives nothing away', () => look.as('ines').isRefused('update', 'plot', 'p-01', { sending: { holderId: 'm-02' } }))
 */
export function lookThrough<W extends World, P extends string>(book: Rulebook<W>, options: LookOptions<P, W['me']>): Look<W, P> {
  const people = withEverybody(book.model, options.people as { [name in P]: Row }, options.unknown as Row | undefined)
  const ground = groundOf(book, { people, records: options.records, now: options.now })
  const holds = (expectation: Expectation) => must(ground, expectation)
  const look = {
    as: (person: string) => onlooker(person, book.model, holds),
    async table(type: string, key: Key, rows: { readonly [name: string]: readonly string[] }) {
      const { 'everyone else': others, ...named } = rows
      const silent = others === undefined ? [] : Object.keys(people).filter((name) => !Object.hasOwn(named, name))
      const all = [...Object.entries(named), ...silent.map((name) => [name, others as readonly string[]] as const)]
      for (const [person, actions] of all) await holds({ kind: 'access', person, type, key, actions } satisfies AccessExpectation)
    },
    known: Object.freeze({ model: book.model, people: Object.freeze(Object.keys(people)), keys: ground.keys }),
    holds,
  }
  return Object.freeze(look) as unknown as Look<W, P>
}

async function must(ground: Ground, expectation: Expectation): Promise<void> {
  const { held, problems } = await judgeExpectation(ground, expectation)
  if (!held) throw new ExpectationError(expectation, problems)
}

type Holds = (expectation: Expectation) => Promise<void>

function onlooker(person: string, model: Model, holds: Holds) {
  const reach = (action: 'read' | 'update', extent: 'exactly' | 'at least' | 'none') => async (type: string, which: unknown) => {
    const about = { person, action, type, extent } as const
    if (which === 'all' || Array.isArray(which)) return holds({ kind: 'reach', ...about, keys: which as readonly Key[] | 'all' })
    const known = typeModel(model, type)
    const named = Object.entries(which as { readonly [key: string]: readonly string[] | 'all' }).map(
      ([key, fields]) => [keyFromText(known, key), fields] as const,
    )
    if (extent !== 'none') await holds({ kind: 'reach', ...about, keys: named.map(([key]) => key) })
    for (const [key, fields] of named) await holds({ kind: 'fields', ...about, key, fields })
  }
  const trying =
    (allowed: boolean) =>
    (action: string, type: string, ...rest: readonly unknown[]): Promise<void> => {
      const [key, more] = (action === 'create' ? [undefined, rest[0]] : rest) as [Key | undefined, Partial<TryExpectation> | undefined]
      return holds({ ...more, kind: 'try', person, action, type, allowed, ...(key === undefined ? {} : { key }) })
    }
  return Object.freeze({
    sees: reach('read', 'at least'),
    seesExactly: reach('read', 'exactly'),
    doesNotSee: reach('read', 'none'),
    changes: reach('update', 'at least'),
    changesExactly: reach('update', 'exactly'),
    doesNotChange: reach('update', 'none'),
    mayExactly: (action: string, type: string, keys: readonly Key[] | 'all') =>
      holds({ kind: 'reach', person, action, type, extent: 'exactly', keys }),
    may: trying(true),
    isRefused: trying(false),
    has: (name: string) => holds({ kind: 'privilege', person, name, has: true }),
    hasNot: (name: string) => holds({ kind: 'privilege', person, name, has: false }),
    mayCall: (name: string) => holds({ kind: 'routine', person, name, has: true }),
    mayNotCall: (name: string) => holds({ kind: 'routine', person, name, has: false }),
  })
}
