import { expect } from 'chai'
import { type AccessMatrix, accessMatrix } from 'pachter/review'
import type { Page } from 'playwright-core'
import { people } from '../../examples/world/people.js'
import { book } from '../../examples/world/rulebook.js'
import { type Allotment, buildPage, settled, startAllotment, visit, windows } from '../support/allotment.js'
import { BROWSER } from '../support/browser.js'
import { types } from '../support/world.js'

const LISTS = ['/', '/plots', '/diary', '/jobs', '/notices', '/inspections', '/rents', '/members']

interface Offered {
  readonly marks: readonly { readonly mark: string; readonly fields: string | undefined }[]
  readonly withheld: readonly { readonly mark: string; readonly why: string; readonly disabled: boolean }[]
  readonly records: readonly string[]
  /** What a report adds up. */
  readonly sums: readonly string[]
}

/** What somebody was shown and offered, on all pages. */
interface Walked {
  readonly shown: Set<string>
  readonly sums: Set<string>
  /** By its mark, as in "update plot p-01": with which fields. */
  readonly offered: Map<string, string | undefined>
  readonly created: string[]
  readonly withheld: (Offered['withheld'][number] & { readonly path: string })[]
  readonly wrong: string[]
}

/** What a page shows and offers, and what it withholds. */
const look = (page: Page): Promise<Offered> =>
  page.evaluate(() => ({
    marks: [...document.querySelectorAll<HTMLElement>('[data-offers]')].map(({ dataset }) => ({
      mark: dataset.offers as string,
      fields: dataset.fields,
    })),
    withheld: [...document.querySelectorAll<HTMLElement>('[data-withholds]')].map((one) => ({
      mark: one.dataset.withholds as string,
      why: document.getElementById(one.getAttribute('aria-describedby') ?? '')?.textContent ?? '',
      disabled: one.getAttribute('aria-disabled') === 'true',
    })),
    records: [...document.querySelectorAll<HTMLElement>('[data-record]')].map(({ dataset }) => dataset.record as string),
    sums: [...document.querySelectorAll<HTMLElement>('[data-sum]')].map(({ dataset }) => dataset.sum as string),
  }))

