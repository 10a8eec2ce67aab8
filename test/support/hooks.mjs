import fc from 'fast-check'

// The same random cases at every run, so that a change is judged by what it changes. PACHTER_TEST_SEED tries others,
// and so does `npm run agree`, which is where new ones are looked for.
fc.configureGlobal({ seed: Number(process.env.PACHTER_TEST_SEED ?? 20_260_615) })

// Connections to servers would keep the process from ending. Who opens one leaves a way to close it here.
export const mochaHooks = {
  async afterAll() {
    for (const close of globalThis.pachterClosings ?? []) await close()
  },
}
