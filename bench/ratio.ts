/** Runs both functions in turns, so that both meet the same load, and returns the median of each in milliseconds. */
export function timeInTurns(rounds: number, ...works: (() => unknown)[]): number[] {
  const times = works.map(() => [] as number[])
  for (let round = -2; round < rounds; round++) {
    works.forEach((work, at) => {
      const start = performance.now()
      work()
      if (round >= 0) (times[at] as number[]).push(performance.now() - start)
    })
  }
  return times.map((taken) => taken.sort((a, b) => a - b)[Math.floor(taken.length / 2)] as number)
}
