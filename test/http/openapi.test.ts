import { Validator } from '@seriousme/openapi-schema-validator'
import { expect } from 'chai'
import { openApi, routes } from 'pachter/http'
import { inMemory, openStore } from 'pachter/store'
import { book } from '../../examples/world/rulebook.js'
import { types } from '../support/world.js'

describe('the OpenAPI document', () => {
  const document = openApi(book, {
    title: 'Allotments',
    version: '1',
    base: '/api',
    paths: { plot: 'plots' },
    actions: { inspection: { confirm: async () => undefined } },
  }) as any

  it('is one, by the schema of OpenAPI 3.1', async () => {
    const { valid, errors } = await new Validator().validate(structuredClone(document))
    expect(valid, JSON.stringify(errors)).to.equal(true)
    const ids = Object.values<any>(document.paths).flatMap((methods) =>
      Object.values<any>(methods).flatMap(({ operationId }) => operationId ?? []),
    )
    expect(new Set(ids).size).to.equal(ids.length)
    for (const [, target] of JSON.stringify(document).matchAll(/"\$ref":"#\/([^"]+)"/g))
      expect(
        (target as string).split('/').reduce((at, step) => at?.[step], document),
        target,
      ).to.be.an('object')
  })

  it('has for each record type what some clause allows', () => {
    for (const type of types) {
      const may = book.model.types[type]?.rules?.may
      const path = type === 'plot' ? '/api/plots' : `/api/${type}`
      const has = [document.paths[path]?.post, document.paths[`${path}/{id}`]?.patch, document.paths[`${path}/{id}`]?.delete]
      expect(
        has.map((one) => one !== undefined),
        type,
      ).to.deep.equal((['create', 'update', 'delete'] as const).map((action) => (may?.[action].length ?? 0) > 0))
    }
    expect(document.paths['/api/plots'].get.description).to.include('anyone, provided the plot\'s state is "vacant"')
    expect(document.paths['/api/inspection/{id}/confirm']).to.include.keys('get', 'post')
    expect(document.paths['/api/plots/{id}/shares'].get.description).to.include('giver; or helper')
  })

  it('is made of what is served: every address takes the methods that it tells of', async () => {
    const files = { plot: async () => new Response('a map') }
    const served = { base: '/api', paths: { plot: 'plots' }, actions: { inspection: { confirm: async () => undefined } }, files }
    const whole = openApi(book, { title: 'Allotments', version: '1', matchRequired: true, ...served } as never) as any
    const answer = routes(book, openStore(book, inMemory()), { identity: Object.assign(async () => null, { automatic: false }), ...served })
    let told = 0
    for (const [path, item] of Object.entries<any>(whole.paths)) {
      const address = `http://localhost${path.replaceAll(/\{\w+\}/g, 'x-1')}`
      const allow = (await answer(new Request(address, { method: 'OPTIONS' }))).headers.get('allow')?.split(', ')
      for (const method of Object.keys(item).filter((name) => name !== 'parameters')) {
        expect(allow, path).to.include(method.toUpperCase())
        expect(item[method].responses, `${method} ${path}`).to.include.keys('401', '500', '503')
        told++
      }
    }
    expect(told).to.be.above(100)
    expect(whole.paths).to.include.keys('/api/my-rules', '/api/my-rules/verdicts', '/api/my-lists', '/api/plots/{id}/files/{file}')
    expect(whole.paths).not.to.have.property('/api/my-rules/why')
    expect(whole.paths['/api/plots/{id}'].patch.responses).to.include.keys('412', '428')
    expect(whole.paths['/api/plots'].get.responses).to.include.keys('406', '429')
  })

  it('says what shapes say, and what is stamped need not be sent', () => {
    const { plot, plotNew, entryNew } = document.components.schemas
    expect(plot.required).to.deep.equal(['id'])
    expect(plot.properties.state).to.deep.equal({ type: 'string', enum: ['vacant', 'let', 'ending'] })
    expect(plot.properties.holderId).to.deep.equal({ anyOf: [{ type: 'string' }, { type: 'null' }] })
    expect(plotNew.required).to.include('number').and.not.include('rentDue')
    expect(plotNew.properties).not.to.have.property('id')
    expect(entryNew.required).to.deep.equal(['plotId', 'audience', 'text'])
  })
})