if (BROWSER)
  describe('every page of the allotment site, as every person', () => {
    const cast: { readonly [name: string]: { id: string; email: string } | null } = { ...people, visitor: null }
    let app: Allotment
    const matrices = new Map<string, AccessMatrix>()
    const walks = new Map<string, Promise<Walked>>()
    const open = windows(() => app, { outlast: true })
    before(async function () {
      this.timeout(60_000)
      app = await startAllotment(await buildPage())
      const all = await Promise.all(types.map(async (type) => [type, await app.system.list(type)] as const))
      for (const type of types) matrices.set(type, accessMatrix(book, type, { people: cast, records: Object.fromEntries(all) }))
      // Three at a time: each waits for the page more than it has to do.
      const lanes = [0, 1, 2].map(() => Promise.resolve())
      for (const [at, name] of Object.keys(cast).entries()) {
        const walked = (lanes[at % 3] as Promise<void>).then(() => walk(name))
        walks.set(name, walked)
        lanes[at % 3] = walked.then(
          () => undefined,
          () => undefined,
        )
      }
    })
    after(() => app.close())

    /** Walks every page as somebody. */
    async function walk(name: string): Promise<Walked> {
      const { page, wrong } = await open(cast[name] === null ? undefined : name, cast[name] === null ? '/' : '/plots')
      await settled(page)
      const walked: Walked = { shown: new Set(), sums: new Set(), offered: new Map(), created: [], withheld: [], wrong: [] }
      for (const path of [
        ...LISTS,
        ...matrixOf('plot')
          .reached(name, 'read')
          .map((key) => `/plots/${key}`),
      ]) {
        await visit(page, path)
        const seen = await look(page)
        for (const record of seen.records) walked.shown.add(record)
        for (const sum of seen.sums) walked.sums.add(sum)
        for (const { mark, fields } of seen.marks) {
          if (!mark.startsWith('create ')) walked.offered.set(mark, fields)
          // On the page of a plot, remarks are the same as in the diary.
          else if (mark !== 'create remark' || path === '/diary') walked.created.push(`${path} ${mark}`)
        }
        walked.withheld.push(...seen.withheld.map((one) => ({ ...one, path })))
      }
      walked.wrong.push(...wrong())
      await page.context().close()
      return walked
    }

    const matrixOf = (type: string) => matrices.get(type) as AccessMatrix

    /** The rents by site and month of what somebody sees. */
    async function rentsOf(name: string) {
      const mine = app.data.store.for(cast[name] as never)
      const [bills, plots, sites] = await Promise.all([mine.list('invoice'), mine.list('plot'), mine.list('site')])
      const sums = new Map<string, [bills: number, amount: number, paid: number]>()
      for (const { plotId, dueAt, amount, paidAt } of bills) {
        const siteId = plots.find(({ id }) => id === plotId)?.siteId
        const of = `${sites.find(({ id }) => id === siteId)?.name ?? 'none'} ${String(dueAt).slice(0, 7)}`
        const [count, all, paid] = sums.get(of) ?? [0, 0, 0]
        sums.set(of, [count + 1, all + (amount as number), paid + (paidAt ? (amount as number) : 0)])
      }
      return [...sums].map(([of, numbers]) => `${of} ${numbers.join(' ')}`)
    }

    /** What somebody might create from where they are, and where the page would offer it. */
    async function creations(name: string) {
      const mine = app.data.store.for(cast[name] as never)
      const [plots, entries, sites] = await Promise.all([mine.list('plot'), mine.list('entry'), mine.list('site')])
      const day = '2030-10-31T00:00:00.000Z'
      const plotIds = plots.map(({ id }) => id as string)
      const everywhere: [where: string, type: string, samples: object[]][] = [
        [
          '/plots',
          'plot',
          sites.map(({ id }) => ({ number: 99, siteId: id, holderId: null, coHolderIds: [], state: 'vacant', planting: '' })),
        ],
        [
          '/jobs',
          'job',
          sites.map(({ id }) => ({ title: 'x', siteId: id, assigneeIds: [], assigneeEmails: [], state: 'open', dueAt: day })),
        ],
        ['/notices', 'notice', [{ title: 'x', text: '', state: 'draft' }]],
        ['/inspections', 'inspection', plotIds.map((plotId) => ({ plotId, findings: '', state: 'draft', seasonEndsAt: day }))],
        ['/rents', 'invoice', plotIds.map((plotId) => ({ plotId, memberId: (cast[name] as { id: string })?.id, amount: 1, dueAt: day }))],
        ['/members', 'member', [{ name: 'x', email: 'x@marshlane.example', roles: [], siteIds: [], points: 0, banned: false }]],
        ['/members', 'team', [{ name: 'x', memberIds: [] }]],
        ...plotIds.map((plotId): [string, string, object[]] => [`/plots/${plotId}`, 'share', [{ plotId, level: 'look' }]]),
        ...plotIds.map((plotId): [string, string, object[]] => [`/plots/${plotId}`, 'entry', [{ plotId, audience: 'plot', text: 'x' }]]),
      ]
      const offered: string[] = []
      for (const [where, type, samples] of everywhere) {
        const verdicts = await Promise.all(
          samples.map((sample) => mine.verdict('create', type as 'plot', sample as never).catch(() => undefined)),
        )
        if (verdicts.some((verdict) => verdict?.allowed)) offered.push(`${where} create ${type}`)
      }
      for (const { id } of entries) {
        const { allowed } = await mine.verdict('create', 'remark', { entryId: id as string, parentId: null, text: 'x' })
        if (allowed) offered.push('/diary create remark')
      }
      return offered
    }

    for (const name of Object.keys(cast))
      it(`${name} is shown what they may read, and offered what they may do: no more, and no less`, async function () {
        this.timeout(60_000)
        const { shown, offered, sums, created, withheld, wrong } = await (walks.get(name) as Promise<Walked>)
        expect(wrong).to.deep.equal([])
        for (const { path, mark, why, disabled } of withheld) {
          expect([disabled, why.length > 10], `${path}: ${mark} is withheld, and says why: ${why}`).to.deep.equal([true, true])
          expect(offered.has(mark), `${mark} is offered and withheld`).to.equal(false)
        }
        const mine = app.data.store.for(cast[name] as never)
        for (const type of types) {
          const matrix = matrixOf(type)
          const readable = matrix.reached(name, 'read').map((key) => `${type} ${key}`)
          // A notice that is not out yet, and is seen all the same, is not on the front page; all are on one page or another.
          expect([...shown].filter((one) => one.startsWith(`${type} `)).sort(), `what is shown of ${type}`).to.deep.equal(readable.sort())
          for (const action of matrix.actions.filter((one) => one !== 'read' && one !== 'create')) {
            const does = [...offered.keys()].filter((mark) => mark.startsWith(`${action} ${type} `))
            const may: string[] = []
            for (const key of matrix.reached(name, action)) {
              // The matrix judges a record by itself; the store, what a deletion would take along, too.
              const { allowed, message } = await mine.verdict(action as 'update', type, key as string)
              expect(allowed || action === 'delete', `${action} ${type} ${key}: ${message}`).to.equal(true)
              if (!allowed) continue
              may.push(`${action} ${type} ${key}`)
              const fields = matrix.access(name, key).find((one) => one.action === action)?.fields
              if (action === 'update') expect(offered.get(`update ${type} ${key}`)?.split(' ')).to.deep.equal(fields && [...fields])
            }
            expect(does.sort(), `${action} ${type}`).to.deep.equal(may.sort())
          }
        }
        expect(created.sort()).to.deep.equal((await creations(name)).sort())
        expect([...sums].sort(), 'sums').to.deep.equal((await rentsOf(name)).sort())
      })
  })
else it('the pages of the allotment site are left out without a browser; to include them: PACHTER_TEST_BROWSER=/usr/bin/chromium npm test')
