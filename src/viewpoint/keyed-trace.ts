import { type ConditionNode, type Env, type Row, type Trace, trace } from '../condition/index.js'
import { keyOf, type Model, typeModel } from '../rulebook/index.js'

/** Evaluates conditions and keeps the results, with the keys of linked records. */
export type Tracer = (node: ConditionNode, record: Row, env: Env) => Trace

/** A tracer for the conditions of a rulebook. */
export function tracerOf(model: Pick<Model, 'types'>): Tracer {
  return (node, record, env) => withKeys(model, trace(node, record, env))
}

function withKeys(model: Pick<Model, 'types'>, part: Trace): Trace {
  const { node } = part
  const type = node.kind === 'some' && node.over.kind !== 'elements' ? typeModel(model, node.over.type) : undefined
  const of = part.of.map((one) => {
    const inner = withKeys(model, one)
    return type === undefined || inner.on === undefined ? inner : { ...inner, key: String(keyOf(type, inner.on)) }
  })
  return { ...part, of }
}
