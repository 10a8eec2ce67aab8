import { rulebook, toMany, toOne } from 'pachter'
import { Berth, Person, Session, Ship } from './shapes.js'

export const harbour = rulebook({
  me: { shape: Session, key: 'id', links: { person: toOne('person', 'id') } },
  records: {
    ship: { shape: Ship, key: 'id', links: { berths: toMany('berth', 'shipId') }, actions: ['launch'] },
    berth: { shape: Berth, key: 'id', times: ['until'], links: { ship: toOne('ship', 'shipId') } },
    person: { shape: Person, key: 'id' },
  },
})
