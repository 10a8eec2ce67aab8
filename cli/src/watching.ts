/** Calls when something changes in these folders or files. Gives how to end it. */
export async function watchPlaces(places: readonly string[], changed: () => void): Promise<() => Promise<void>> {
  const { watch } = await import('chokidar')
  const watcher = watch([...places], { ignoreInitial: true, ignored: /[\\/](node_modules|\.git|dist)([\\/]|$)|\.draft$/ })
  // Until it has looked around, what changes would be taken for what was there.
  await new Promise<void>((done) => watcher.once('ready', () => done()))
  let soon: NodeJS.Timeout | undefined
  watcher.on('all', () => {
    clearTimeout(soon)
    // What an editor writes in several steps is one change.
    soon = setTimeout(changed, 100)
  })
  return async () => {
    clearTimeout(soon)
    await watcher.close()
  }
}
