import type { NowNode } from './nodes.js'

const DAY = 86_400_000

const formats = new Map<string, Intl.DateTimeFormat>()
/** The last answer for each zone: all records of an operation are judged at the same time. */
const last = new Map<string, readonly [now: number, day: number]>()

/** Whether this is the name of a time zone, as in the IANA Time Zone Database. */
export function isTimeZone(zone: unknown): zone is string {
  if (typeof zone !== 'string') return false
  try {
    formatOf(zone)
    return true
  } catch {
    return false
  }
}

function formatOf(timeZone: string): Intl.DateTimeFormat {
  let format = formats.get(timeZone)
  if (format === undefined) {
    format = new Intl.DateTimeFormat('en-US', {
      timeZone,
      calendar: 'gregory',
      year: 'numeric',
      month: 'numeric',
      day: 'numeric',
      era: 'short',
    })
    formats.set(timeZone, format)
  }
  return format
}

/** How far `plusDays` reaches: about a thousand years. */
const MOST_DAYS = 400_000

/** `today` in a time zone, some days later or earlier. */
export function todayNode(zone: string, days: unknown, fail: (problem: string) => never): NowNode {
  if (!Number.isSafeInteger(days) || Math.abs(days as number) > MOST_DAYS) return fail(`needs a whole number of days, up to ${MOST_DAYS}`)
  return Object.freeze({ kind: 'now', zone, ...(days === 0 ? {} : { days: days as number }) })
}

/** The day that it is in a time zone, as its midnight in UTC, in milliseconds since 1970. */
export function dayIn(zone: string, now: number): number {
  const before = last.get(zone)
  if (before?.[0] === now) return before[1]
  const parts = Object.fromEntries(
    formatOf(zone)
      .formatToParts(now)
      .map(({ type, value }) => [type, value]),
  )
  const year = Number(parts.year)
  const date = new Date(0)
  date.setUTCFullYear(parts.era === 'BC' ? 1 - year : year, Number(parts.month) - 1, Number(parts.day))
  last.set(zone, [now, date.getTime()])
  return date.getTime()
}

/** The instant that `now` or `today` means: `today` is the midnight of its day in UTC. */
export function timeOf({ zone, days = 0 }: NowNode, now: number): number {
  return zone === undefined ? now : dayIn(zone, now) + days * DAY
}

/** The first instant at which it is this day, or a later one, in a time zone. No zone is more than a day from UTC. */
export function startOfDay(zone: string, day: number): number {
  let [from, until] = [day - DAY, day + DAY]
  while (until - from > 1) {
    const middle = Math.floor((from + until) / 2)
    if (dayIn(zone, middle) >= day) until = middle
    else from = middle
  }
  return until
}
