import { postgres } from 'pachter/sql'
import { engines } from '../support/engines.js'
import { agreesInRulebooks } from '../support/rulebooks.js'

describe('a random rulebook means the same', () => {
  for (const engine of engines)
    it(`in ${engine.name}${engine.dialect === postgres ? ', and by its row security' : ''}, as by evaluation`, () =>
      agreesInRulebooks(engine, engine.name === 'SQLite' ? 100 : 40))
})
