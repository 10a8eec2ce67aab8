/** How many random cases a law is tried with: fewer in `npm test` by itself, more with PACHTER_TEST_LONG, which `.ci/run` sets. */
export const tries = (few: number, many: number): number => (process.env.PACHTER_TEST_LONG === undefined ? few : many)
