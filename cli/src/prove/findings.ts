import {
  type IdleRule,
  idleAcceptances,
  idleRules,
  type JudgedGuarantee,
  judgeGuarantees,
  type Promotion,
  selfPromotions,
} from 'pachter/internal/prove'
import { type Model, typeModel } from 'pachter/internal/rulebook'
import { progress } from '../output.js'

/** What `pachter prove` can be asked. */
export const PARTS = ['guarantees', 'self-promotion', 'idle-rules'] as const
/** One of them. */
export type Part = (typeof PARTS)[number]

/** What was found out. */
export interface Findings {
  readonly parts: readonly Part[]
  readonly guarantees: readonly JudgedGuarantee[]
  readonly promotions: readonly Promotion[]
  /** How many ways to give oneself more were looked for. */
  readonly asked: number
  /** The acceptances that nothing was found for. */
  readonly unused: ReturnType<typeof idleAcceptances>
  readonly idle: readonly IdleRule[]
  /** How many rules were looked at. */
  readonly looked: number
}

/** Asks everything of these parts and record types. */
export async function findingsOf(
  model: Model,
  parts: readonly Part[],
  types: readonly string[],
  onProgress: (what: string, done: number, all?: number) => void = progress,
): Promise<Findings> {
  const ofTypes = types.reduce((sum, name) => sum + (typeModel(model, name).guarantees?.length ?? 0), 0)
  const all = ofTypes + (types.length === Object.keys(model.types).length ? (model.guarantees?.length ?? 0) : 0)
  const guarantees: JudgedGuarantee[] = []
  if (parts.includes('guarantees'))
    for (const one of judgeGuarantees(model, types)) {
      guarantees.push(one)
      onProgress('guarantees', guarantees.length, all)
    }
  const promotions: Promotion[] = []
  let asked = 0
  if (parts.includes('self-promotion'))
    for await (const { found } of selfPromotions(model, types)) {
      promotions.push(...found)
      asked += 1
      onProgress('self-promotion', asked)
    }
  const rules: (IdleRule | undefined)[] = []
  if (parts.includes('idle-rules'))
    for (const one of idleRules(model, types)) {
      rules.push(one)
      onProgress('rules', rules.length)
    }
  progress()
  return {
    parts,
    guarantees,
    promotions,
    asked,
    unused: parts.includes('self-promotion') ? idleAcceptances(model, promotions, types) : [],
    idle: rules.filter((one) => one !== undefined),
    looked: rules.length,
  }
}

/** Whether everything is proved, or accepted. */
export function isProved({ guarantees, promotions }: Findings): boolean {
  return guarantees.every(({ judged }) => judged.outcome === 'proved') && promotions.every(({ accepted }) => accepted !== undefined)
}
