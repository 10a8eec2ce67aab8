// A rectangle of cells.
export interface Area {
  readonly top: number
  readonly bottom: number
  readonly left: number
  readonly right: number
}

/** A cell, by its line and person among those shown. */
export interface Spot {
  readonly row: number
  readonly person: number
}

/** The rectangle with two cells as its corners. */
export function areaOf(a: Spot, b: Spot): Area {
  return {
    top: Math.min(a.row, b.row),
    bottom: Math.max(a.row, b.row),
    left: Math.min(a.person, b.person),
    right: Math.max(a.person, b.person),
  }
}

/** Whether it contains a part of a row. */
export const isIn = (area: Area | undefined, row: number): area is Area => area !== undefined && row >= area.top && row <= area.bottom
