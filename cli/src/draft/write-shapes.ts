import type { ColumnDescription } from './description.js'
import type { DraftField, DraftType } from './draft.js'
import { pascalCase } from './names.js'
import { literal, property, quoted } from './text.js'

/** The file with a schema for each record type. */
export function shapesText(types: readonly DraftType[], head: string): string {
  const shapes = types.map(({ name, fields }) => {
    const lines = fields.map((field) => `  ${property(field.name)}: ${shapeOf(field)},`)
    return `export const ${pascalCase(name)} = z.object({\n${lines.join('\n')}\n})\n`
  })
  return `${head}import { z } from 'zod'\n\n${shapes.join('\n')}`
}

/** The schema of one field. */
export function shapeOf({ column, literal: preset }: Pick<DraftField, 'column' | 'literal'>): string {
  const single = singleOf(column)
  const value = column.list ? `z.array(${single})` : single
  const nullable = column.nullable ? '.nullable()' : ''
  const byDefault = preset === undefined ? '' : `.default(${literal(preset)})`
  return value + nullable + byDefault
}

function singleOf({ kind, labels, maxLength, list }: ColumnDescription): string {
  switch (kind) {
    case 'text':
      if (labels !== undefined && labels.length > 0) return `z.enum([${labels.map(quoted).join(', ')}])`
      return maxLength === undefined || list ? 'z.string()' : `z.string().max(${maxLength})`
    case 'integer':
      return 'z.int()'
    case 'number':
      return 'z.number()'
    case 'boolean':
      return 'z.boolean()'
    case 'time':
      return 'z.date()'
    case 'day':
      return 'z.iso.date()'
    case 'json':
      return 'z.looseObject({})'
    case 'bytes':
      return 'z.instanceof(Uint8Array)'
    case 'unknown':
      return 'z.unknown()'
  }
}
