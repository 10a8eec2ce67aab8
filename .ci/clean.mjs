// Files of an earlier build must not be mistaken for those of this one.
import { rmSync } from 'node:fs'

for (const folder of ['dist', 'cli/dist']) rmSync(new URL(`../${folder}`, import.meta.url), { recursive: true, force: true })
