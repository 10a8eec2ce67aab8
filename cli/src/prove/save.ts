import { existsSync, mkdirSync, readdirSync, writeFileSync } from 'node:fs'
import { join, relative, resolve } from 'node:path'
import { jsonText } from 'pachter/internal/condition'
import type { Example, GuaranteeNode, Write } from 'pachter/internal/prove'
import type { Expectation } from 'pachter/internal/review'
import { keyOf, type Model, serverKey, typeModel } from 'pachter/internal/rulebook'
import { changedFields } from 'pachter/internal/viewpoint'
import { UsageError } from '../errors.js'
import { withExpectations } from '../files/expectation-text.js'
import type { Loaded } from '../load.js'
import type { Findings } from './findings.js'
import { personIn } from './worlds.js'

/** An example and what the person should be refused in it. */
interface World {
  readonly title: string
  readonly example: Example
  readonly expectation: Expectation
}

/**
 * Writes each example as a project of its own: records, the person, the time, and an expectation that fails until the rules are mended. Returns
 * the configuration files.
 * @throws UsageError if the folder has something in it
 */
export function saveExamples(loaded: Loaded, findings: Findings, folder: string): readonly string[] {
  const root = resolve(folder)
  if (existsSync(root) && readdirSync(root).length > 0)
    throw new UsageError(`prove --save-examples: ${folder} is not empty. Name a new folder, or remove what is there.`)
  return worldsOf(loaded.model, findings).map(({ title, example, expectation }, at) => {
    const own = join(
      root,
      `${at + 1}-${title
        .toLowerCase()
        .replaceAll(/[^a-z0-9]+/g, '-')
        .slice(0, 40)
        .replaceAll(/^-|-$/g, '')}`,
    )
    mkdirSync(join(own, 'data'), { recursive: true })
    mkdirSync(join(own, 'expectations'))
    for (const [type, rows] of Object.entries(example.records)) writeFileSync(join(own, 'data', `${type}.json`), `${jsonText(rows, 2)}\n`)
    writeFileSync(join(own, 'expectations', 'example.yaml'), withExpectations(undefined, [expectation]))
    const file = join(own, 'pachter.config.ts')
    writeFileSync(file, configText(title, example, relative(own, loaded.file)))
    return relative(process.cwd(), file)
  })
}

function configText(title: string, { me, now }: Example, original: string): string {
  const path = original.startsWith('.') ? original : `./${original}`
  const people = me === null ? '{}' : `{ ${JSON.stringify(personIn({ me }))}: ${jsonText(me)} }`
  return `// An example of pachter prove: ${title.replaceAll(/\s+/g, ' ')}
import original from ${JSON.stringify(path.replaceAll('\\', '/').replace(/\.ts$/, '.js'))}

export default {
  ...original,
  data: new URL('./data/', import.meta.url),
  people: ${people},
  expectations: new URL('./expectations/', import.meta.url),
  now: new Date(${JSON.stringify(new Date(now).toISOString())}),
}
`
}

function worldsOf(model: Model, { guarantees, promotions }: Findings): readonly World[] {
  const refuted = guarantees.flatMap(({ type, guarantee, judged }): World[] => {
    if (judged.outcome !== 'refuted') return []
    const { example, field } = judged
    const expectation =
      guarantee.of === undefined
        ? refusal(model, { type, action: guarantee.never, field, within: guarantee.within }, example)
        : { kind: guarantee.of, person: personIn(example), name: guarantee.never, has: false }
    return [{ title: guarantee.title, example, expectation }]
  })
  const found = promotions.flatMap(({ write, gain, example }): World[] =>
    example === undefined
      ? []
      : [
          {
            title: `${write.action} ${write.type}, then ${gain.action} ${gain.type}`,
            example,
            expectation: refusal(model, write, example),
          },
        ],
  )
  return [...refuted, ...found]
}

type Refused = Pick<Write, 'type'> & {
  readonly action: string
  readonly field?: string | undefined
  readonly within?: GuaranteeNode['within']
}

/** That the person of an example is refused what they do in it. */
function refusal(model: Model, { type: name, action, field, within }: Refused, example: Example): Expectation {
  const { record = {}, becomes = {} } = example
  const type = typeModel(model, name)
  const person = personIn(example)
  const inside = typeof within === 'string' ? { within } : {}
  if (action === 'create') {
    const sending = Object.fromEntries(Object.entries(record).filter(([key, value]) => value != null && key !== serverKey(type)))
    return { kind: 'try', person, action, type: name, sending, allowed: false, ...inside }
  }
  const key = keyOf(type, record)
  if (action === 'read')
    return field === undefined
      ? { kind: 'reach', person, action, type: name, extent: 'none', keys: [key] }
      : { kind: 'fields', person, action, type: name, key, extent: 'none', fields: [field] }
  const changed = changedFields(type, record, becomes)
  const sending = action === 'update' ? { sending: Object.fromEntries(changed.map((one) => [one, becomes[one] ?? null])) } : {}
  return { kind: 'try', person, action, type: name, key, ...sending, allowed: false, ...inside }
}
