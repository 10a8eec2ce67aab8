import type { ConditionNode, Row } from '../condition/index.js'
import type { TypeModel } from '../rulebook/index.js'
import { type AskersClause, fieldsLetBy } from '../viewpoint/index.js'
import type { Asker } from './asker.js'
import type { Seen } from './operation.js'
import type { Described, Permitted } from './query.js'

/** What else is asked of every record of a list: conditions that the query answers along with it, and what they come to. */
export interface More {
  readonly flags: readonly ConditionNode[]
  describe(seen: Seen, record: Row): Described<Row>
}

/** Asks what may be done to each record, by which standings and clauses it is seen. */
export function more(asker: Asker, type: TypeModel, actions: readonly string[], withStandings: boolean): More {
  const flags: ConditionNode[] = []
  /** Notes conditions to be answered, and gives where their answers will be. */
  const ask = (conditions: readonly { readonly when: ConditionNode }[]) => {
    const from = flags.length
    flags.push(...conditions.map(({ when }) => when))
    return (answers: readonly boolean[]) => answers.slice(from, from + conditions.length)
  }
  const judged = actions.map((action) => {
    const { open, clauses } = asker.rules(type.name, action)
    return { action, clauses, answers: ask([open, ...clauses]) }
  })
  const read = withStandings ? asker.rules(type.name, 'read').clauses : []
  const readAnswers = ask(read)
  const standings = withStandings ? (asker.viewpoint?.standings(type.name) ?? []) : []
  const standingAnswers = ask(standings)
  return {
    flags,
    describe({ flags: answers }, record) {
      const may = Object.fromEntries(judged.map(({ action, clauses, answers: of }) => [action, permitted(type, clauses, of(answers))]))
      const seenBy = read.filter((_, at) => readAnswers(answers)[at]).flatMap(({ clause }) => clause?.title ?? [])
      return { record, may, standings: standings.filter((_, at) => standingAnswers(answers)[at]).map(({ name }) => name), seenBy }
    },
  }
}

function permitted(type: TypeModel, clauses: readonly AskersClause[], [open, ...holds]: readonly boolean[]): Permitted {
  const counting = open ? clauses.filter((_, at) => holds[at]) : []
  if (counting.length === 0) return { allowed: false }
  const fields = fieldsLetBy(type, counting)
  return { allowed: true, ...(fields ? { fields } : {}) }
}
