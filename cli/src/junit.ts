import type { Finding } from 'pachter/internal/review'
import { printable } from './table.js'
import { type Element, xmlText } from './xml.js'

/** Results in the JUnit XML format that build servers read: a suite for each file, a case for each expectation. */
export function junitOf(findings: readonly Finding[]): string {
  const files = [...new Set(findings.map(fileOf))]
  return xmlText({
    name: 'testsuites',
    attributes: { name: 'pachter check', ...counts(findings) },
    inside: files.map((file) => suite(file, findings)),
  })
}

function suite(file: string, findings: readonly Finding[]): Element {
  const mine = findings.filter((one) => fileOf(one) === file)
  return {
    name: 'testsuite',
    attributes: { name: file, ...counts(mine), errors: 0, skipped: 0 },
    inside: mine.map((one) => testCase(file, one)),
  }
}

function testCase(file: string, { expectation, title, held, problems }: Finding): Element {
  const failure = { name: 'failure', attributes: { message: printable(problems[0] ?? '') }, inside: problems.map(printable).join('\n') }
  return {
    name: 'testcase',
    attributes: { name: printable(title), classname: expectation.person, file, line: expectation.place?.line ?? 1 },
    inside: held ? [] : [failure],
  }
}

const fileOf = ({ expectation }: Finding) => expectation.place?.file ?? ''
const counts = (findings: readonly Finding[]) => ({ tests: findings.length, failures: findings.filter(({ held }) => !held).length })
