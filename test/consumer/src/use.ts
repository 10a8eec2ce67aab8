import { inMemory, openStore } from 'pachter/store'
import { book } from './book.js'

export const store = openStore(book, inMemory())
export const mine = store.for({ id: 'p-1', roles: ['pilot'] })
export const listShips = () => mine.list('ship', { where: (ship) => ship.draught.isLessThan(4), fields: ['state'], sort: ['-draught'] })
export const afterwards = book
  .for(null)
  .verdict('read', 'ship', { id: 's-1', ownerId: null, pilotIds: [], state: 'moored', draught: 1, hull: { material: 'oak', plates: [] } })
