/** A line of an output, compared with the output before. */
export interface ChangedLine {
  readonly text: string
  readonly change: 'same' | 'new' | 'gone'
}

/**
 * What changed between two outputs, line by line: the longest common subsequence stays, computed by the table of Wagner and Fischer (1974)
 * over the lines between the common start and the common end.
 */
export function lineChanges(before: readonly string[], after: readonly string[]): ChangedLine[] {
  let start = 0
  while (start < before.length && start < after.length && before[start] === after[start]) start++
  let end = 0
  while (end < before.length - start && end < after.length - start && before.at(-1 - end) === after.at(-1 - end)) end++
  const line = (change: ChangedLine['change']) => (text: string) => ({ text, change })
  return [
    ...after.slice(0, start).map(line('same')),
    ...between(before.slice(start, before.length - end), after.slice(start, after.length - end)),
    ...after.slice(after.length - end).map(line('same')),
  ]
}

function between(before: readonly string[], after: readonly string[]): ChangedLine[] {
  // How many lines stay, from each pair of places to the end.
  const stay = Array.from({ length: before.length + 1 }, () => new Uint32Array(after.length + 1))
  const at = (row: number, column: number) => stay[row]?.[column] ?? 0
  for (let row = before.length - 1; row >= 0; row--)
    for (let column = after.length - 1; column >= 0; column--)
      (stay[row] as Uint32Array)[column] =
        before[row] === after[column] ? at(row + 1, column + 1) + 1 : Math.max(at(row + 1, column), at(row, column + 1))
  const lines: ChangedLine[] = []
  let [row, column] = [0, 0]
  while (row < before.length || column < after.length) {
    if (row < before.length && column < after.length && before[row] === after[column]) {
      lines.push({ text: after[column] as string, change: 'same' })
      row++
      column++
    } else if (row < before.length && (column === after.length || at(row + 1, column) >= at(row, column + 1))) {
      lines.push({ text: before[row] as string, change: 'gone' })
      row++
    } else {
      lines.push({ text: after[column] as string, change: 'new' })
      column++
    }
  }
  return lines
}
