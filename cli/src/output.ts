/** Writes a line to standard output. */
export function say(text = ''): void {
  process.stdout.write(`${text}\n`)
}

/** Says how far it is, where somebody looks and it takes a while. */
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

/** How far it is, where somebody is looking; without numbers, the line is cleared. */
export function progress(done?: number, all?: number): void {
  if (process.stderr.isTTY !== true) return
  process.stderr.write(done === undefined ? '\r\x1b[K' : `\r${done} of ${all} `)
}
