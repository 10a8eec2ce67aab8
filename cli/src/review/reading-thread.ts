// A thread of its own, so that every file is read afresh each time.
import { parentPort, workerData } from 'node:worker_threads'
import type { CommonOptions } from '../session.js'
import { startReading } from './reading.js'

const { options, canKeep } = workerData as { readonly options: CommonOptions; readonly canKeep: boolean }
const reading = startReading(options, canKeep, (what) => parentPort?.postMessage(what))

parentPort?.on('message', () => reading.weaken())
