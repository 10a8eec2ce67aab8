import type { ConditionNode, Row } from '../../condition/index.js'
import type { Key, TypeModel } from '../../rulebook/index.js'
import { fieldsLetBy } from '../../viewpoint/index.js'
import type { Asker, AskersRules } from '../asker-types.js'
import type { Operation, Seen } from '../operation.js'
import { blockedDeletions } from '../write/blocking-records.js'
import type { Described, Permitted } from './query.js'

/** Further conditions for every record of a list: the query answers them, and this reads their results. */
export interface More {
  readonly flags: readonly ConditionNode[]
  describe(seen: Seen, record: Row): Described<Row>
}

/** Asks for the verdicts, standings and clauses of each record. */
export function more(asker: Asker, type: TypeModel, actions: readonly string[], withStandings: boolean): More {
  const flags: ConditionNode[] = []
  /** Registers conditions and returns the positions of their results. */
  const ask = (conditions: readonly { readonly when: ConditionNode }[]) => {
    const from = flags.length
    flags.push(...conditions.map(({ when }) => when))
    return (answers: readonly boolean[]) => answers.slice(from, from + conditions.length)
  }
  const judged = actions.map((action) => {
    const { open, clauses, messages } = asker.rules(type.name, action)
    return { action, clauses, messages, answers: ask([open, ...clauses, ...messages]) }
  })
  const read = withStandings ? asker.rules(type.name, 'read').clauses : []
  const readAnswers = ask(read)
  const standings = withStandings ? (asker.viewpoint?.standings(type.name) ?? []) : []
  const standingAnswers = ask(standings)
  return {
    flags,
    describe({ flags: answers }, record) {
      const may = Object.fromEntries(judged.map((one) => [one.action, permitted(type, one, one.answers(answers))]))
      const seenBy = read.filter((_, at) => readAnswers(answers)[at]).flatMap(({ clause }) => clause?.title ?? [])
      return { record, may, standings: standings.filter((_, at) => standingAnswers(answers)[at]).map(({ name }) => name), seenBy }
    },
  }
}

/** The records whose deletion is blocked by other records, each with the message. */
export async function withheldAlong(op: Operation, type: TypeModel, described: readonly Described<Row>[], keys: readonly Key[]) {
  const hopeful = keys.filter((_, at) => described[at]?.may.delete?.allowed)
  const stopped = hopeful.length === 0 ? new Map<Key, string | undefined>() : await blockedDeletions(op, type, hopeful)
  return described.map((one, at) => {
    const key = keys[at] as Key
    if (!stopped.has(key)) return one
    const message = stopped.get(key)
    return { ...one, may: { ...one.may, delete: { allowed: false, ...(message === undefined ? {} : { message }) } } }
  })
}

function permitted(
  type: TypeModel,
  { clauses, messages }: Pick<AskersRules, 'clauses' | 'messages'>,
  answers: readonly boolean[],
): Permitted {
  const [open, ...rest] = answers
  const counting = open ? clauses.filter((_, at) => rest[at]) : []
  if (counting.length === 0) {
    // Gates and vetoes may have their own messages; all other refusals share one.
    const message = open ? undefined : messages.find((_, at) => rest[clauses.length + at])?.message
    return { allowed: false, ...(message === undefined ? {} : { message }) }
  }
  const fields = fieldsLetBy(type, counting)
  return { allowed: true, ...(fields ? { fields } : {}) }
}
