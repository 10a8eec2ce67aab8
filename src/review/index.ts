export { type RecordSets, recordSets } from './sets.js'
