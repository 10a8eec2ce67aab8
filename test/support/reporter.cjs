// As Mocha's own, and before its closing lines: which tests took longest.
const { reporters, Runner } = require('mocha')

const MOST = 10

module.exports = class extends reporters.Spec {
  constructor(runner, options) {
    const took = []
    runner.on(Runner.constants.EVENT_TEST_PASS, (test) => took.push([test.duration ?? 0, test.fullTitle()]))
    // Before those of the reporter itself, which has the last word.
    runner.once(Runner.constants.EVENT_RUN_END, () => {
      if (took.length <= MOST) return
      took.sort(([a], [b]) => b - a)
      console.log('\n  the slowest ten')
      for (const [ms, title] of took.slice(0, MOST)) console.log(`    ${(ms / 1000).toFixed(1).padStart(5)} s  ${title.slice(0, 110)}`)
    })
    super(runner, options)
  }
}
