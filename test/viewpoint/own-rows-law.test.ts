// What is decided with a person's own rows is what the rule says of all records: for random rules, and for the database.
import { expect } from 'chai'
import fc from 'fast-check'
import { allOf, anyOf, type Condition, not, rulebook, toMany, toOne } from 'pachter'
import { predicate } from 'pachter/condition'
import { type Links, type Row, waysAt } from 'pachter/internal/condition'
import { openStore } from 'pachter/store'
import { z } from 'zod'
import { backends, runsIn } from '../support/backends.js'
import { fill } from '../support/filling.js'
import { tries } from '../support/tries.js'

const id = z.string()
const tags = z.array(z.object({ by: id, text: id }))
const shapes = {
  team: z.object({ id, personId: id, club: id, rankId: id, tags }),
  ban: z.object({ id, personId: id, club: id, level: z.int() }),
  rank: z.object({ id, name: id, active: z.boolean(), overId: id.nullable() }),
  game: z.object({ id, club: id, level: z.int() }),
}
const begin = () =>
  rulebook({
    me: {
      shape: z.object({ id }),
      key: 'id',
      links: { teams: toMany('team', 'personId'), bans: toMany('ban', 'personId') },
    },
    records: {
      team: { shape: shapes.team, key: 'id', links: { rank: toOne('rank', 'rankId') } },
      ban: { shape: shapes.ban, key: 'id' },
      rank: { shape: shapes.rank, key: 'id', links: { over: toOne('rank', 'overId') } },
      game: { shape: shapes.game, key: 'id' },
    },
  })

/** A rule from a list of numbers: each choice takes the next one. */
function ruleOf(choices: readonly number[], game: any, me: any): Condition {
  let at = 0
  const choose = (most: number) => (choices[at++ % choices.length] as number) % most
  const text = (others: readonly any[]) => ['a', 'b', 'red', ...others][choose(3 + others.length)]
  const joined = (deep: number, part: (deep: number) => Condition): Condition => {
    switch (deep > 0 ? choose(4) : 3) {
      case 0:
        return allOf(part(deep - 1), part(deep - 1))
      case 1:
        return anyOf(part(deep - 1), part(deep - 1))
      case 2:
        return not(part(deep - 1))
      default:
        return part(0)
    }
  }
  const ofBan = (ban: any, others: readonly any[]) => () => {
    const known = [game.club, ...others]
    return choose(2) === 0 ? ban.club.is(text(known)) : ban.level.isMoreThan(choose(2) === 0 ? game.level : choose(3))
  }
  const ofTeam =
    (team: any) =>
    (deep: number): Condition => {
      if (deep > 0) return joined(deep, ofTeam(team))
      switch (choose(6)) {
        case 0:
          return team.club.is(text([game.club, me.id]))
        case 1:
          return team.rank.active.orElse(false).is(choose(2) === 0)
        case 2:
          return team.rank.name.orElse('none').is(text([game.club, team.club]))
        case 3:
          return team.rank.over.name.orElse('none').is(text([game.club, team.club]))
        case 4:
          return team.tags.some((tag: any) =>
            anyOf(tag.by.is(text([me.id, game.club])), tag.text.is(text([team.club, team.rank.name.orElse('x')]))),
          )
        default:
          return me.bans.some((ban: any) => joined(1, ofBan(ban, [team.club, team.rank.name.orElse('x')])))
      }
    }
  const top = (deep: number): Condition => {
    if (deep > 0) return joined(deep, top)
    return choose(3) > 0 ? me.teams.some((team: any) => joined(2, ofTeam(team))) : me.bans.some((ban: any) => joined(1, ofBan(ban, [])))
  }
  return joined(2, top)
}

const value = fc.constantFrom('a', 'b', 'red')
const rank = fc.constantFrom('r1', 'r2', 'r3', 'gone')
const records = fc.record({
  team: fc.array(
    fc.record({
      personId: fc.constantFrom('ada', 'bo'),
      club: value,
      rankId: rank,
      tags: fc.array(fc.record({ by: fc.constantFrom('ada', 'a'), text: value }), { maxLength: 2 }),
    }),
    { maxLength: 3 },
  ),
  ban: fc.array(fc.record({ personId: fc.constantFrom('ada', 'bo'), club: value, level: fc.nat(2) }), { maxLength: 3 }),
  rank: fc.tuple(
    ...['r1', 'r2', 'r3'].map((key) => fc.record({ id: fc.constant(key), name: value, active: fc.boolean(), overId: fc.option(rank) })),
  ),
  game: fc.constant(['a', 'b', 'red'].flatMap((club) => [0, 1].map((level) => ({ id: `${club}-${level}`, club, level })))),
})
const numbered = (rows: readonly object[]) => rows.map((row, at) => ({ id: `${at}`, ...row }))
const given = fc.tuple(fc.array(fc.nat(999), { minLength: 30, maxLength: 30 }), records).map(([choices, { team, ban, ...rest }]) => ({
  choices,
  records: { team: numbered(team), ban: numbered(ban), ...rest } as { readonly [type: string]: readonly Row[] },
}))

const bookOf = (choices: readonly number[]) =>
  begin().rules({
    game: (game: any, { me, signedIn }: any) => ({ may: { read: [signedIn.provided(ruleOf(choices, game, me))] } }),
  } as never)

/** The games that the rule holds for, as written: it looks through all records. */
function expected(book: ReturnType<typeof bookOf>, all: { readonly [type: string]: readonly Row[] }): string[] {
  const rule = (book as any).model.types.game.rules.may.read[0].when
  const links: Links = {
    find: (type, places, values) =>
      (all[type] ?? []).filter((row) => waysAt(row, places).some((way) => way.every((one, at) => one === values[at]))),
  }
  const test = predicate(rule)
  return (all.game ?? []).filter((game) => test(game, { me: { id: 'ada' }, now: 0, links })).map((game) => game.id as string)
}

describe("what is decided with a person's own rows", () => {
  it('is what the rule says: random rules', () => {
    const found = new Set<number>()
    fc.assert(
      fc.property(given, ({ choices, records }) => {
        const book = bookOf(choices)
        const view = book.for({ id: 'ada' }, { records: records as never })
        const wanted = expected(book, records)
        found.add(wanted.length)
        expect(view.filter('game', records.game as never).map((game: any) => game.id)).to.deep.equal(wanted)
        const all = view.may('read', 'game')
        if (all !== 'depending') expect(wanted.length).to.equal(all === 'always' ? 6 : 0)
        // Whatever is left compares the game alone: own rows are all known.
        expect(JSON.stringify(view.condition('read', 'game'))).not.to.match(/"some"|"claim"|"of":\d/)
      }),
      { numRuns: tries(130, 4_000) },
    )
    expect(found.size).to.be.greaterThan(3)
  })

  for (const [where, open] of Object.entries(backends(begin())))
    it(`is what a store lists and judges, ${where}`, async () => {
      await fc.assert(
        fc.asyncProperty(given, async ({ choices, records }) => {
          const book = bookOf(choices)
          const store = openStore(book, await open())
          await fill(store, records)
          const wanted = expected(book, records)
          const mine = store.for({ id: 'ada' })
          expect((await mine.list('game')).map((game: any) => game.id).sort()).to.deep.equal([...wanted].sort())
          for (const { id: key } of (records.game ?? []).slice(0, 2))
            expect((await mine.verdict('read', 'game', key as never)).allowed).to.equal(wanted.includes(key as string))
        }),
        { numRuns: runsIn(where, tries(8, 250)) },
      )
    })
})
