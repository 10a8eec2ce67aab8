import { type Expectation, openProject, type Project } from '../../review/index.js'
import { type Key, knownAction, typeModel, UnknownNameError } from '../../rulebook/index.js'
import { UsageError } from '../errors.js'

/** A cell that is to stay as it is, or to become so. */
interface Cell {
  readonly person: string
  readonly type: string
  readonly key: Key
  readonly action: string
  readonly allowed: boolean
}

const MOST = 500

/** Reads which cells are to be kept, as expectations. Nothing is taken on trust. @throws UsageError, UnknownNameError */
export function readCells(given: unknown, project: Project): Expectation[] {
  const cells = (given as { cells?: unknown } | null)?.cells
  if (!Array.isArray(cells) || cells.length === 0 || cells.length > MOST)
    throw new UsageError(`keep: { cells: [...] } is needed, with up to ${MOST}`)
  const ground = openProject(project)
  return cells.map((cell: Partial<Cell> | null) => {
    const { person, type: typeName, key, action: actionName, allowed } = cell ?? {}
    if (typeof person !== 'string' || !Object.hasOwn(ground.people, person))
      throw new UnknownNameError('person', String(person), Object.keys(ground.people), 'keep')
    const type = typeModel(ground.model, typeName as string)
    const action = knownAction(type, actionName as string)
    if (action === 'create') throw new UsageError('keep: of a record that is there, and not of creating one')
    if (typeof allowed !== 'boolean') throw new UsageError('keep: allowed is true or false')
    if (ground.record(type.name, key as Key) === undefined)
      throw new UnknownNameError(type.name, String(key), ground.keys(type.name).map(String), 'keep')
    const about = { person, action, type: type.name }
    return action === 'read' || action === 'update'
      ? { ...about, kind: 'reach' as const, extent: allowed ? ('at least' as const) : ('none' as const), keys: [key as Key] }
      : { ...about, kind: 'try' as const, key: key as Key, allowed }
  })
}
