/** Writes a line to standard output. */
export function say(text = ''): void {
  process.stdout.write(`${text}\n`)
}

/** Shows progress on a terminal if the work takes a while. */
export function readingProgress(): (type: string, done: number, all: number) => void {
  const begun = Date.now()
  let last = begun
  return (type, done, all) => {
    const now = Date.now()
    if (!process.stderr.isTTY && now - last < 10_000) return
    if (now - begun < 1000 || now - last < 200) return
    last = now
    const line = `${type}: ${done.toLocaleString('en')} of ${all.toLocaleString('en')} records`
    process.stderr.write(process.stderr.isTTY ? `\r\u001b[K${line}${done === all ? '\r\u001b[K' : ''}` : `${line}\n`)
  }
}

/** Shows the progress on a terminal; without arguments, clears the line. */
export function progress(what?: string, done?: number, all?: number): void {
  if (process.stderr.isTTY !== true) return
  process.stderr.write(what === undefined ? '\r\x1b[K' : `\r\x1b[K${what}: ${done}${all === undefined ? '' : ` of ${all}`} `)
}
