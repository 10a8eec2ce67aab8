import { readFileSync } from 'node:fs'
import Ajv2020 from 'ajv/dist/2020.js'
import { expect } from 'chai'
import fc from 'fast-check'
import { isPachterError, rulebook, toOne } from 'pachter'
import { rulebookFromJson, rulebookToJson } from 'pachter/json'
import { z } from 'zod'
import { generateWorld } from '../../examples/world/generate.js'
import { people } from '../../examples/world/people.js'
import { book } from '../../examples/world/rulebook.js'
import * as shapes from '../../examples/world/shapes.js'
import { pachter } from '../support/command.js'
import { tries } from '../support/tries.js'

const { Session, ...all } = shapes
const given = { me: Session, records: Object.fromEntries(Object.entries(all).map(([name, shape]) => [name.toLowerCase(), shape])) }
const json = () => JSON.parse(JSON.stringify(rulebookToJson(book)))
const validate = new Ajv2020.default({ strict: true, allowUnionTypes: true, strictRequired: false }).compile(
  JSON.parse(readFileSync(new URL('../../docs/rulebook.schema.json', import.meta.url), 'utf8')),
)

describe('a rulebook in JSON', () => {
  it('fits its published schema, and is what the command prints', () => {
    expect(validate(json()), JSON.stringify(validate.errors)).to.equal(true)
    expect(JSON.parse(pachter('rules --format json').stdout)).to.deep.equal(json())
    expect(validate({ ...json(), types: { plot: { ...json().types.plot, extra: 1 } } })).to.equal(false)
  })

  it('fits it with everything that the demo world has no use for', () => {
    const gone = z.object({ id: z.string(), siteId: z.string(), by: z.string().nullable(), goneAt: z.date().nullable() })
    const loan = z.object({ id: z.string(), siteId: z.string(), toolId: z.string(), dueOn: z.iso.date() })
    const full = rulebook({
      me: { shape: z.object({ id: z.string(), siteId: z.string() }), key: 'id', timeZone: 'Europe/Dublin' },
      records: {
        tool: { shape: gone, key: 'id', removal: 'goneAt' },
        loan: { shape: loan, key: 'id', days: ['dueOn'], links: { tool: toOne('tool', 'toolId') } },
      },
    })
      .everyRecord(({ record, me }) => record.siteId.is(me.siteId), { message: 'Of your own site only.' })
      .rules({
        tool: (_, { me, signedIn }) => ({
          may: { read: [signedIn.includingRemoved()], delete: [signedIn] },
          stamps: { delete: { by: me.id } },
        }),
        loan: (one, { anyone, me, today }) => ({
          may: { read: [anyone.provided(one.tool.by.is(me.id)), anyone.provided(one.dueOn.isBefore(today.plusDays(-7)))] },
        }),
      })
    expect(validate(JSON.parse(JSON.stringify(rulebookToJson(full)))), JSON.stringify(validate.errors)).to.equal(true)
  })

  it('reads back equal: the same data, and the same answers for every person', () => {
    const back = rulebookFromJson(json(), given)
    expect(rulebookToJson(back)).to.deep.equal(json())
    expect(back.warnings).to.deep.equal(book.warnings)
    const world = generateWorld()
    const now = new Date('2026-06-15T09:00:00Z')
    for (const claims of [...Object.values(people), null]) {
      const one = book.for(claims, { now, records: world })
      const other = back.for(claims as never, { now, records: world })
      for (const [type, records] of Object.entries(world)) {
        for (const action of ['read', 'update', 'delete'] as const)
          expect(other.filter(type, records as never, action)).to.deep.equal(one.filter(type as 'plot', records as never, action))
      }
      expect(other.has('openLedger' as never)).to.equal(one.has('openLedger'))
    }
  })

  const spoilt: readonly [string, (rules: any) => void, string][] = [
    [
      'another format',
      (rules) => {
        rules.format = 2
      },
      'format',
    ],
    [
      'a type without a shape',
      (rules) => {
        rules.types.shed = rules.types.site
      },
      'shed',
    ],
    [
      'a type that is missing',
      (rules) => {
        delete rules.types.site
      },
      '"site"',
    ],
    [
      'a field that the shape has not',
      (rules) => {
        rules.types.plot.fields.colour = { type: 'text' }
      },
      'plot.colour',
    ],
    [
      'a field of another type',
      (rules) => {
        rules.types.plot.fields.number.type = 'text'
      },
      'plot.number',
    ],
    [
      'a key that is no field',
      (rules) => {
        rules.types.plot.key = 'idd'
      },
      'plot.key',
    ],
    [
      'a link to nowhere',
      (rules) => {
        rules.types.share.links.plot.to = 'plt'
      },
      'Did you mean "plot"',
    ],
    [
      'a link by a field that is not there',
      (rules) => {
        rules.types.share.links.plot.by[0].from.path = ['plotID']
      },
      'Did you mean "plotId"',
    ],
    [
      'a condition on a field that is not there',
      (rules) => {
        rules.types.invoice.rules.vetoes[0].when.term.path = ['paid']
      },
      '"paid"',
    ],
    [
      'a condition that means nothing',
      (rules) => {
        rules.gate = { kind: 'maybe' }
      },
      'maybe',
    ],
    [
      'a gate on a record',
      (rules) => {
        rules.gate = rules.types.invoice.rules.vetoes[0].when
      },
      'but there is none here',
    ],
    [
      'a clause that reads otherwise than it decides',
      (rules) => {
        rules.types.plot.rules.may.delete[0].when = { kind: 'constant', value: true }
      },
      'who and provided',
    ],
    [
      'a clause for fields that are not there',
      (rules) => {
        rules.types.plot.rules.may.update[0].fields = ['plantin']
      },
      'Did you mean "planting"',
    ],
    [
      'a clause within no routine',
      (rules) => {
        rules.types.plot.rules.may.update[0].within = ['handOvr']
      },
      'Did you mean "handOver"',
    ],
    [
      'an action that nobody names',
      (rules) => {
        rules.types.plot.rules.may.raed = []
      },
      'Did you mean "read"',
    ],
    [
      'an action that is left out',
      (rules) => {
        delete rules.types.plot.rules.may.read
      },
      '"read" is missing',
    ],
    [
      'absence that would grant',
      (rules) => {
        rules.gate = { kind: 'not', of: rules.gate.of.of ?? rules.gate.of }
        rules.gate.of.left = rules.gate.of.left.term
      },
      'missing data must never grant',
    ],
    [
      'more than there is',
      (rules) => {
        rules.types.plot.rules.more = {}
      },
      '"more"',
    ],
    [
      'names that every object has',
      (rules) => {
        rules.privileges = JSON.parse('{"__proto__": {"kind": "constant", "value": true}}')
      },
      'cannot be a name',
    ],
  ]
  for (const [what, spoil, says] of spoilt) {
    it(`${what} is refused: ${says}`, () => {
      const rules = json()
      spoil(rules)
      expect(() => rulebookFromJson(rules, given))
        .to.throw(says)
        .and.satisfy((error: unknown) => isPachterError(error))
    })
  }

  it('spoilt anywhere, is refused in words or means something', () => {
    const places: (readonly [object, string])[] = []
    const whole = json()
    const collect = (value: any): void => {
      if (typeof value !== 'object' || value === null) return
      for (const name of Object.keys(value)) {
        places.push([value, name])
        collect(value[name])
      }
    }
    collect(whole)
    const odd = fc.constantFrom<unknown>(null, 0, 'x', [], {}, true, '__proto__', ['id'], { kind: 'now' })
    fc.assert(
      fc.property(fc.nat(places.length - 1), odd, (at, value) => {
        const [holder, name] = places[at] as [Record<string, unknown>, string]
        const before = holder[name]
        holder[name] = value
        try {
          rulebookFromJson(whole, given)
        } catch (error) {
          expect(isPachterError(error), `${name}: ${error instanceof Error ? error.stack : error}`).to.equal(true)
        } finally {
          holder[name] = before
        }
      }),
      { numRuns: tries(40, 300) },
    )
  })
})
