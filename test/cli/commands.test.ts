import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { expect } from 'chai'
import { book } from '../../examples/world/rulebook.js'
import { pachter, root, runs } from '../support/command.js'

describe('the command on the demo world', () => {
  describe('people', () => {
    runs('people', 0, /ines +m-01/, /tomasz .*warden/, /visitor +-/, 'unknown')
    runs('people --format json', 0, '"name": "visitor"')
    runs('people --format csv', 0, 'name,id,email,member.banned,member.roles,member.siteIds')
  })

  describe('list', () => {
    runs('list plot --without-standing holder', 0, 'p-09', 'Nobody can be holder of 2 of 12 plot records.')
    runs('list plot --without-standing holder --for ines', 0, 'ines sees')
    runs('list plot --standing holder --for ines', 0, 'p-01')
    runs('list plot --standing holdr --for ines', 2, 'Did you mean "holder"?')
    runs('list plot --standing holder', 2, 'name a person with --for')
    runs('list plot --standing holder --without-standing warden', 2, '--standing needs a person')
    runs('list plot --standing holder --for system', 2, 'the system has no standings')
    runs('list plot --standing holder --for ines --for bram', 0, 'p-01', 'p-02')
    runs('list plot --without-standing holdr', 2, 'Did you mean "holder"?')
    runs('list plot --for ines', 0, 'p-01', 'ines sees 2 of 12 plot records')
    runs('list plot --for visitor', 0, 'Fields hidden from visitor in all of these: holderId, coHolderIds, planting, rentDue, wardenNotes.')
    runs('list plot --for ines --fields planting', 0, /p-01 +garlic, rhubarb/, /p-06 +hidden/)
    runs('list invoice --for visitor', 0, 'visitor sees 0 of 10')
    runs('list plot --for system', 0, 'system sees 12 of 12')
    runs('list job --for bram', 0, 'j-02', 'j-06')
    runs('list share --for odile', 0, 'odile sees 1 of 4')
    runs('list share --for odile --at 2025-06-01', 0, 'odile sees 2 of 4')
    runs('list plot --for tomasz --where state=let --sort=-number --fields number --limit 2', 0, /p-04 +4\np-02 +2\n/)
    runs(
      'list plot --for farah --where "rentDue isAtLeast 30" --where "siteId isOneOf s-01,s-02" --format csv --fields rentDue',
      0,
      'id,rentDue\n',
    )
    runs('list plot --for ines --for bram --for visitor', 0, /p-02 .*· +◐ +·/, /p-06 .*◐ +◐ +◐/, /sees +2 +5 +1\n/, '5 of 12 plot records')
    runs(
      'list plot --for ines --for bram --differences',
      0,
      /p-02 .*· +◐\n/,
      /sees +2 +5\n/,
      '4 of them differ. The other 1 are the same',
      'If several people see a part of a record',
    )
    runs(
      'list plot --for ines --for bram --for system --differences --fields state',
      0,
      /p-03 .*· +● +●\n/,
      '3 of them differ. The other 9',
    )
    runs('list plot --for ines --for system --differences', 0, '12 of them differ. The other 0')
    runs('list plot --for ines --differences', 2, 'several people')
    runs('list plot --for ines --for bram --fields rentDue', 0, /p-01 .*● +◐/, /p-02 .*· +●/, 'read some of these fields')
    runs('list plot --for farah --where holderId=null', 2, 'isMissing')
    runs('list plot --for farah --where "holderId isMissing" --fields state', 0, /p-06 +vacant/, /p-09 +let/)
  })

  it('logs verdicts as lines of JSON, on request', () => {
    const log = (args: string) =>
      pachter(`${args} --log`)
        .stderr.trim()
        .split('\n')
        .map((line) => JSON.parse(line))
    const said = { level: 'info', time: '2026-06-15T09:00:00.000Z', who: 'm-01', type: 'plot' }
    expect(log('list plot --for ines')).to.deep.equal([{ ...said, action: 'read', outcome: 'allowed' }])
    expect(log('try update plot p-01 --for ines --set rentDue=0')).to.deep.equal([
      { ...said, action: 'update', key: 'p-01', outcome: 'refused', code: 'REFUSED', fields: ['rentDue'] },
    ])
  })

  it('lists in JSON and CSV what the table shows', () => {
    const rows = JSON.parse(pachter('list plot --for ines --format json').stdout)
    expect(rows.map((row: { id: string }) => row.id)).to.deep.equal(['p-01', 'p-06'])
    const side = JSON.parse(pachter('list plot --for ines --for bram --format json').stdout)
    expect(side.find((row: { id: string }) => row.id === 'p-06').seenBy).to.deep.equal(['ines', 'bram'])
    expect(side.find((row: { id: string }) => row.id === 'p-01').hidden, 'hidden from those who see the record').to.deep.equal({
      ines: ['wardenNotes'],
      bram: ['rentDue', 'wardenNotes'],
    })
    expect(pachter('list plot --for ines --for bram --format csv --fields state').stdout.split('\n')[0]).to.equal('id,state,ines,bram')
  })

  describe('try', () => {
    runs('try update entry e-01 --for ines --set text=Rain', 0, 'allowed', 'text: The water butt leaks. -> Rain', 'copy')
    runs('try update entry e-03 --for ines --set text=Rain', 1, 'refused', 'Only its author rewrites an entry.', 'entry e-03 is unchanged')
    runs('try update entry e-01 --for ines --set authorId=m-02', 1, 'You may not change authorId', 'is unchanged')
    runs('try delete plot p-02 --for ines', 1, 'not found', 'There is no such plot.', 'Nothing changed')
    runs('try delete plot p-77 --for ines', 1, 'not found', 'There is no such plot.', 'Nothing changed')
    runs('try delete plot p-06 --for visitor', 1, 'sign in')
    runs('try delete share h-01 --for ines', 0, 'Lost: 13', /- +bram +update +plot p-01 +- +helper; only planting/)
    runs(
      'try update plot p-02 --for system --set holderId=m-08',
      0,
      /Gained: 10\n.*\n\+ +greta +read +plot p-02/,
      /- +bram +update +plot p-02/,
    )
    runs('try create share --for ines --set plotId=p-01 --set memberId=m-03 --set level=tend', 0, /\+ +odile +update +plot p-01 +- +helper/)
    runs('try update entry e-01 --for ines --set text=Rain', 0, 'This changes what nobody sees or may do.')
    runs('try delete plot p-06 --for yuki', 0, 'deleted  plot p-06')
    runs('try read plot p-01 --for ines', 0, 'number: 1')
    runs('try update plot p-01 --for ines --set rentDue=0', 1, 'refused', 'You may not change rentDue.')
    runs('try update plot p-03 --for bram --set planting=x', 1, 'This lease is ending')
    runs('try update plot p-01 --for tomasz --set number=-1', 1, 'invalid', 'number')
    runs('try update plot p-01 --for unknown --set number=5', 1, 'not found')
    runs('try update plot p-02 --for kofi --set holderId=m-01', 1, 'refused')
    runs('try update plot p-02 --for kofi --set holderId=m-01 --within handOver', 0, 'holderId: m-02 -> m-01')
    runs('try update plot p-02 --for ines --set planting=x --within handOver', 1, 'You may not call handOver.')
    runs('try confirm inspection i-02 --for kofi', 2, 'changes nothing by itself')
    runs('try delete inspection i-01 --for kofi', 1, 'until its season is over')
    runs('try delete inspection i-01 --for kofi --at 2026-11-01', 0, 'deleted')
  })

  it('tries on a copy: the data folder is as it was', () => {
    const file = join(root, 'examples/world/data/plot.json')
    const before = readFileSync(file, 'utf8')
    pachter('try delete plot p-06 --for yuki')
    pachter('try update plot p-01 --for system --set number=99')
    expect(readFileSync(file, 'utf8')).to.equal(before)
    expect(pachter('try create entry --for ines --set plotId=p-01 --set audience=site --set text=Hi --format json').stdout).to.include(
      '"outcome": "allowed"',
    )
  })

  describe('why', () => {
    runs(
      'why read plot p-01 --for ines',
      0,
      'may read plot p-01',
      'Allowed by this',
      "the plot's holderId is ines's id",
      'holderId: "m-01", me.id: "m-01"',
    )
    runs(
      'why read plot p-01 --for odile',
      0,
      'may not',
      'Nearest read clause',
      /fails +share h-03\n.*holds .*\n.*fails +that share's until .* is after now\s+\[until: 2025-10-31T00:00:00Z, now: 2026-06-15T09:00:00Z\]/,
      /other clauses:[\s\S]*fails +warden/,
    )
    runs(
      'why read plot p-01 --for bram',
      0,
      'bram may read plot p-01',
      /holds +helper of one of the plot's shares\n +holds +share h-01\n/,
      'memberId: "m-02", me.id: "m-02"',
    )
    runs('why read entry e-07 --for ines', 0, /guest of the entry's plot\n +fails +plot p-07\n/, 'there is none')
    runs('why delete remark r-03 --for bram', 0, /starter\n +holds +for one of the remarks above the remark\n +holds +remark r-01\n/)
    runs('why read plot p-06 --for hugo', 0, 'Refused by a gate', 'me.member.banned: true')
    runs('why update plot p-02 --for kofi --set holderId=m-01', 0, 'may not', 'It applies within handOver only')
    runs('why update plot p-02 --for kofi --set holderId=m-01 --within handOver', 0, 'kofi may update')
    runs('why confirm inspection i-02 --for kofi', 0, 'kofi may confirm')
    runs('why delete plot p-02 --for ines', 0, 'The read clauses decide here')
    runs('why update entry e-01 --for ines --set authorId=m-02', 0, 'on the record as it is', 'on the record as it would become')
    runs('why read plot p-01 --for ines --format json', 0, '"decidedBy": "read"')
    runs('why create plot --for tomasz --set siteId=s-02', 0, 'may not create', 'siteId: "s-02"')
    runs('why update plot p-03 --for bram', 0, 'Refused by a veto', 'This update clause would allow it', 'holder; only planting')
    runs(
      'why update plot p-01 --for ines --set rentDue=0 --set planting=x',
      0,
      'You may not change rentDue.',
      /allowed +planting, by: holder; only planting/,
      /refused +rentDue; .*role treasurer; only rentDue/,
    )
    runs('why read plot p-06 --for visitor', 0, 'Fields: number, siteId, state')
    runs('why delete member m-01 --for kofi', 0, 'No clause allows anyone to delete a member')
  })

  describe('privileges and routines', () => {
    runs('matrix', 0, /privilege +openLedger .*yes +yes/, /routine +handOver .*yes/)
    runs('matrix --format csv', 0, /^privilege,openLedger,/m, /^routine,handOver,/m)
    runs('who openLedger', 0, /farah +openLedger +role treasurer or secretary/, /Not for: ines.*visitor/)
    runs('who handOver', 0, /kofi +handOver/, /Not for: .*tomasz/)
    runs('who openLedger --for ines', 0, 'Not for: ines.')
    runs('who openLedgr', 2, 'Did you mean "openLedger"')
    runs('who openLedger p-01', 2, 'openLedger takes no key', 'leave out p-01')
    runs('why has openLedger --for farah', 0, 'farah has openLedger', /holds +role treasurer or secretary/)
    runs('why has openLedger --for ines', 0, 'ines does not have openLedger', 'me.member.roles: none')
    runs('why call handOver --for tomasz', 0, /tomasz may not call handOver/)
    runs('try has openLedger --for farah', 0, 'allowed')
    runs('try has openLedger --for ines', 1, 'refused')
    runs('try call handOver --for kofi', 0, 'allowed')
    runs('try call handOver --for visitor', 1, 'sign in')
  })

  describe('rules', () => {
    runs(
      'rules plot',
      0,
      "holder: the plot's holderId is my id or the plot's coHolderIds include my id",
      /who +may read +may create +may update +may delete\n/,
      /\n +holder +all but wardenNotes +- +only planting +-\n/,
      /role secretary +- +- +only holderId/,
      'update: the plot\'s state is "ending", unless warden or role secretary',
      'message: This lease is ending: ask the warden.',
    )
    runs('rules entry', 0, /set when created\n +authorId: my id\n +writtenAt: now/)
    runs('rules member', 0, 'nobody may delete')
    runs('rules inspection', 0, /may confirm\n/, 'if the inspection')
    runs('rules', 0, 'openLedger', 'handOver', 'role treasurer or secretary', 'invoice')
    runs('rules plot --format markdown', 0, '## plot', '| who | may read |', '| holder | all but wardenNotes |')
    runs('rules plot --format json', 0, '"plot": {', '"kind": "compare"')
    runs('rules plto', 2, 'Did you mean "plot"')
  })

  describe('without a rule', () => {
    runs('list plot --for bram --without "guest; all but wardenNotes, rentDue"', 0, 'bram sees 3 of 12 plot records (without the rule')
    runs('why read plot p-01 --for bram --without "guest; all but wardenNotes, rentDue"', 0, 'bram may not read plot p-01')
    runs('try delete plot p-06 --for yuki --without "warden, provided the plot\'s state is vacant"', 2, 'there is no rule of plot')
    runs('try read plot p-01 --for tomasz --without "read: warden"', 1, 'not found')
    runs('try delete entry e-01 --for tomasz --without "read: reader"', 1, 'not found')
    runs('try read plot p-01 --for tomasz --without "create: warden"', 0, 'number: 1')
    runs('try read plot p-01 --for tomasz --without "delete: warden"', 2, 'there is no rule of plot "delete: warden"')

    it('leaves out each rule of the demo, of one action and of all: the last use of a word is no error', () => {
      let asked = 0
      for (const [name, { rules }] of Object.entries(book.model.types)) {
        for (const [action, clauses] of Object.entries(rules?.may ?? {}))
          for (const { title } of clauses) {
            asked++
            const left = book.without(name as never, title, action as never).model.types[name]?.rules
            const others = { ...rules?.may, [action]: clauses.filter((clause) => clause.title !== title) }
            expect(left?.may, `${name}, ${action}: ${title}`).to.deep.equal(others)
            const all = Object.values(book.without(name as never, title).model.types[name]?.rules?.may ?? {}).flat()
            expect(all.map((clause) => clause.title)).not.to.include(title)
          }
      }
      expect(asked).to.be.above(60)
    })
  })
})
