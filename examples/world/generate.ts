// Generates the allotment world, the same every time: `npm run world [plots] [folder]`. Twelve plots are the demo world, whose people and
// special cases always come first; with more plots the world is larger.
import { mkdirSync, writeFileSync } from 'node:fs'
import { fileURLToPath } from 'node:url'
import type { z } from 'zod'
import type * as shapes from './shapes.js'

type Shaped<S> = S extends z.ZodType<infer T> ? T : never
/** A world, as records by type. */
export type World = {
  readonly member: Shaped<typeof shapes.Member>[]
  readonly site: Shaped<typeof shapes.Site>[]
  readonly team: Shaped<typeof shapes.Team>[]
  readonly plot: Shaped<typeof shapes.Plot>[]
  readonly share: Shaped<typeof shapes.Share>[]
  readonly entry: Shaped<typeof shapes.Entry>[]
  readonly remark: Shaped<typeof shapes.Remark>[]
  readonly job: Shaped<typeof shapes.Job>[]
  readonly notice: Shaped<typeof shapes.Notice>[]
  readonly inspection: Shaped<typeof shapes.Inspection>[]
  readonly invoice: Shaped<typeof shapes.Invoice>[]
}

const CROPS = ['leeks', 'broad beans', 'rhubarb', 'squash', 'kale', 'garlic', 'raspberries', 'early potatoes', 'chard', 'parsnips']
const NOTES = [
  'The water butt leaks.',
  'First frost on the beans.',
  'Slugs again.',
  'The path needs chippings.',
  'Too many courgettes: help yourselves.',
  'Planted out the kale.',
]
const REMARKS = [
  'Same here.',
  'I can lend you mine.',
  'Well done!',
  'Who else?',
  'Try coffee grounds.',
  'So it was last year.',
  'I saw it too.',
  'Ask the warden.',
  'Thank you.',
  'On Saturday, then.',
  'Mine as well.',
  'Not before May.',
]
const NOTICES = [
  { title: 'Water back on', text: 'The taps run again on all three sites. Close them when you leave.' },
  { title: 'Path works', text: 'The main path will be closed for two days while chippings are laid.' },
  { title: 'Seed swap', text: 'In the hut, on Saturday from ten. Bring what you saved, labelled.' },
  { title: 'Bonfire rules', text: 'After six in the evening only, never on a windy day, and stay with it.' },
  { title: 'Annual meeting', text: 'Rents, the waiting list and the new fence. All members may speak.' },
  { title: 'Harvest supper', text: 'Long table at Mill Bank. Everyone brings a dish of their own growing.' },
]
// The members of the demo, in the order of their ids; the ninth is any member.
const TOLD: readonly Partial<World['member'][number]>[] = [
  { name: 'Ines Varela', email: 'ines@marshlane.example', siteIds: ['s-01'], points: 12 },
  { name: 'Bram de Wit', email: 'bram@marshlane.example', siteIds: ['s-01', 's-02'], points: 30 },
  { name: 'Odile Marchand', email: 'odile@marshlane.example', siteIds: ['s-01'], area: 'river/', points: 5 },
  { name: 'Tomasz Zielak', email: 'tomasz@marshlane.example', roles: ['warden'], siteIds: ['s-01'], points: 8 },
  { name: 'Yuki Arai', email: 'yuki@marshlane.example', roles: ['warden'], siteIds: ['s-02', 's-03'], points: 8 },
  { name: 'Farah Nasser', email: 'farah@marshlane.example', roles: ['treasurer'], siteIds: [], points: 0 },
  { name: 'Kofi Badu', email: 'kofi@marshlane.example', roles: ['secretary'], siteIds: ['s-02'], points: 18 },
  { name: 'Greta Lund', email: 'greta@marshlane.example', siteIds: [], points: 0 },
  {},
  { name: 'Hugo Stahl', email: 'hugo@marshlane.example', banned: true, points: 40 },
]
const FIRST = ['Ana', 'Ben', 'Chidi', 'Dora', 'Emil', 'Fatou', 'Gus', 'Hana']
const LAST = ['Alder', 'Birch', 'Cedar', 'Dogwood', 'Elm', 'Fern', 'Gorse', 'Hazel']

