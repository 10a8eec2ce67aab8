import type { Example, Write } from 'pachter/internal/prove'
import type { ExampleWorld } from 'pachter/internal/review'
import { isName, keyOf, type Model, typeModel } from 'pachter/internal/rulebook'
import { RESERVED } from '../load.js'

/** A name for the person of an example: the first claim that can be a name. */
export function personIn({ me }: Pick<Example, 'me'>): string {
  if (me === null) return 'visitor'
  const name = Object.values(me).find((claim) => typeof claim === 'string' && isName(claim.replaceAll('-', '_')))
  return typeof name === 'string' && !RESERVED.includes(name) ? name : 'person'
}

function world({ me, records, now }: Example, person: string): ExampleWorld {
  return { people: { ...(me === null ? {} : { [person]: me }), visitor: null }, records, now: new Date(now).toISOString() }
}

/** An example of what nobody should be allowed, to be opened. Without a record type, what is allowed belongs to no record. */
export function permittedWorld(
  model: Model,
  asked: { readonly type: string; readonly action: string } | undefined,
  example: Example,
): ExampleWorld {
  const person = personIn(example)
  const { record } = example
  if (asked === undefined || record === undefined) return world(example, person)
  const { type, action } = asked
  const key = keyOf(typeModel(model, type), record)
  const write = action === 'create' ? { write: { type, key, record } } : {}
  return { ...world(example, person), cell: { type, person, key, action }, ...write }
}

/** An example of a write by which a person gains something, to be opened with the write as a trial. */
export function promotionWorld(
  model: Model,
  { write, gain }: { readonly write: Write; readonly gain: { readonly type: string; readonly action: string } },
  example: Example,
): ExampleWorld {
  const person = personIn(example)
  const { record = {}, becomes, target = {} } = example
  const written = write.action === 'delete' ? null : write.action === 'create' ? record : (becomes ?? record)
  return {
    ...world(example, person),
    cell: { type: gain.type, person, key: keyOf(typeModel(model, gain.type), target), action: gain.action },
    write: { type: write.type, key: keyOf(typeModel(model, write.type), record), record: written },
  }
}
