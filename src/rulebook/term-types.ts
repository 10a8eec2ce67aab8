// What the compiler knows of terms and conditions. Types only.
import type { ConditionNode, TermNode } from '../condition/nodes.js'
import type { Comparison } from '../condition/operators.js'
import type { NODE } from './node.js'

declare const PRESENT: unique symbol
declare const EXACT: unique symbol

type IsAny<T> = 0 extends 1 & T ? true : false

/** A sentence that the compiler prints where a rulebook cannot mean what it says: nothing written in code is of this type. */
export type Mistake<M extends string> = M

type Maybe<T> = T | null | undefined

type Element<T> = T & {} extends readonly (infer E)[] ? E & {} : never

/**
 * A yes/no expression over a record, the person and the time. Created by the operators of terms, and by `allOf`, `anyOf` and `not`;
 * immutable.
 */
export interface Condition {
  /**
   * Conditions cannot be called. This signature makes the compiler refuse `holder && warden`, which JavaScript would read as `warden`
   * alone: "This condition will always return true". Use allOf(...) and anyOf(...).
   */
  (never: never): never
  readonly [NODE]: ConditionNode
  /** True if this and all of those hold. */
  and(...more: Condition[]): Condition
  /** True if this or any of those holds. */
  or(...more: Condition[]): Condition
}

/** A term with a value of type T when a rule is evaluated. The value may be missing. */
export interface Operand<T> {
  readonly [PRESENT]: T & {}
}

/** A term that remembers that its value may be missing. */
export interface Source<T> {
  readonly [EXACT]: T
  readonly [NODE]: TermNode
}

/** Tests whether a term has a value: null, undefined and a blank id are missing. */
export interface Presence {
  isMissing(): Condition
  isPresent(): Condition
}

/** A term with a single value. A comparison with a missing value is false. */
export interface Term<T> extends Operand<T>, Source<T>, Presence {
  /** Exactly equal: texts code point by code point. There is no "is not": write `not(x.is(y))`. */
  is(value: (T & {}) | Operand<T & {}>): Condition
  isOneOf(values: readonly (T & {})[] | Operand<readonly (T & {})[]>): Condition
  /** The value to use if this one is missing. */
  orElse(value: (T & {}) | Operand<T & {}>): TermOf<T & {}>
}

/** A text. */
export interface TextTerm<T> extends Term<T> {
  startsWith(value: string | Operand<string>): Condition
  endsWith(value: string | Operand<string>): Condition
  /** Contains this text, with the same letter case. */
  contains(value: string | Operand<string>): Condition
  /** Equal, ignoring the case of the letters A to Z: for email addresses. */
  isIgnoringCase(value: (T & {}) | Operand<T & {}>): Condition
}

/** A number. */
export interface NumberTerm<T> extends Term<T> {
  isLessThan(value: (T & {}) | Operand<T & {}>): Condition
  isMoreThan(value: (T & {}) | Operand<T & {}>): Condition
  isAtMost(value: (T & {}) | Operand<T & {}>): Condition
  isAtLeast(value: (T & {}) | Operand<T & {}>): Condition
}

/** A time, compared to the millisecond. */
export interface TimeTerm extends Operand<Date>, Source<Date | undefined>, Presence {
  is(value: Date | Operand<Date>): Condition
  isBefore(value: Date | Operand<Date>): Condition
  isAfter(value: Date | Operand<Date>): Condition
  /** Then or before. */
  isAtMost(value: Date | Operand<Date>): Condition
  /** Then or after. */
  isAtLeast(value: Date | Operand<Date>): Condition
  /** The time to use if this one is missing. `forever` is later than any time. */
  orElse(value: Date | Operand<Date>): TimeTerm
}

declare const DAY: unique symbol

/** A day without a time, in the calendar. */
export interface Day {
  readonly [DAY]: true
}

/** A day of a record, written as text: "2026-05-31". */
export interface DayTerm extends Operand<Day>, Source<string | undefined>, Presence {
  is(value: string | Operand<Day>): Condition
  isBefore(value: string | Operand<Day>): Condition
  isAfter(value: string | Operand<Day>): Condition
  /** This day or before. */
  isAtMost(value: string | Operand<Day>): Condition
  /** This day or after. */
  isAtLeast(value: string | Operand<Day>): Condition
  /** The day to use if this one is missing. `forever` is later than any day. */
  orElse(value: string | Operand<Day> | Forever): DayTerm
}

/** The day that it is in the time zone of the rulebook. */
export interface TodayTerm extends DayTerm {
  /** So many days later, or earlier. */
  plusDays(days: number): TodayTerm
}

