// Finds words that are hard to read in code, comments and documents, and sentences in documents that are too long. Prints each with its
// position, and fails if there are any: `npm run words`.
import { readFileSync } from 'node:fs'
import { relative } from 'node:path'
import { fileURLToPath } from 'node:url'
import { filesBelow, root } from './files.js'

const LONGEST = 30

/** Each with a replacement. A space stands for any white space, including a line break within a comment. */
const INSTEAD: Readonly<Record<string, string>> = {
  'whoever|whomever': 'anyone who, the person who, the asker',
  whom: 'who, or another order of words',
  anew: 'again',
  thereof: 'of it',
  beneath: 'below, under',
  'hearers?': 'subscriber',
  'foresees?|foreseen': 'expect, support',
  'of use': 'useful, usable',
  'made ready': 'prepared',
  'lets? them|is let|are let|be let': 'may, is allowed to',
  'what (?:comes|came|becomes|became) of': 'the result of',
  'goe?s? by|went by|going by': 'uses, depends on',
  'stands? beside|stood beside': 'is next to',
  'nothing otherwise|anything otherwise': 'no difference',
  'somebody(?: who| else)?': 'a person, the asker',
  'everybody|anybody': 'everyone, all people; anyone',
  '(?:is|are|was|were) told of': 'receives, is notified of',
  'one looks': 'you look',
  '(?:stands?|stood|are|is) in the way': 'blocks',
}
const BANNED = Object.entries(INSTEAD).map(([words, instead]) => ({
  pattern: new RegExp(`(?<![\\w-])(?:${words.replaceAll(' ', '[\\s*/]+')})(?![\\w-])`, 'gi'),
  instead,
}))

const lineOf = (text: string, at: number): number => text.slice(0, at).split('\n').length

function bannedIn(text: string): string[] {
  return BANNED.flatMap(({ pattern, instead }) =>
    [...text.matchAll(pattern)].map(({ index, 0: found }) => `${lineOf(text, index)}: "${found.replace(/\s+/g, ' ')}": write ${instead}`),
  )
}

/** The prose of a document, line for line, without code, tables, headings and addresses. */
function proseOf(text: string): string {
  const withoutCode = text.replace(/^(```+|~~~+)[\s\S]*?^\1/gm, (block) => block.replace(/[^\n]/g, ''))
  return withoutCode
    .split('\n')
    .map((line) => (/^\s*\||^#/.test(line) ? '' : line))
    .join('\n')
    .replace(/\]\([^)]*\)/g, ']')
}

function longSentencesIn(text: string): string[] {
  const prose = proseOf(text)
  const found: string[] = []
  let from = 0
  for (const end of prose.matchAll(/[.!?](?=[\s"'”)*`])|\n\s*\n|\n\s*(?:[-*]|\d+\.) |$/g)) {
    const sentence = prose.slice(from, end.index)
    const words = sentence.split(/\s+/).filter((word) => /[\p{L}\p{N}]/u.test(word)).length
    const start = from + (sentence.length - sentence.trimStart().length)
    if (words > LONGEST)
      found.push(`${lineOf(prose, start)}: a sentence of ${words} words: ${sentence.trim().replace(/\s+/g, ' ').slice(0, 60)} ...`)
    from = end.index + end[0].length
  }
  return found
}

/** The titles of the tests, line for line. */
const titlesOf = (text: string) =>
  text
    .split('\n')
    .map((line) => (/^\s*(?:it|describe|runs)\(/.test(line) ? line : ''))
    .join('\n')

const documents = ['README.md', 'CONTRIBUTING.md', 'SECURITY.md', 'CHANGELOG.md', 'docs']
let count = 0
for (const place of ['src', 'cli', 'examples', 'bench', '.ci', 'test', ...documents])
  for (const file of filesBelow(fileURLToPath(new URL(place, root)))) {
    const isDocument = file.endsWith('.md')
    if ((!isDocument && !/\.(?:tsx?|mjs|css|html|ya?ml|json)$/.test(file)) || file.endsWith('.ci/words.ts')) continue
    const text = readFileSync(file, 'utf8')
    const told = isDocument
      ? [...bannedIn(text.replace(/`[^`\n]*`/g, (code) => ' '.repeat(code.length))), ...longSentencesIn(text)]
      : bannedIn(place === 'test' ? titlesOf(text) : text)
    for (const one of told) console.log(`${relative(fileURLToPath(root), file)}:${one}`)
    count += told.length
  }
console.log(count === 0 ? 'Words: no places to rewrite.' : `Words: ${count} places to rewrite.`)
if (count > 0) process.exitCode = 1
