/** Writes a line to standard output. */
export function say(text = ''): void {
  process.stdout.write(`${text}\n`)
}
