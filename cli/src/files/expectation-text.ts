import { EXTENTS, type Expectation, type FieldsExpectation, type ReachExpectation, type TryExpectation } from 'pachter/internal/review'
import type { Key } from 'pachter/internal/rulebook'
import { Document, isMap, isSeq, type Node, parseDocument, type YAMLMap, type YAMLSeq } from 'yaml'

const HEADING = ' What each person should see and be refused. Run pachter check to check it.'

/**
 * Adds expectations to the text of a file. Existing ones and their comments stay. Without a text, it starts a new file. It does not repeat
 * expectations.
 */
export function withExpectations(text: string | undefined, expectations: readonly Expectation[]): string {
  const document = text === undefined || text.trim() === '' ? new Document({ 'pachter expectations': 1, people: {} }) : parseDocument(text)
  if (text === undefined) document.commentBefore = HEADING
  for (const one of expectations) add(document as Document, one)
  return document.toString({ lineWidth: 0, flowCollectionPadding: true })
}

function add(document: Document, one: Expectation): void {
  switch (one.kind) {
    case 'reach':
      return addReach(document, one)
    case 'fields':
      return addFields(document, one)
    case 'try':
      return addTry(document, one)
    case 'privilege':
    case 'routine': {
      const word = one.kind === 'privilege' ? (one.has ? 'has' : 'has not') : one.has ? 'may call' : 'may not call'
      const list = listIn(document, mapAt(document, ['people', one.person]), word)
      if (!(list.toJSON() as unknown[]).includes(one.name)) list.add(document.createNode(one.name))
      return
    }
    case 'access':
      return void mapAt(document, ['tables', `${one.type} ${one.key}`]).set(one.person, one.actions.join(', ') || 'nothing')
  }
}

function addReach(document: Document, { person, action, type, extent, keys }: ReachExpectation): void {
  const named = action === 'read' || action === 'update'
  const place = mapAt(document, ['people', person, named ? EXTENTS[action][extent] : 'may exactly'])
  const name = named ? type : `${action} ${type}`
  const there = place.get(name, true) as Node | undefined
  if (keys === 'all' || (keys.length === 0 && extent === 'exactly')) {
    if (there === undefined) place.set(name, keys === 'all' ? 'all' : 'none')
    return
  }
  if (!isMap(there)) {
    if (there === undefined || extent !== 'exactly') addKeys(document, place, name, keys)
    return
  }
  for (const key of keys) {
    if (extent === 'at least' && !there.has(key)) there.set(key, 'the key alone')
    if (extent === 'none') addTry(document, { kind: 'try', person, action, type, key, allowed: false })
  }
}

function addKeys(document: Document, place: YAMLMap, name: string, keys: readonly Key[]): void {
  const list = listIn(document, place, name)
  for (const key of keys) if (!(list.toJSON() as unknown[]).includes(key)) list.add(document.createNode(key))
}

function addFields(document: Document, { person, action, type, key, extent, fields }: FieldsExpectation): void {
  const place = mapAt(document, ['people', person, EXTENTS[action][extent]])
  const there = place.get(type, true) as Node | undefined
  const records = isMap(there) ? there : flow(document.createNode({}) as YAMLMap)
  if (!isMap(there)) place.set(type, records)
  // Expectations that listed records by their keys, before fields could be stated.
  for (const one of isSeq(there) ? (there.toJSON() as Key[]) : []) {
    if (extent === 'none') addTry(document, { kind: 'try', person, action, type, key: one, allowed: false })
    else records.set(one, 'the key alone')
  }
  const before = records.get(key)
  const told = typeof before === 'string' && before !== 'the key alone' ? before.split(', ') : []
  records.set(key, [...new Set([...told, ...(fields === 'all' ? ['all'] : fields)])].join(', ') || 'the key alone')
}

function addTry(document: Document, one: TryExpectation): void {
  const { person, action, type, key, allowed } = one
  const deed = `${action} ${type}${key === undefined ? '' : ` ${key}`}`
  const words = ['sending', 'within', 'as', 'message', 'giving'] as const
  const more = Object.fromEntries(words.filter((name) => one[name] !== undefined).map((name) => [name, one[name]]))
  const entry = Object.keys(more).length === 0 ? deed : { [deed]: more }
  const list = listIn(document, mapAt(document, ['people', person]), allowed ? 'may' : 'is refused', false)
  if ((list.toJSON() as unknown[]).some((there) => JSON.stringify(spelledOut(there, deed)) === JSON.stringify(entry))) return
  const node = document.createNode(entry)
  if (isMap(node)) for (const { value } of node.items) flow(value as YAMLMap)
  list.add(node)
}

/** The map at that place, created if necessary. */
function mapAt(document: Document, path: readonly string[]): YAMLMap {
  let at = document.contents as YAMLMap
  for (const step of path) {
    const next = at.get(step, true) as Node | undefined
    if (isMap(next)) at = next
    else {
      const made = document.createNode({}) as YAMLMap
      at.set(step, made)
      at = made
    }
  }
  // An empty flow map ({}) would stay on one line.
  at.flow = at.flow === true && at.items.length > 0
  return at
}

function listIn(document: Document, map: YAMLMap, name: string, inline = true): YAMLSeq {
  const there = map.get(name, true) as Node | undefined
  if (isSeq(there)) return there
  const made = document.createNode([]) as YAMLSeq
  if (inline) made.flow = true
  map.set(name, made)
  return made
}

/** A message may stand alone. */
function spelledOut(entry: unknown, deed: string): unknown {
  const words = (entry as { readonly [deed: string]: unknown } | null)?.[deed]
  return typeof words === 'string' ? { [deed]: { message: words } } : entry
}

function flow<N extends { flow?: boolean }>(node: N): N {
  node.flow = true
  return node
}
