import { type CellToSave, type Expectation, type Ground, type MutantFindings, openProject, type Project } from 'pachter/internal/review'
import { isKeyField, type Key, knownAction, typeModel, UnknownNameError } from 'pachter/internal/rulebook'
import { UsageError } from '../errors.js'

const MOST = 5000

/**
 * Reads what to save as expectations: cells, or proposals for surviving mutants, by their numbers. Everything is checked. @throws
 * UsageError, UnknownNameError
 */
export function readSaved(given: unknown, project: Project, mutants?: MutantFindings): Expectation[] {
  const { cells, proposals } = (given ?? {}) as { cells?: unknown; proposals?: unknown }
  if (Array.isArray(proposals)) {
    const found = proposals.map((number) => mutants?.survived[number as number]?.proposal)
    if (found.length === 0 || found.some((one) => one === undefined)) throw new UsageError('save: this proposal does not exist')
    return found as Expectation[]
  }
  if (!Array.isArray(cells) || cells.length === 0 || cells.length > MOST)
    throw new UsageError(`save: needs { cells: [...] }, with at most ${MOST}`)
  const ground = openProject(project)
  return joined(
    ground,
    cells.map((cell: Partial<CellToSave> | null) => readCell(cell, ground)),
  )
}

function readCell(cell: Partial<CellToSave> | null, ground: Ground): CellToSave {
  const { person, type: typeName, key, action: actionName, allowed, fields } = cell ?? {}
  if (typeof person !== 'string' || !Object.hasOwn(ground.people, person))
    throw new UnknownNameError('person', String(person), Object.keys(ground.people), 'save')
  const type = typeModel(ground.model, typeName as string)
  const action = knownAction(type, actionName as string)
  if (action === 'create') throw new UsageError('save: needs an existing record; create cannot be saved from a cell')
  if (typeof allowed !== 'boolean') throw new UsageError('save: allowed has to be true or false')
  if (ground.record(type.name, key as Key) === undefined)
    throw new UnknownNameError(type.name, String(key), ground.keys(type.name).map(String), 'save')
  const about = { person, type: type.name, key: key as Key, action, allowed }
  if (fields === undefined) return about
  if (action !== 'read' && action !== 'update')
    throw new UsageError(`save: fields can be saved for read and update only; ${action} affects the whole record`)
  if (!Array.isArray(fields) || fields.length === 0) throw new UsageError('save: fields has to be a list of names')
  for (const name of fields as unknown[])
    if (typeof name !== 'string' || !Object.hasOwn(type.fields, name) || isKeyField(type, name))
      throw new UnknownNameError('field', String(name), Object.keys(type.fields), 'save')
  return { ...about, fields: fields as readonly string[] }
}

/** Cells with the same person, type and action become one expectation. If they cover all records, it says exactly which. */
function joined(ground: Ground, cells: readonly CellToSave[]): Expectation[] {
  const groups = new Map<string, Map<Key, CellToSave>>()
  for (const cell of cells) {
    const { person, type, action, key, fields } = cell
    const name = JSON.stringify([person, type, action, ...(fields === undefined ? [] : [fields, key, cell.allowed])])
    groups.set(name, (groups.get(name) ?? new Map()).set(key, cell))
  }
  return [...groups.values()].flatMap((group): Expectation[] => {
    const mine = [...group.values()]
    const { person, type, action, key, fields, allowed } = mine[0] as CellToSave
    const about = { person, action, type }
    if (fields !== undefined)
      return [{ ...about, action: action as 'read', kind: 'fields', key, extent: allowed ? 'at least' : 'none', fields }]
    if (action !== 'read' && action !== 'update')
      return mine.map((one) => ({ ...about, kind: 'try' as const, key: one.key, allowed: one.allowed }))
    const keys = (are: boolean) => mine.filter((one) => one.allowed === are).map((one) => one.key)
    if (mine.length > 1 && mine.length === ground.keys(type).length)
      return [
        {
          ...about,
          kind: 'reach',
          ...(keys(true).length === 0 ? { extent: 'none', keys: 'all' } : { extent: 'exactly', keys: keys(true) }),
        },
      ]
    return [
      ...(keys(true).length === 0 ? [] : [{ ...about, kind: 'reach' as const, extent: 'at least' as const, keys: keys(true) }]),
      ...(keys(false).length === 0 ? [] : [{ ...about, kind: 'reach' as const, extent: 'none' as const, keys: keys(false) }]),
    ]
  })
}
