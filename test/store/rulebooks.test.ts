import { postgres } from 'pachter/sql'
import { engines } from '../support/engines.js'
import { agreesInRulebooks } from '../support/rulebooks.js'
import { tries } from '../support/tries.js'

describe('a random rulebook means the same', () => {
  for (const engine of engines)
    it(`in ${engine.name}${engine.dialect === postgres ? ', and by its row security' : ''}, as by evaluation`, () =>
      agreesInRulebooks(engine, engine.name === 'SQLite' ? tries(15, 100) : tries(5, 40)))
})
