/** Calls back when these folders or files change. Returns a function that ends it. */
export async function watchPlaces(places: readonly string[], changed: () => void): Promise<() => Promise<void>> {
  const { watch } = await import('chokidar')
  const watcher = watch([...places], { ignoreInitial: true, ignored: /[\\/](node_modules|\.git|dist)([\\/]|$)|\.draft$/ })
  // Until the first scan is finished, a change would be taken for the initial state.
  await new Promise<void>((done) => watcher.once('ready', () => done()))
  let soon: NodeJS.Timeout | undefined
  watcher.on('all', () => {
    clearTimeout(soon)
    // Editors write in several steps, which count as one change.
    soon = setTimeout(changed, 100)
  })
  return async () => {
    clearTimeout(soon)
    await watcher.close()
  }
}
