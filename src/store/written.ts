import type { Row } from '../condition/index.js'
import { type Key, sameValue, type TypeModel } from '../rulebook/index.js'
import type { Asker } from './asker.js'
import { keyIs, type Operation, see } from './operation.js'

/** Whether a stamp has no value, and none was supplied. The system may leave one out, as far as the shape does. */
export function lacksStamp(asker: Asker, sent: Row, stamps: Row): boolean {
  return asker.viewpoint !== undefined && Object.keys(stamps).some((name) => sent[name] === undefined && stamps[name] === undefined)
}

/** A row that reads back unlike the one that was judged is not kept. Gives the record as the asker may have it back. */
export async function written(op: Operation, type: TypeModel, judged: Row): Promise<Row> {
  const key = judged[type.key] as Key
  const [found] = await op.tables.select(type.name, { where: keyIs(type, key), now: op.env.now, limit: 1 })
  const odd = found && Object.keys(type.fields).find((name) => !sameValue(type.fields[name], found.row[name], judged[name]))
  if (found === undefined || odd !== undefined) {
    throw new Error(`the ${type.name} that was written reads back differently${odd ? ` in "${odd}"` : ''}`)
  }
  return answer(op, type, judged)
}

/** A stored record as the asker may have it: where they may not read it, its key alone. */
export async function answer(op: Operation, type: TypeModel, record: Row): Promise<Row> {
  const [mine] = await see(op, type.name, { where: keyIs(type, record[type.key] as Key), limit: 1 })
  return mine?.shown ?? { [type.key]: record[type.key] }
}
