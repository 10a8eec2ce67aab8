const STEP = 5

/**
 * What is not there, to somebody, is answered at the next step of five milliseconds only: whether rules had to be asked about a record
 * that is hidden, or there is none, takes microseconds more or less, which add up to an answer over many questions.
 */
export function untilNextStep(began: number): Promise<void> {
  const passed = performance.now() - began
  return new Promise((resolve) => setTimeout(resolve, Math.ceil(passed / STEP) * STEP - passed))
}
