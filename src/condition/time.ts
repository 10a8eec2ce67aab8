const RFC3339 = /^(\d{4}-\d{2}-\d{2})(?:[Tt](\d{2}:\d{2}:\d{2})(?:\.(\d+))?([Zz]|[+-]\d{2}:\d{2}))?$/
/** The earliest time that every engine can hold, 0000-01-01T00:00:00.000Z, in milliseconds since 1970. */
export const FIRST_INSTANT = -62_167_219_200_000
/** The latest one, 9999-12-31T23:59:59.999Z. */
export const LAST_INSTANT = 253_402_300_799_999

/**
 * Converts a Date or an RFC 3339 text to milliseconds since 1970, cut to the millisecond. Undefined for anything else. A date without a
 * time means midnight in UTC. Years run from 0 to 9999, which every engine can hold.
 */
export function instant(value: unknown): number | undefined {
  if (value instanceof Date) return within(value.getTime())
  if (typeof value !== 'string') return undefined
  const [, day, clock = '00:00:00', fraction = '', zone = 'Z'] = RFC3339.exec(value) ?? []
  if (day === undefined) return undefined
  const time = Date.parse(`${day}T${clock}.${`${fraction}000`.slice(0, 3)}Z`)
  const offset = offsetMinutes(zone)
  // `Date` would carry 30 February or hour 24 over into the next day.
  if (offset === undefined || !Number.isFinite(time) || !new Date(time).toISOString().startsWith(`${day}T${clock}`)) return undefined
  return within(time - offset * 60_000)
}

function offsetMinutes(text: string): number | undefined {
  if (text.length === 1) return 0
  const hours = Number(text.slice(1, 3))
  const minutes = Number(text.slice(4))
  if (hours > 23 || minutes > 59) return undefined
  return (text[0] === '-' ? -1 : 1) * (hours * 60 + minutes)
}

function within(time: number): number | undefined {
  return time >= FIRST_INSTANT && time <= LAST_INSTANT ? time : undefined
}

/** The one text form of a time: 24 characters in UTC, so that text order is time order. */
export function instantText(time: number): string {
  return new Date(time).toISOString()
}
