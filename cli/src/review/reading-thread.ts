// A new thread, so that every file is read again instead of coming from the module cache.
import { parentPort, workerData } from 'node:worker_threads'
import type { CommonOptions } from '../session.js'
import { startReading, type Task } from './reading.js'

const { options, canSave } = workerData as { readonly options: CommonOptions; readonly canSave: boolean }
const reading = startReading(options, canSave, (what) => parentPort?.postMessage(what))

parentPort?.on('message', (task: Task) => reading[task]())
