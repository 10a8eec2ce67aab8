import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { expect } from 'chai'
import { pachter, root, runs } from '../support/command.js'

describe('the command on the demo world', () => {
  describe('people', () => {
    runs('people', 0, /ines +m-01/, /tomasz .*warden/, /visitor +-/, 'unknown')
    runs('people --format json', 0, '"name": "visitor"')
    runs('people --format csv', 0, 'name,id,email,roles,siteIds')
  })

  describe('list', () => {
    runs('list plot --for ines', 0, 'p-01', 'ines sees 2 of 12 plot records')
    runs('list plot --for visitor', 0, 'Hidden from visitor in all of these: holderId, planting, rentDue, wardenNotes.')
    runs('list plot --for ines --fields planting', 0, /p-01 +garlic, rhubarb/, /p-06 +hidden/)
    runs('list invoice --for visitor', 0, 'visitor sees 0 of 10')
    runs('list plot --for system', 0, 'system sees 12 of 12')
    runs('list job --for bram', 0, 'j-02', 'j-06')
    runs('list share --for odile', 0, 'odile sees 1 of 3')
    runs('list share --for odile --at 2025-06-01', 0, 'odile sees 2 of 3')
    runs('list plot --for tomasz --where state=let --sort=-number --fields number --limit 2', 0, /p-04 +4\np-02 +2\n/)
    runs(
      'list plot --for farah --where "rentDue isAtLeast 30" --where "siteId isOneOf s-01,s-02" --format csv --fields rentDue',
      0,
      'id,rentDue\n',
    )
    runs('list plot --for ines --for bram --for visitor', 0, /p-01 .*● +· +·/, /p-06 .*● +● +●/, /sees +2 +3 +1\n/, '4 of 12 plot records')
    runs('list plot --for farah --where holderId=null', 2, 'isMissing')
    runs('list plot --for farah --where "holderId isMissing" --fields state', 0, /p-06 +vacant/, /p-09 +let/)
  })

  it('lists in JSON and CSV what the table shows', () => {
    const rows = JSON.parse(pachter('list plot --for ines --format json').stdout)
    expect(rows.map((row: { id: string }) => row.id)).to.deep.equal(['p-01', 'p-06'])
    const side = JSON.parse(pachter('list plot --for ines --for bram --format json').stdout)
    expect(side.find((row: { id: string }) => row.id === 'p-06').seenBy).to.deep.equal(['ines', 'bram'])
    expect(pachter('list plot --for ines --for bram --format csv --fields state').stdout.split('\n')[0]).to.equal('id,state,ines,bram')
  })

  describe('try', () => {
    runs('try update entry e-01 --for ines --set text=Rain', 0, 'allowed', 'text: The water butt leaks. -> Rain', 'copy')
    runs('try update entry e-03 --for ines --set text=Rain', 1, 'refused', 'Only its author rewrites an entry.', 'entry e-03 is as it was')
    runs('try update entry e-01 --for ines --set authorId=m-02', 1, 'You may not change authorId', 'as it was')
    runs('try delete plot p-02 --for ines', 1, 'not found', 'There is no such plot.', 'Nothing changed')
    runs('try delete plot p-77 --for ines', 1, 'not found', 'There is no such plot.', 'Nothing changed')
    runs('try delete plot p-06 --for visitor', 1, 'sign in')
    runs('try delete plot p-06 --for yuki', 0, 'removed  plot p-06')
    runs('try read plot p-01 --for ines', 0, 'number: 1')
    runs('try update plot p-01 --for ines --set rentDue=0', 1, 'refused', 'You may not change rentDue.')
    runs('try update plot p-03 --for bram --set planting=x', 1, 'This lease is ending')
    runs('try update plot p-01 --for tomasz --set number=-1', 1, 'invalid', 'number')
    runs('try update plot p-01 --for unknown --set number=5', 1, 'not found')
    runs('try delete inspection i-01 --for kofi', 1, 'until its season is over')
    runs('try delete inspection i-01 --for kofi --at 2026-11-01', 0, 'removed')
  })

  it('tries on a copy: the data folder is as it was', () => {
    const file = join(root, 'examples/world/data/plot.json')
    const before = readFileSync(file, 'utf8')
    pachter('try delete plot p-06 --for yuki')
    pachter('try update plot p-01 --for system --set number=99')
    expect(readFileSync(file, 'utf8')).to.equal(before)
    expect(
      pachter('try create entry --for ines --set plotId=p-01 --set siteId=s-01 --set audience=site --set text=Hi --format json').stdout,
    ).to.include('"outcome": "allowed"')
  })

  describe('why', () => {
    runs(
      'why read plot p-01 --for ines',
      0,
      'may read plot p-01',
      'By this clause',
      "the plot's holderId is ines's id",
      'holderId: "m-01", me.id: "m-01"',
    )
    runs(
      'why read plot p-01 --for bram',
      0,
      'may not',
      'Nearest clause for read',
      /fails .*bram's roles include "warden"/,
      /holds .*siteIds include/,
    )
    runs('why delete plot p-02 --for ines', 0, 'so the clauses for read decide')
    runs('why update entry e-01 --for ines --set authorId=m-02', 0, 'on the record as it is', 'on the record as it would become')
    runs('why read plot p-01 --for ines --format json', 0, '"decidedBy": "read"')
    runs('why create plot --for tomasz --set siteId=s-02', 0, 'may not create', 'siteId: "s-02"')
    runs('why update plot p-03 --for bram', 0, 'Withheld by a veto', 'A clause for update would let it', 'holder; only planting')
    runs(
      'why update plot p-01 --for ines --set rentDue=0 --set planting=x',
      0,
      'You may not change rentDue.',
      /passes +planting, by: holder; only planting/,
      /stays +rentDue, .*role treasurer; only rentDue/,
    )
    runs('why read plot p-06 --for visitor', 0, 'Fields: number, siteId, state')
    runs('why create share --for ines', 0, 'No clause lets anybody create a share')
  })

  describe('rules', () => {
    runs(
      'rules plot',
      0,
      "holder: the plot's holderId is my id",
      /may update\n +holder; only planting/,
      'update: the plot\'s state is "ending", unless warden',
      'saying: This lease is ending: ask the warden.',
    )
    runs('rules entry', 0, /set when created\n +authorId: my id\n +writtenAt: now/)
    runs('rules share', 0, /may create\n +nobody/)
    runs('rules', 0, 'openLedger', 'role treasurer or secretary', 'invoice')
    runs('rules plot --format markdown', 0, '## plot', '**may read**', '- holder; all but wardenNotes')
    runs('rules plot --format json', 0, '"type": "plot"', '"kind": "compare"')
    runs('rules plto', 2, 'did you mean "plot"')
  })
})