const NOBODY = -1

/** Generates a world with this many plots, over three sites (one more for every 400 plots). */
export function generateWorld(plots = 12, seed = 1893): World {
  return new WorldMaker(plots, seed).world()
}

const day = (from: string, days: number) => new Date(Date.parse(from) + days * 86_400_000).toISOString()

class WorldMaker {
  readonly #plots: number
  readonly #random: () => number
  readonly #width: number
  readonly #sites: number
  readonly #members: number
  readonly #plot: World['plot'] = []
  readonly #entry: World['entry'] = []

  constructor(plots: number, seed: number) {
    this.#plots = plots
    this.#random = mulberry32(seed)
    this.#width = Math.max(2, String(plots * 2).length)
    this.#sites = Math.max(3, Math.ceil(plots / 400))
    this.#members = Math.max(10, plots)
  }

  /** Generates everything. Random choices happen in this order, so that a world is the same every time. */
  world(): World {
    for (let number = 1; number <= this.#plots; number++) this.#addPlot(number)
    for (let at = 0; at < Math.max(16, this.#plots); at++) this.#addEntry(at)
    return {
      member: this.#memberRecords(),
      site: this.#siteRecords(),
      team: this.#teamRecords(),
      plot: this.#plot,
      share: this.#shareRecords(),
      entry: this.#entry,
      remark: this.#remarkRecords(),
      job: this.#jobRecords(),
      notice: this.#noticeRecords(),
      inspection: this.#inspectionRecords(),
      invoice: this.#invoiceRecords(),
    }
  }

  #pick<T>(list: readonly T[]): T {
    return list[Math.floor(this.#random() * list.length)] as T
  }

  #id(letter: string, number: number): string {
    return `${letter}-${String(number).padStart(this.#width, '0')}`
  }

  #memberId(number: number): string {
    return number < TOLD.length ? `m-${String(number + 1).padStart(2, '0')}` : this.#id('m', number + 1)
  }

  #siteId(number: number): string {
    return number < 3 ? `s-0${number + 1}` : this.#id('s', number + 1)
  }

  #plotAt(number: number): World['plot'][number] {
    return this.#plot[number % this.#plot.length] as World['plot'][number]
  }

