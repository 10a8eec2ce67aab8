import type { Row } from '../../condition/index.js'
import { isGenerated, keyOf, keyRow, sameValue, type TypeModel } from '../../rulebook/index.js'
import type { Asker } from '../asker-types.js'
import { type Operation, seenAs } from '../operation.js'
import { checkStored } from './generated.js'
import { withoutNames } from './sent-fields.js'

/** Whether a stamp has no value and none was supplied. The system may leave one out if the shape allows it. */
export function lacksStamp(asker: Asker, sent: Row, stamps: Row): boolean {
  return asker.viewpoint !== undefined && Object.keys(stamps).some((name) => sent[name] === undefined && stamps[name] === undefined)
}

/** Rejects a stored row that differs from the judged one in what the database does not set. Returns what the asker may see of it. */
export async function written(op: Operation, type: TypeModel, judged: Row, kept: Row): Promise<Row> {
  await checkStored(type, kept)
  const isFree = (name: string) => isGenerated(type, name)
  const odd = Object.keys(type.fields).find((name) => !isFree(name) && !sameValue(type.fields[name], kept[name], judged[name]))
  if (odd !== undefined) throw new Error(`the ${type.name} was saved with another value in "${odd}"`)
  return answer(op, type, type.generated === undefined ? judged : withStored(type, judged, kept))
}

/** The judged record with the values that the database set, in the order of the shape. */
function withStored(type: TypeModel, judged: Row, kept: Row): Row {
  const from = (name: string) => (isGenerated(type, name) ? kept : judged)
  const there = Object.keys(type.fields).filter((name) => Object.hasOwn(from(name), name))
  return {
    ...Object.fromEntries(there.map((name) => [name, from(name)[name]])),
    ...withoutNames(judged, (name) => Object.hasOwn(type.fields, name)),
  }
}

/** What the asker may see of a stored record: only its key if they may not read it. */
export async function answer({ relied, ...op }: Operation, type: TypeModel, record: Row): Promise<Row> {
  // Other records that were read stay as they are, because they are locked. Records of its own type may include the written one.
  const mine = await seenAs(relied === undefined ? op : { ...op, relied: relied.without(type.name) }, type, record)
  return mine?.shown ?? keyRow(type, keyOf(type, record))
}
