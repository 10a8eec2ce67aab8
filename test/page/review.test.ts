import { existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { request } from 'node:http'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { expect } from 'chai'
import type { ProofFindings } from 'pachter/internal/review'
import type { Project } from 'pachter/review'
import { runs, within } from '../support/command.js'
import { matrixOf, reviewSite } from '../support/review-site.js'

describe('pachter review', () => {
  const site = reviewSite()
  const { kept } = site

  /** Asks as something other than a browser may: with any host and origin. */
  const ask = (path: string, headers: Record<string, string> = {}, method = 'GET', sent?: string) =>
    new Promise<{ status: number; body: string }>((done, failed) => {
      const { hostname, port } = new URL(site.url)
      request({ hostname, port, path, method, headers }, (response) => {
        let body = ''
        response.on('data', (text) => {
          body += text
        })
        response.on('end', () => done({ status: response.statusCode ?? 0, body }))
      })
        .on('error', failed)
        .end(sent)
    })

  it('answers this machine, and no page from elsewhere', async () => {
    const { host } = new URL(site.url)
    const cases: readonly [path: string, headers: Record<string, string>, method: string, status: number][] = [
      ['/', {}, 'GET', 200],
      ['/', {}, 'HEAD', 200],
      ['/', { range: 'bytes=9-2' }, 'GET', 200],
      ['/', { range: 'bytes=99999999-' }, 'GET', 200],
      ['/', {}, 'POST', 405],
      ['/', { host: 'garden.example' }, 'GET', 403],
      ['/index.html', { 'sec-fetch-site': 'cross-site' }, 'GET', 403],
      ['/%E0%A4', {}, 'GET', 404],
      ['/project.json', { 'sec-fetch-site': 'same-origin' }, 'GET', 200],
      ['/project.json', { origin: site.url }, 'GET', 200],
      ['/project.json', { host: 'garden.example' }, 'GET', 403],
      ['/project.json', { host: `127.0.0.1.garden.example:${host.split(':')[1]}` }, 'GET', 403],
      ['/project.json', { origin: 'http://garden.example' }, 'GET', 403],
      ['/project.json', { origin: 'null' }, 'GET', 403],
      ['/project.json', { 'sec-fetch-site': 'cross-site' }, 'GET', 403],
      ['/project.json', { 'sec-fetch-site': 'same-site' }, 'GET', 403],
      ['/findings.json', {}, 'GET', 200],
      ['/changes', { origin: 'http://garden.example' }, 'GET', 403],
      ['/project.json', {}, 'POST', 405],
      ['/project.json', {}, 'DELETE', 405],
      ['/nothing.js', {}, 'GET', 404],
      ['/../cli/main.js', {}, 'GET', 404],
      ['/..%2fcli%2fmain.js', {}, 'GET', 404],
      ['/assets/..%2f..%2f..%2fpackage.json', {}, 'GET', 404],
      ['/%00', {}, 'GET', 404],
    ]
    for (const [path, headers, method, status] of cases) {
      const { status: found, body } = await ask(path, headers, method)
      expect(found, `${method} ${path} ${JSON.stringify(headers)}`).to.equal(status)
      if (status !== 200) expect(body).not.to.include('holderId')
    }
    expect(JSON.parse((await ask('/project.json')).body).people).to.have.property('visitor', null)
    // Nobody else has it begin to work, either.
    for (const [headers, status] of [
      [{ origin: 'http://garden.example', 'content-type': 'application/json' }, 403],
      [{ 'content-type': 'application/json' }, 415],
      [{ origin: site.url, 'content-type': 'application/json' }, 202],
    ] as const)
      for (const path of ['/weaken', '/prove']) expect((await ask(path, headers, 'POST', '{}')).status).to.equal(status)
  })

  it('keeps expectations, of cells that there are, asked for by the page itself; and writes nothing else', async () => {
    const cell = { person: 'odile', type: 'plot', key: 'p-01', action: 'read', allowed: false }
    const keep = (body: unknown, headers: Record<string, string> = { origin: site.url, 'content-type': 'application/json' }) =>
      ask('/save', headers, 'POST', typeof body === 'string' ? body : JSON.stringify(body))
    const wrong: readonly [body: unknown, status: number, headers?: Record<string, string>][] = [
      [{ cells: [cell] }, 403, { origin: 'http://garden.example', 'content-type': 'application/json' }],
      [{ cells: [cell] }, 415, { 'content-type': 'application/json' }],
      [{ cells: [cell] }, 415, { origin: site.url, 'content-type': 'text/plain' }],
      ['{"cells"', 422],
      [null, 422],
      [{ cells: [] }, 422],
      [{ cells: [null] }, 422],
      [{ cells: [{ ...cell, person: 'constructor' }] }, 422],
      [{ cells: [{ ...cell, person: '../../escape' }] }, 422],
      [{ cells: [{ ...cell, type: '__proto__' }] }, 422],
      [{ cells: [{ ...cell, key: 'p-99' }] }, 422],
      [{ cells: [{ ...cell, action: 'create' }] }, 422],
      [{ cells: [{ ...cell, allowed: 'no' }] }, 422],
      [{ cells: [cell, { ...cell, action: 'raed' }] }, 422],
      [{ cells: [{ ...cell, fields: [] }] }, 422],
      [{ cells: [{ ...cell, fields: ['id'] }] }, 422],
      [{ cells: [{ ...cell, fields: ['constructor'] }] }, 422],
      [{ cells: [{ ...cell, action: 'delete', fields: ['rentDue'] }] }, 422],
      [{ proposals: [0] }, 422],
      [{ proposals: ['length'] }, 422],
      [{ cells: Array(5001).fill(cell) }, 422],
      [`"${'x'.repeat(2_000_001)}"`, 413],
    ]
    for (const [body, status, headers] of wrong)
      expect((await keep(body, headers)).status, JSON.stringify(body).slice(0, 120)).to.equal(status)
    expect(existsSync(join(kept, 'saved.yaml')), 'nothing is kept of what is wrong in part').to.equal(false)
    const matrix = matrixOf('plot')
    const column = matrix.keys.map((key) => ({ ...cell, person: 'yuki', key, allowed: matrix.allows('yuki', key, 'read') }))
    const cells = [
      cell,
      { ...cell, key: 'p-02' },
      { ...cell, person: 'bram', action: 'update', allowed: true },
      { ...cell, person: 'bram', key: 'p-03', action: 'update' },
      { ...cell, person: 'visitor', action: 'delete' },
      { ...cell, person: 'ines', fields: ['rentDue'], allowed: true },
      { ...cell, person: 'ines', fields: ['wardenNotes'] },
      ...column,
      ...matrix.keys.map((key) => ({ ...cell, person: 'hugo', key })),
    ]
    const { status, body } = await keep({ cells })
    expect([status, JSON.parse(body).saved]).to.deep.equal([
      200,
      [
        'odile does not see plot: p-01, p-02',
        'bram changes plot: p-01',
        'bram does not change plot: p-03',
        'visitor is refused: delete plot p-01',
        'ines sees, of plot p-01: rentDue',
        'ines does not see, of plot p-01: wardenNotes',
        `yuki sees exactly plot: ${matrix.reached('yuki', 'read').slice(0, 7).join(', ')} and 2 more`,
        'hugo does not see plot: all',
      ],
    ])
    const checked = await within(`check ${join(kept, 'saved.yaml')}`)
    expect([checked.status, checked.stdout.includes('9 expectations: all hold')], checked.stdout).to.deep.equal([0, true])
    rmSync(join(kept, 'saved.yaml'))
  })

  runs('review --port much', 2, 'a number up to 65535')
  runs('review --out docs', 2, 'the folder is not empty')

  it('writes a copy into a folder, and writes over nothing else', async () => {
    const folder = mkdtempSync(join(tmpdir(), 'pachter-'))
    try {
      // Where there is a copy, it is written anew.
      mkdirSync(join(folder, 'copy'))
      writeFileSync(join(folder, 'copy/project.json'), '{}')
      const { status, stdout } = await within(`review --out ${join(folder, 'copy')}`)
      expect([status, stdout.includes('records and 12 people')], stdout).to.deep.equal([0, true])
      expect(existsSync(join(folder, 'copy/index.html'))).to.equal(true)
      const copy = JSON.parse(readFileSync(join(folder, 'copy/project.json'), 'utf8')) as Project
      expect(copy.places.plot?.may.read?.[0]).to.deep.include({ file: 'examples/world/rulebook.ts' })
      const { parts, statements } = JSON.parse(readFileSync(join(folder, 'copy/proofs.json'), 'utf8')) as ProofFindings
      expect(parts.map(({ kind }) => kind)).to.deep.equal(['guarantee', 'self-promotion', 'idle-rule'])
      expect(statements.every(({ outcome }) => outcome === 'proved' || outcome === 'accepted')).to.equal(true)
      writeFileSync(join(folder, 'mine.txt'), 'mine')
      expect((await within(`review --out ${folder}`)).status).to.equal(2)
    } finally {
      rmSync(folder, { recursive: true })
    }
  })
})
