import type { Finding } from 'pachter/internal/review'
import { create } from 'xmlbuilder'
import { printable } from './table.js'

/** Findings in the XML that build servers read as the results of tests: a suite for each file, a case for each expectation. */
export function junitOf(findings: readonly Finding[]): string {
  const files = [...new Set(findings.map(({ expectation }) => expectation.place?.file ?? ''))]
  const failuresIn = (some: readonly Finding[]) => some.filter(({ held }) => !held).length
  const root = create('testsuites', { encoding: 'UTF-8' })
  root.att({ name: 'pachter check', tests: findings.length, failures: failuresIn(findings) })
  for (const file of files) {
    const mine = findings.filter(({ expectation }) => (expectation.place?.file ?? '') === file)
    const suite = root.ele('testsuite', { name: file, tests: mine.length, failures: failuresIn(mine), errors: 0, skipped: 0 })
    for (const { expectation, title, held, problems } of mine) {
      const about = { name: printable(title), classname: expectation.person, file, line: expectation.place?.line ?? 1 }
      const one = suite.ele('testcase', about)
      if (!held) one.ele('failure', { message: printable(problems[0] ?? '') }, problems.map(printable).join('\n'))
    }
  }
  return root.end({ pretty: true })
}
