import { isMissing, PachterError, type Row, toComparable } from '../condition/index.js'
import type { MeModel, ShapeIssue } from '../rulebook/index.js'

/** The claims do not fit the shape of `me`. Nothing is allowed, and the person does not count as a visitor. */
export class ClaimsError extends PachterError {
  constructor(problem: string) {
    super('BAD_CLAIMS', `the claims do not fit the shape of me: ${problem}`)
  }
}

/**
 * Checks claims against the shape of `me`. Null and undefined are a visitor, who has none.
 * @throws ClaimsError
 */
export function readClaims(me: MeModel, claims: unknown): Row | null {
  if (claims === null || claims === undefined) return null
  const result = me.shape['~standard'].validate(claims)
  if (result instanceof Promise) throw new ClaimsError('their shape validates asynchronously. A rulebook needs a synchronous one.')
  if (result.issues) throw new ClaimsError(result.issues.map(issueText).join('; '))
  const value = result.value as Row
  const key = value[me.key]
  const type = me.fields[me.key]?.type === 'integer' ? 'integer' : 'id'
  if (isMissing(key, type)) throw new ClaimsError(`${me.key} is blank`)
  if (toComparable(key, type) === undefined) throw new ClaimsError(`${me.key} is not a valid ${type}`)
  return value
}

/** The path of a shape's issue: "holder.name"; empty for the whole. */
export function issuePath({ path = [] }: ShapeIssue): string {
  return path.map((step) => String(typeof step === 'object' ? step.key : step)).join('.')
}

function issueText(issue: ShapeIssue): string {
  const path = issuePath(issue)
  return path === '' ? issue.message : `${path}: ${issue.message}`
}
