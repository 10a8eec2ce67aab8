/** Between the parts of a key of several fields. It needs no encoding in addresses (RFC 3986 section 2.3), files or on the command line. */
export const BETWEEN = '~'

/** The text of a key of several fields. In a part, "~" is "%7E" and "%" is "%25". */
export function keyText(keys: readonly string[], row: Readonly<Record<string, unknown>>): string {
  return keys.map((name) => `${row[name]}`.replace(/[%~]/g, (sign) => (sign === '%' ? '%25' : '%7E'))).join(BETWEEN)
}
