// Builds pages. Vite makes production of the process that it runs in, which other tests do not expect.
import { build, type InlineConfig } from 'vite'

export async function buildWith(config: InlineConfig): Promise<Awaited<ReturnType<typeof build>>> {
  const { NODE_ENV } = process.env
  try {
    return await build({ logLevel: 'error', ...config })
  } finally {
    if (NODE_ENV === undefined) delete process.env.NODE_ENV
    else process.env.NODE_ENV = NODE_ENV
  }
}
