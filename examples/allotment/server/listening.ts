import type { ServerType } from '@hono/node-server'

/** Waits until a server listens, and returns its address. If the port is taken, the message says so. */
export async function listening(server: ServerType) {
  await new Promise<void>((resolve, reject) => {
    server.once('listening', resolve)
    server.once('error', reject)
  })
  const { port } = server.address() as { port: number }
  return {
    url: `http://127.0.0.1:${port}`,
    port,
    close: async () => {
      if ('closeAllConnections' in server) server.closeAllConnections()
      await new Promise((resolve) => server.close(resolve))
    },
  }
}
