import { instant } from 'pachter/internal/condition'
import type { Expectation } from 'pachter/internal/review'
import { isMap, isScalar, LineCounter, type Node, parseDocument } from 'yaml'
import { ExpectationFileError, type Mistake } from './expectation-error.js'
import { ExpectationReader, type KnownNames } from './expectation-reader.js'
import { type Entry, YamlReader } from './yaml-reader.js'

const VERSION = 1
const HEAD = 'pachter expectations'
/** Reads an expectation file in YAML 1.2. @throws ExpectationFileError with every error, its file and line, and a suggested name */
export function readExpectations(text: string, file: string, known: KnownNames): readonly Expectation[] {
  const lines = new LineCounter()
  const document = parseDocument(text, { lineCounter: lines, uniqueKeys: true })
  const [error] = document.errors
  if (error !== undefined) {
    const problem = (error.message.split('\n')[0] as string).replace(/ at line.*/, '')
    throw new ExpectationFileError([{ place: { file, line: error.linePos?.[0].line ?? 1 }, problem }])
  }
  const reader = new ExpectationReader(new YamlReader(file, lines), known)
  const root = document.contents as Node | null
  const version = isMap(root) ? root.get(HEAD) : undefined
  if (!isMap(root) || version !== VERSION) return reader.yaml.fail(root, `begin with "${HEAD}: ${VERSION}"`)
  const expectations: Expectation[] = []
  let at: Date | undefined
  const { yaml } = reader
  const each: YamlReader['each'] = (all, read) => yaml.each(all, read)
  each(root.items as Entry[], (pair) => {
    const name = yaml.oneOf(pair.key, [HEAD, 'at', 'people', 'tables'], 'word')
    if (name === 'at') {
      const time = instant(isScalar(pair.value) ? pair.value.value : undefined)
      if (time === undefined) return yaml.fail(pair.value ?? pair.key, 'at: needs an instant, as in 2026-06-15T09:00:00Z')
      at = new Date(time)
    }
    if (name === 'people')
      each(yaml.pairs(pair, 'people'), (one) => {
        for (const person of reader.peopleOf(one.key))
          each(yaml.pairs(one, person), (word) => void expectations.push(...reader.said(person, word)))
      })
    if (name === 'tables') each(yaml.pairs(pair, 'tables'), (one) => void expectations.push(...reader.table(one)))
  })
  if (yaml.mistakes.length > 0) throw new ExpectationFileError(distinct(yaml.mistakes))
  return Object.freeze(expectations.map((one) => Object.freeze(at === undefined ? one : { ...one, at })))
}

/** A mistake in a part that is for several people, once. */
function distinct(mistakes: readonly Mistake[]): readonly Mistake[] {
  return [...new Map(mistakes.map((one) => [`${one.place.line} ${one.problem}`, one])).values()]
}