  #entryAt(number: number): World['entry'][number] {
    return this.#entry[number % this.#entry.length] as World['entry'][number]
  }

  #addPlot(number: number): void {
    const at = this.#plot.length
    // The first plots have the special cases of the demo; of the others, every tenth is vacant.
    const told = [0, 1, 1, 8, 9, NOBODY, 8, 9, NOBODY, 2, 9, 8][at]
    const holder = told ?? (at % 10 === 5 ? NOBODY : Math.floor(this.#random() * this.#members))
    const vacant = holder === NOBODY
    this.#plot.push({
      id: this.#id('p', number),
      number,
      siteId: this.#siteId(at < 12 ? Math.floor(at / 4) : Math.floor(this.#random() * this.#sites)),
      holderId: vacant ? null : this.#memberId(holder),
      // Greta holds the tenth together with Odile.
      coHolderIds: at === 9 ? [this.#memberId(7)] : [],
      // Plot 9 has lost its holder and is not vacant: an orphan, seen by few.
      state: at === 8 ? 'let' : vacant ? 'vacant' : at === 2 || at === 6 ? 'ending' : 'let',
      planting: vacant ? '' : `${this.#pick(CROPS)}, ${this.#pick(CROPS)}`,
      rentDue: vacant ? 0 : 20 + Math.floor(this.#random() * 16) * 2.5,
      ...(at % 3 === 0 ? { wardenNotes: this.#pick(['Fence to mend.', 'Waiting list knows.', 'Asked for a shed.']) } : {}),
    })
  }

  #addEntry(at: number): void {
    const of = this.#plotAt(at)
    this.#entry.push({
      id: this.#id('e', at + 1),
      plotId: of.id,
      authorId: of.holderId ?? this.#memberId(3),
      audience: (['plot', 'site', 'everyone'] as const)[at % 3] as 'plot',
      text: at < 6 ? (NOTES[at] as string) : this.#pick(NOTES),
      writtenAt: day('2026-03-01T08:00:00.000Z', at % 100),
      ...(at % 5 === 4 ? { editedAt: day('2026-03-02T17:30:00.000Z', at % 100) } : {}),
    })
  }

  #memberRecords(): World['member'] {
    return Array.from({ length: this.#members }, (_, at) => ({
      id: this.#memberId(at),
      name: TOLD[at]?.name ?? `${this.#pick(FIRST)} ${this.#pick(LAST)}`,
      email: TOLD[at]?.email ?? `member${at + 1}@marshlane.example`,
      ...(at % 2 === 0 ? { phone: `01632 960${String(at % 1000).padStart(3, '0')}` } : {}),
      roles: TOLD[at]?.roles ?? [],
      siteIds: TOLD[at]?.siteIds ?? [this.#siteId(Math.floor(this.#random() * this.#sites))],
      ...(TOLD[at]?.area ? { area: TOLD[at].area } : {}),
      points: TOLD[at]?.points ?? at % 25,
      banned: TOLD[at]?.banned ?? false,
    }))
  }

  #siteRecords(): World['site'] {
    return Array.from({ length: this.#sites }, (_, at) => ({
      id: this.#siteId(at),
      name: ['Lower Marsh', 'Mill Bank', 'Railway Side'][at] ?? `Field ${at + 1}`,
      path: ['river/lower-marsh', 'river/mill-bank', 'rail/railway-side'][at] ?? `field/${at + 1}`,
      gate: `code ${1000 + at * 37}`,
    }))
  }

  #teamRecords(): World['team'] {
    return [
      { id: 'w-01', name: 'Hedges', memberIds: [this.#memberId(1), this.#memberId(7)] },
      { id: 'w-02', name: 'Water', memberIds: [this.#memberId(2)] },
    ]
  }

  // Bram helps on two plots; Odile's share of the first has lapsed; every warden may tend one of Bram's.
  #shareRecords(): World['share'] {
    return [
      {
        id: this.#id('h', 1),
        plotId: this.#plotAt(0).id,
        grantedById: this.#memberId(0),
        memberId: this.#memberId(1),
        level: 'tend',
        until: '2027-10-31T00:00:00.000Z',
      },
      { id: this.#id('h', 2), plotId: this.#plotAt(9).id, grantedById: this.#memberId(2), memberId: this.#memberId(1), level: 'look' },
      {
        id: this.#id('h', 3),
        plotId: this.#plotAt(0).id,
        grantedById: this.#memberId(0),
        memberId: this.#memberId(2),
        level: 'tend',
        until: '2025-10-31T00:00:00.000Z',
      },
      { id: this.#id('h', 4), plotId: this.#plotAt(2).id, grantedById: this.#memberId(1), role: 'warden', level: 'tend' },
      ...Array.from({ length: Math.floor((this.#plots - 12) / 2) }, (_, at) => ({
        id: this.#id('h', at + 5),
        plotId: this.#plotAt(12 + at * 2).id,
        grantedById: this.#plotAt(12 + at * 2).holderId ?? this.#memberId(3),
        memberId: this.#memberId(Math.floor(this.#random() * this.#members)),
        level: this.#pick(['look', 'tend'] as const),
        ...(this.#random() < 0.5 ? { until: day('2026-01-01T00:00:00.000Z', Math.floor(this.#random() * 700)) } : {}),
      })),
    ]
  }

  #remarkRecords(): World['remark'] {
    return Array.from({ length: Math.max(6, Math.floor(this.#plots / 2)) }, (_, at) => ({
      id: this.#id('r', at + 1),
      entryId: this.#entryAt(Math.floor(at / 3)).id,
      // Two of three remarks answer the previous one.
      parentId: at % 3 === 0 ? null : this.#id('r', at),
      authorId: this.#memberId((at * 3 + 1) % 8),
      text: this.#pick(REMARKS),
      writtenAt: day('2026-04-01T12:00:00.000Z', at % 60),
    }))
  }

  #jobRecords(): World['job'] {
    return Array.from({ length: Math.max(6, Math.floor(this.#plots / 4)) }, (_, at) => ({
      id: this.#id('j', at + 1),
      siteId: this.#siteId(at % 3),
      title: ['Mend the gate', 'Turn the compost', 'Paint the shed', 'Clear the ditch', 'Read the meter', 'Sweep the path'][
        at % 6
      ] as string,
      assigneeIds: at % 2 === 0 ? [this.#memberId(at % 3)] : [],
      // By email, sometimes in another letter case than the member signs in with.
      assigneeEmails: at % 2 === 1 ? [at % 4 === 1 ? 'Bram@MarshLane.example' : 'greta@marshlane.example'] : [],
      ...(at === 2 ? { teamId: 'w-01' } : {}),
      state: at % 3 === 2 ? 'done' : 'open',
      dueAt: day('2026-06-01T00:00:00.000Z', at % 90),
    }))
  }

  #noticeRecords(): World['notice'] {
    return Array.from({ length: Math.max(6, Math.floor(this.#plots / 10)) }, (_, at) => ({
      id: this.#id('n', at + 1),
      authorId: this.#memberId([6, 3, 6, 4, 6, 3][at % 6] as number),
      state: at % 3 === 1 ? 'draft' : 'published',
      approved: at % 3 !== 1,
      // The sixth is published later in the summer.
      ...(at % 3 === 1 ? {} : { publishedAt: at === 5 ? '2026-08-01T08:00:00.000Z' : day('2026-04-10T08:00:00.000Z', at % 60) }),
      ...(NOTICES[at % NOTICES.length] as (typeof NOTICES)[number]),
    }))
  }

  #inspectionRecords(): World['inspection'] {
    return Array.from({ length: Math.max(5, Math.floor(this.#plots / 10)) }, (_, at) => {
      const of = this.#plotAt(at * 2)
      const filed = at % 2 === 0
      return {
        id: this.#id('i', at + 1),
        plotId: of.id,
        inspectorId: this.#memberId(of.siteId === 's-01' ? 3 : 4),
        state: filed ? ('filed' as const) : ('draft' as const),
        seasonEndsAt: at === 4 ? '2025-10-31T00:00:00.000Z' : '2026-10-31T00:00:00.000Z',
        findings: this.#pick(['Well kept.', 'Overgrown at the back.', 'Shed too high.']),
      }
    })
  }

  #invoiceRecords(): World['invoice'] {
    return this.#plot
      .filter((of) => of.holderId !== null)
      .map((of, at) => ({
        id: this.#id('v', at + 1),
        plotId: of.id,
        memberId: of.holderId as string,
        amount: of.rentDue,
        dueAt: '2026-04-01T00:00:00.000Z',
        ...(at % 2 === 0 ? { paidAt: day('2026-03-20T10:00:00.000Z', at % 12) } : {}),
      }))
  }
}

/** A small seeded generator of numbers in [0, 1): mulberry32, by Tommy Ettinger (public domain). */
function mulberry32(seed: number): () => number {
  let state = seed
  return () => {
    state = (state + 0x6d2b79f5) | 0
    let mixed = Math.imul(state ^ (state >>> 15), 1 | state)
    mixed = (mixed + Math.imul(mixed ^ (mixed >>> 7), 61 | mixed)) ^ mixed
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 4_294_967_296
  }
}

/** Writes a world to a folder: a JSON file for each record type, one line for each record. */
export function writeWorld(world: World, folder: string): void {
  mkdirSync(folder, { recursive: true })
  for (const [type, records] of Object.entries(world)) {
    writeFileSync(`${folder}/${type}.json`, worldText(records))
  }
}

/** Records as the text of their file. */
export function worldText(records: readonly object[]): string {
  return `[\n${records.map((record) => `  ${JSON.stringify(record)}`).join(',\n')}\n]\n`
}

if (process.argv[1] === fileURLToPath(import.meta.url)) {
  const [plots = '12', folder = fileURLToPath(new URL('./data', import.meta.url))] = process.argv.slice(2)
  const world = generateWorld(Number(plots))
  writeWorld(world, folder)
  console.log(
    `${folder}: ${Object.entries(world)
      .map(([type, records]) => `${records.length} ${type}`)
      .join(', ')}`,
  )
}
