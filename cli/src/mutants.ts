import { judgeGuarantee, judgeGuarantees } from 'pachter/internal/prove'
import { expectationTitle, type MutantResult } from 'pachter/internal/review'
import type { Model } from 'pachter/internal/rulebook'
import pc from 'picocolors'
import { mutantsSarif } from './check-sarif.js'
import { withExpectations } from './files/expectation-text.js'
import type { Loaded } from './load.js'
import { say } from './output.js'
import { saveExpectations } from './save-expectations.js'
import { hanging, printable, wrapped } from './table.js'

/** Reports the mutants. Returns whether every one that makes a difference was killed. */
export function reportMutants(
  results: readonly MutantResult[],
  loaded: Loaded,
  { save, format }: { readonly save?: boolean; readonly format: string },
): boolean {
  const [killed, survived, same] = (['killed', 'survived', 'equivalent'] as const).map((outcome) =>
    results.filter((one) => one.outcome === outcome),
  ) as [MutantResult[], MutantResult[], MutantResult[]]
  const proposals = [...new Set(survived.flatMap(({ proposal }) => (proposal === undefined ? [] : [proposal])))]
  const saved = save && proposals.length > 0 ? saveExpectations(loaded, proposals) : undefined
  if (format === 'json') {
    say(JSON.stringify(results.map(asJson), null, 2))
    return survived.length === 0
  }
  if (format === 'sarif') {
    say(mutantsSarif(loaded.model, survived, ({ proposal }) => proposal && expectationTitle(proposal)))
    return survived.length === 0
  }
  const guaranteed = killed.filter(({ guarantee }) => guarantee !== undefined).length
  const byGuarantees = guaranteed === 0 ? '' : `, ${guaranteed} of them by guarantees alone`
  const score = `${results.length} mutants: ${pc.green(`${killed.length} killed`)}${byGuarantees}, ${
    survived.length === 0 ? 'none survived' : pc.red(`${survived.length} survived`)
  }${same.length === 0 ? '' : `, ${same.length} equivalent on this data`}.`
  if (survived.length > 0) {
    say(pc.bold('Survived: no expectation fails if the rules are weakened like this'))
    say()
    say(
      wrapped(
        ['type', 'rule', 'weakened', 'would be killed by'],
        survived.map(({ mutant, proposal }, at) => {
          const before = survived[at - 1]
          const again = before?.mutant.type === mutant.type && before?.mutant.rule === mutant.rule
          const known = proposal !== undefined && before?.proposal === proposal
          return [
            again ? ' ' : (mutant.type ?? 'all'),
            again ? ' ' : printable(mutant.rule),
            printable(mutant.step),
            known ? 'the same' : printable(proposal === undefined ? '' : expectationTitle(proposal)),
          ]
        }),
      ),
    )
    say()
  }
  if (same.length > 0) {
    say(pc.dim('Equivalent on this data: no difference was found for these people and records:'))
    for (const line of fold(same)) say(pc.dim(`  ${hanging(line, 4)}`))
    say()
  }
  say(score)
  if (saved !== undefined) say(`${proposals.length} expectations were saved to ${saved}. Read them before you commit them.`)
  else if (proposals.length > 0) {
    say()
    say(pc.bold('Expectations that would kill them. Save them with pachter check --mutants --save:'))
    say()
    say(withExpectations(undefined, proposals).split('\n').slice(2).join('\n').trimEnd())
  }
  return survived.length === 0
}

const MOST_TOLD = 12

function fold(same: readonly MutantResult[]): string[] {
  const lines = same
    .slice(0, MOST_TOLD)
    .map(({ mutant }) => printable(`${mutant.type === undefined ? '' : `${mutant.type}: `}${mutant.rule}: ${mutant.step}`))
  return same.length <= MOST_TOLD ? lines : [...lines, `and ${same.length - MOST_TOLD} more. Use --format json to list all.`]
}

function asJson({ mutant: { model: _model, ...mutant }, outcome, by, guarantee, proposal }: MutantResult) {
  return {
    ...mutant,
    outcome,
    ...(by ? { killedBy: { title: expectationTitle(by), ...by.place } } : {}),
    ...(guarantee ? { killedBy: { guarantee: guarantee.title, type: guarantee.type } } : {}),
    ...(proposal ? { proposal } : {}),
  }
}

/** Finds a guarantee that holds for a rulebook and not for a weakened one. Those that do not hold anyway kill nothing. */
export function guaranteesOf(
  model: Model,
): (weakened: Model, types: readonly string[]) => { readonly type: string; readonly title: string } | undefined {
  const proved = new Set([...judgeGuarantees(model)].filter(({ judged }) => judged.outcome === 'proved').map(({ guarantee }) => guarantee))
  return (weakened, types) => {
    for (const type of types)
      for (const guarantee of weakened.types[type]?.guarantees ?? [])
        if (proved.has(guarantee) && judgeGuarantee(weakened, type, guarantee).outcome === 'refuted')
          return { type, title: guarantee.title }
    return undefined
  }
}

/** Appends them to the expectation file for saved ones, and returns its path. */
