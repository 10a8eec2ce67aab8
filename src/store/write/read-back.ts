import type { Row } from '../../condition/index.js'
import { sameValue, type TypeModel } from '../../rulebook/index.js'
import type { Asker } from '../asker.js'
import { type Operation, seenAs } from '../operation.js'

/** Whether a stamp has no value, and none was supplied. The system may leave one out, as far as the shape does. */
export function lacksStamp(asker: Asker, sent: Row, stamps: Row): boolean {
  return asker.viewpoint !== undefined && Object.keys(stamps).some((name) => sent[name] === undefined && stamps[name] === undefined)
}

/** A row that reads back unlike the one that was judged is not kept. Gives the record as the asker may have it back. */
export async function written(op: Operation, type: TypeModel, judged: Row, kept: Row): Promise<Row> {
  const odd = Object.keys(type.fields).find((name) => !sameValue(type.fields[name], kept[name], judged[name]))
  if (odd !== undefined) throw new Error(`the ${type.name} was saved with another value in "${odd}"`)
  return answer(op, type, judged)
}

/** A stored record as the asker may have it: where they may not read it, its key alone. */
export async function answer({ relied, ...op }: Operation, type: TypeModel, record: Row): Promise<Row> {
  // What was read of other records stays as it is: they are locked. Those of its own type may be the one that was written.
  const mine = await seenAs(relied === undefined ? op : { ...op, relied: relied.without(type.name) }, type, record)
  return mine?.shown ?? { [type.key]: record[type.key] }
}
