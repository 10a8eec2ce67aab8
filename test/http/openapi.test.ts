import { Validator } from '@seriousme/openapi-schema-validator'
import { expect } from 'chai'
import { openApi } from 'pachter/http'
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

  it('has for each record type what some clause lets somebody do', () => {
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
