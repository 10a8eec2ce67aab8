// What an earlier build left behind must not be taken for what this one made.
import { rmSync } from 'node:fs'

for (const folder of ['dist', 'cli/dist']) rmSync(new URL(`../${folder}`, import.meta.url), { recursive: true, force: true })
