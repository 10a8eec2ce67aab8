import type { Row } from '../condition/index.js'
import type { Key, TypeModel } from '../rulebook/index.js'
import { type Call, NOWHERE, type Site } from './call.js'
import { who } from './openapi-parts.js'
import type { Route } from './route.js'

/** The files of a record, for everyone who may read the record. */
export function fileRoutes(site: Site, path: string, type: TypeModel): Route[] {
  if (site.files[type.name] === undefined) return []
  const doc = {
    id: `file_of_${type.name}`,
    tag: type.name,
    summary: `Get a file of a ${type.name}`,
    description: who(type, 'read'),
    responses: { 200: { description: 'The file.', content: { '*/*': { schema: { type: 'string', format: 'binary' } } } } },
    problems: [404],
  }
  return [
    {
      steps: [path, { param: 'key' }, 'files', { param: 'rest' }],
      endpoints: { GET: { answer: (call, { key, rest }) => file(call, type, key, rest), doc } },
    },
  ]
}

/** No file name can lead out of the record's own files. */
async function file({ site, store, request }: Call, type: TypeModel, key: Key, name: string): Promise<Response> {
  if (name.split('/').some((step) => step === '' || step === '.' || step === '..' || /[\\\0]/.test(step))) throw NOWHERE()
  const record = (await store.get(type.name, key)) as Row
  const found = await site.files[type.name]?.({ request, store, record, name })
  if (found === undefined) throw NOWHERE()
  // Uploaded files are served with their stated type, and cannot run scripts.
  const response = new Response(found.body, found)
  response.headers.set('x-content-type-options', 'nosniff')
  if (!response.headers.has('content-security-policy')) response.headers.set('content-security-policy', "default-src 'none'; sandbox")
  if (!response.headers.has('cache-control')) response.headers.set('cache-control', 'private, no-cache')
  return response
}