/** Later than any time or day. */
export interface Forever extends Operand<Date> {
  readonly forever: true
}

/** A list of values. */
export interface ListTerm<T> extends Operand<T>, Source<T>, Presence {
  has(value: Element<T> | Operand<Element<T>>): Condition
  overlaps(values: readonly Element<T>[] | Operand<readonly Element<T>[]>): Condition
  orElse(values: (T & {}) | Operand<T & {}>): ListTerm<T & {}>
  /** For the changed list: it is the old list with this one value added. */
  adds(before: Operand<T & {}>, value: Element<T> | Operand<Element<T>>): Condition
  /** For the changed list: it is the old list with one occurrence of this value removed. */
  removes(before: Operand<T & {}>, value: Element<T> | Operand<Element<T>>): Condition
}

/** A list of texts. */
export interface TextListTerm<T> extends ListTerm<T> {
  /** Contains the value, ignoring the case of the letters A to Z. */
  hasIgnoringCase(value: string | Operand<string>): Condition
}

/** A field that conditions cannot look into: a map or a value of any kind. */
export interface OpaqueTerm<T> extends Source<T>, Presence {}

/** A list of objects in a record. */
export interface ElementsTerm<T, E> extends OpaqueTerm<T> {
  /** At least one of the objects matches. */
  some(fits?: (element: Terms<Flat<E & {}>>) => Condition): Condition
}

/** A plain object with named fields: not a list, a time, a function or an open-ended map. */
type IsGroup<T> = T extends Date | readonly unknown[] | ((...a: never[]) => unknown) | Map<unknown, unknown> | Set<unknown> | Uint8Array
  ? false
  : T extends object
    ? string extends keyof T
      ? false
      : true
    : false

type IsUnion<T, C = T> = [T] extends [never] ? false : T extends C ? ([C] extends [T] ? false : true) : never
type Keys<T> = T extends unknown ? keyof T : never
type Merged<T> = { readonly [F in Keys<T>]: T extends unknown ? (F extends keyof T ? T[F] : undefined) : never }
/** The fields of all alternatives, if the shape is a union of objects. */
export type Flat<T> = IsUnion<T> extends true ? Merged<T> : T

/** The term for a value of type T. */
export type TermOf<T> =
  IsAny<T> extends true
    ? OpaqueTerm<T>
    : unknown extends T
      ? OpaqueTerm<T>
      : [T & {}] extends [never]
        ? OpaqueTerm<T>
        : [T & {}] extends [string]
          ? TextTerm<T>
          : [T & {}] extends [number]
            ? NumberTerm<T>
            : [T & {}] extends [boolean]
              ? Term<T>
              : [T & {}] extends [Date]
                ? TimeTerm
                : [T & {}] extends [readonly (infer E)[]]
                  ? [E & {}] extends [string]
                    ? TextListTerm<T>
                    : [E & {}] extends [number]
                      ? ListTerm<T>
                      : [E & {}] extends [boolean]
                        ? ListTerm<T>
                        : true extends IsGroup<E & {}>
                          ? ElementsTerm<T, E>
                          : OpaqueTerm<T>
                  : false extends IsGroup<T & {}>
                    ? OpaqueTerm<T>
                    : GroupTerm<T>

/**
 * Terms for every field of T. Fields in Times are times, and those in Days are days, whatever their type. If a field has the name of a
 * method, use `field`.
 */
export type Terms<T, Times = never, Words = never, Days = never> = {
  readonly [F in Exclude<keyof T, keyof GroupOps<T, Times, Days> | Words>]-?: F extends Days
    ? DayTerm
    : F extends Times
      ? TimeTerm
      : TermOf<T[F]>
} & GroupOps<T, Times, Days>

/** Methods of a record, of `me` or of a nested object. */
export interface GroupOps<T, Times = never, Days = never> {
  /** A field by its name, if its name is also the name of a method. */
  field<F extends keyof T>(name: F): F extends Days ? DayTerm : F extends Times ? TimeTerm : TermOf<T[F]>
}

/** A nested object. */
export type GroupTerm<T> = Presence & Source<T> & Terms<Flat<T & {}>>

/** The possible roles, according to their source. */
export type RoleSource<R extends string | number> = Source<Maybe<R | readonly R[]>>

type Words = keyof TextTerm<string> | keyof NumberTerm<number> | keyof TimeTerm | keyof TextListTerm<readonly string[]>
/**
 * Every comparison as a method of terms. A comparison that a term does not support is not a method of it, so calling it does not compile.
 */
export type ComparisonMethods = {
  readonly [C in Comparison]: C extends Words ? (value: unknown) => Condition : Mistake<'give this comparison to the terms that have it'>
}
